package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"modernc.org/sqlite"

	"leanwicket.dev/ledger"
)

// write is one caller's part of a commit.
type write struct {
	ctx   context.Context
	do    func(context.Context, *sql.Tx) error
	among bool        // others have done their part of the same commit before
	taken atomic.Bool // it has begun, or its caller has given up
	done  chan error
}

func newWrite(ctx context.Context, do func(context.Context, *sql.Tx) error) *write {
	return &write{ctx: context.WithoutCancel(ctx), do: do, done: make(chan error, 1)} // an interrupted statement would take the whole commit back
}

const (
	sqliteBusy = 5 // SQLITE_BUSY: another program writes

	atOnce = 64 // writes that a commit takes at most
	pruned = 16 // keys that are over and go with it at most
)

var errClosed = errors.New("the ledger is closed")

// panicked carries a panic of a write back to its caller.
type panicked struct{ value any }

func (p panicked) Error() string { return fmt.Sprint(p.value) }

// enqueue has a write done in the next commit. It gives up where the queue is full until late.
func (s *Store) enqueue(ctx context.Context, w *write, late <-chan time.Time) error {
	select {
	case <-s.closing:
		return errClosed
	default:
	}
	select {
	case s.writes <- w:
		return nil
	case <-s.closing:
		return errClosed
	case <-ctx.Done():
		return ctx.Err()
	case <-late:
		return fmt.Errorf("%w: others write", ledger.ErrBusy)
	}
}

// write does something in the next commit, and waits for that as long as its context.
func (s *Store) write(ctx context.Context, do func(context.Context, *sql.Tx) error) error {
	w := newWrite(ctx, do)
	if err := s.enqueue(ctx, w, nil); err != nil {
		return err
	}
	giveUp := func(why error) error {
		if w.taken.CompareAndSwap(false, true) {
			return why
		}
		return w.end(<-w.done)
	}
	select {
	case err := <-w.done:
		return w.end(err)
	case <-ctx.Done():
		return giveUp(ctx.Err())
	case <-s.finished:
		return giveUp(errClosed)
	}
}

func (w *write) end(err error) error {
	var p panicked
	if errors.As(err, &p) {
		panic(p.value)
	}
	return err
}

// run writes until the store is closed, and then what waits.
func (s *Store) run() {
	defer close(s.finished)
	for open := true; open; {
		select {
		case w := <-s.writes:
			if w.taken.CompareAndSwap(false, true) {
				s.commit(w)
			}
		case <-s.closing:
			open = false
		}
	}
	if w := s.waiting(0); w != nil {
		s.commit(w)
	}
}

// commit does a write, and those that wait, in one transaction. The first needs no
// savepoint: where it fails, nothing is taken back but itself.
func (s *Store) commit(first *write) {
	tx, err := s.db.BeginTx(context.Background(), nil)
	var failed *sqlite.Error
	if errors.As(err, &failed) && failed.Code()&0xff == sqliteBusy {
		err = fmt.Errorf("%w: %w", ledger.ErrBusy, err)
	}
	if err == nil {
		if err = caught(tx, first); err != nil {
			err = errors.Join(err, tx.Rollback())
		}
	}
	if err != nil {
		first.done <- err
		return
	}
	good := []*write{first}
	for tried := 1; ; tried++ {
		w := s.waiting(tried)
		if w == nil {
			break
		}
		if err := apart(tx, w); err != nil {
			w.done <- err
			continue
		}
		good = append(good, w)
	}
	s.pruneSome(tx)
	err = tx.Commit()
	for _, w := range good {
		w.done <- err
	}
}

// pruneSome forgets a few keys that are over with a commit: at the next one more, where there
// were so many, else after a second.
func (s *Store) pruneSome(tx *sql.Tx) {
	if time.Now().Before(s.pruneAt) {
		return
	}
	if n, err := s.pruneIn(context.Background(), tx, pruned); err != nil || n < pruned {
		s.pruneAt = time.Now().Add(time.Second)
	}
}

// waiting is the next write of a commit, if there is one now.
func (s *Store) waiting(tried int) *write {
	for tried < atOnce {
		select {
		case w := <-s.writes:
			if w.taken.CompareAndSwap(false, true) {
				return w
			}
		default:
			return nil
		}
	}
	return nil
}

// apart does one write so that it can be taken back without the others.
func apart(tx *sql.Tx, w *write) error {
	if _, err := tx.Exec("SAVEPOINT part"); err != nil {
		return err
	}
	w.among = true
	err := caught(tx, w)
	end := "RELEASE part"
	if err != nil {
		end = "ROLLBACK TO part; RELEASE part"
	}
	_, failed := tx.Exec(end)
	return errors.Join(err, failed)
}

// caught does a write; its panic is an error until it is back with its caller.
func caught(tx *sql.Tx, w *write) (err error) {
	defer func() {
		if value := recover(); value != nil {
			err = panicked{value}
		}
	}()
	return w.do(w.ctx, tx)
}
