package sqlite

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"sync"
	"time"

	"modernc.org/sqlite"

	"leanwicket.dev/ledger"
)

const (
	sqliteBusy       = 5    // SQLITE_BUSY: another program writes
	sqliteUnique     = 2067 // SQLITE_CONSTRAINT_UNIQUE
	sqlitePrimaryKey = 1555 // SQLITE_CONSTRAINT_PRIMARYKEY

	patienceOfWrites = 10 * time.Second // of a write that is no work, and its limit
)

var errTooLong = fmt.Errorf("%w: the transaction took longer than its limit", ledger.ErrBusy)

// A writing is a transaction that has the write lock.
type writing struct {
	*sql.Tx
	limit *time.Timer // takes the transaction back when it ends
	life  context.Context
	end   context.CancelFunc
}

// begin takes the write lock. It waits for those who write before it until patience has passed,
// and then returns [ledger.ErrBusy]. After the limit the transaction is taken back, so that
// nothing holds the lock for longer. The end of the context ends the waiting alone, because
// whoever has begun ends in order.
func (s *Store) begin(ctx context.Context, patience, limit time.Duration) (*writing, error) {
	life, end := context.WithCancel(context.WithoutCancel(ctx))
	timer, goesOn := time.AfterFunc(patience, end), context.AfterFunc(ctx, end)
	for {
		tx, err := s.writer.BeginTx(life, nil)
		if isBusy(err) && life.Err() == nil {
			continue // the driver has waited a little
		}
		if err == nil && goesOn() && timer.Reset(limit) {
			return &writing{tx, timer, life, end}, nil
		}
		timer.Stop()
		end() // which rolls back
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case life.Err() != nil && (err == nil || isBusy(err) || errors.Is(err, context.Canceled)):
			return nil, fmt.Errorf("%w: others write", ledger.ErrBusy)
		}
		return nil, err
	}
}

func isBusy(err error) bool { return codeOf(err)&0xff == sqliteBusy }

// IsUnique reports whether a statement failed because it would have broken a unique constraint or a
// primary key: what it writes is there already, and the work can refuse it.
func IsUnique(err error) bool {
	code := codeOf(err)
	return code == sqliteUnique || code == sqlitePrimaryKey
}

// codeOf is the extended result code of an error of SQLite, or 0.
func codeOf(err error) int {
	var failed *sqlite.Error
	if errors.As(err, &failed) {
		return failed.Code()
	}
	return 0
}

// rollback takes back what was written. It can be called after a commit, and does nothing then.
func (w *writing) rollback() {
	w.limit.Stop()
	_ = w.Rollback()
	w.end()
}

// commit commits what was written, and waits until the disk has it.
func (s *Store) commit(w *writing) error {
	s.sweepNow(w)
	if !w.limit.Stop() {
		return errTooLong
	}
	if err := w.Commit(); err != nil {
		return err
	}
	w.end()
	if err := s.disk.flush(); err != nil {
		return fmt.Errorf("%w: %w", ledger.ErrUnknown, err)
	}
	return nil
}

// write does something in a transaction of its own. What do does is taken back where it returns
// an error or panics.
func (s *Store) write(ctx context.Context, do func(*writing) error) error {
	if t, inside := ctx.Value(txKey{}).(*transaction); inside && t.Store == s && t.holds() {
		return errors.New("sqlite: found another write of the store inside of the work's transaction, for which it would wait for ever; right would be the transaction of Tx, or to write before the work asks for Tx")
	}
	w, err := s.begin(ctx, patienceOfWrites, patienceOfWrites)
	if err != nil {
		return err
	}
	defer w.rollback()
	if err := do(w); err != nil {
		return err
	}
	return s.commit(w)
}

// disk has what is committed. SQLite itself does not wait for the disk at a commit of the store
// (synchronous=NORMAL): it writes to the write-ahead log, whose frames have checksums, so that after a
// failure of the power everything that the disk has up to the last whole commit is there. The store
// waits before it tells anybody, and all who wait at the same time share one flush.
type disk struct {
	log *os.File // the write-ahead log. It stays as long as a connection is open

	flushing sync.Mutex
	mu       sync.Mutex
	next     *flush // begins after now; nil means that nobody waits for one
}

type flush struct {
	done chan struct{}
	err  error
}

// flush returns when the disk has everything that was committed before.
func (d *disk) flush() error {
	d.mu.Lock()
	f := d.next
	first := f == nil
	if first {
		f = &flush{done: make(chan struct{})}
		d.next = f
	}
	d.mu.Unlock()
	if !first {
		<-f.done
		return f.err
	}
	d.flushing.Lock()
	d.mu.Lock()
	d.next = nil
	d.mu.Unlock()
	f.err = d.log.Sync()
	d.flushing.Unlock()
	close(f.done)
	return f.err
}
