package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"sync"
	"time"

	"leanwicket.dev/ledger"
)

// InTransaction is the store as one whose work commits with its answer. The work's own
// tables are in the same file, and it reaches them through Tx.
func (s *Store) InTransaction() TransactionStore { return TransactionStore{s} }

// TransactionStore is a ledger.Transactional. Its work holds up others from its first call of
// [Tx] on, and nobody before it.
type TransactionStore struct{ *Store }

// errTaken ends a run of work whose key another has settled meanwhile.
var errTaken = errors.New("the key was settled by another")

// Transact implements [ledger.Transactional]. Where the database has no time for the work
// within patience, the error is [ledger.ErrBusy].
func (s TransactionStore) Transact(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (ledger.State, ledger.Response, error) {
	late := time.NewTimer(patience)
	defer late.Stop()
	release, err := s.claims.take(ctx, r.Key, late.C)
	if errors.Is(err, errImpatient) {
		return ledger.InFlight, ledger.Response{}, nil
	}
	if err != nil {
		return 0, ledger.Response{}, err
	}
	defer release()
	r.Limit = cmp.Or(r.Limit, patienceOfWrites)
	for {
		state, answer, err := s.free(ctx, r)
		if err != nil || state != ledger.Reserved {
			return state, answer, err
		}
		t := &transaction{Store: s.Store, reservation: r, patience: max(patience, time.Second)}
		if answer, err = t.run(ctx, work); !errors.Is(err, errTaken) { // else another's answer is there now
			return ledger.Reserved, answer, err
		}
	}
}

// A transaction is that of one run of a work. It begins when the work asks for it.
type transaction struct {
	*Store
	reservation ledger.Reservation
	patience    time.Duration // for the write lock

	mu    sync.Mutex
	begun *writing // nil means that it was not asked for
	err   error    // why it did not begin
	ended bool     // the work has returned
}

// run does the work, and keeps its answer in the same commit.
func (t *transaction) run(ctx context.Context, work ledger.Work) (answer ledger.Response, err error) {
	defer func() { // also when the work panics
		if w := t.end(); w != nil {
			w.rollback()
		}
	}()
	answer, err = work(context.WithValue(ctx, txKey{}, t))
	w := t.end()
	refused, isRefused := ledger.AsRefused(err)
	switch {
	case t.err != nil: // also where the work has overlooked it
		return ledger.Response{}, t.err
	case isRefused:
		answer = refused
	case err != nil:
		return ledger.Response{}, err
	}
	if w == nil {
		if w, err = t.beginWork(context.WithoutCancel(ctx)); err != nil {
			return ledger.Response{}, err
		}
		defer w.rollback()
	}
	if err := t.unmark(w, isRefused); err != nil {
		return ledger.Response{}, err
	}
	if err := t.keepIn(w, t.reservation, answer); err != nil {
		return ledger.Response{}, err
	}
	return answer, t.commit(w)
}

// beginWork begins the work's transaction, with a mark at its beginning.
func (t *transaction) beginWork(ctx context.Context) (*writing, error) {
	w, err := t.begin(ctx, t.patience, t.reservation.Limit)
	if err != nil {
		return nil, err
	}
	if _, err := w.Stmt(t.mark).Exec(); err != nil {
		w.rollback()
		return nil, err
	}
	return w, nil
}

// unmark ends what the work has written: it stays, or is taken back. The error says that the
// transaction is over, because its limit has ended, or because SQLite has taken all of it back when a
// statement of the work was interrupted.
func (t *transaction) unmark(w *writing, takeBack bool) (err error) {
	if takeBack {
		_, err = w.Exec("ROLLBACK TO work")
	}
	if err == nil {
		_, err = w.Stmt(t.Store.unmark).Exec()
	}
	switch {
	case w.life.Err() != nil:
		return errTooLong
	case err != nil:
		return fmt.Errorf("the transaction of the work is over: %w", err)
	}
	return nil
}

func (t *transaction) tx(ctx context.Context) (*sql.Tx, error) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if t.ended {
		return nil, ErrOutside
	}
	if t.begun == nil && t.err == nil {
		t.begun, t.err = t.beginWork(ctx)
	}
	if t.err != nil {
		return nil, t.err
	}
	return t.begun.Tx, nil
}

// end ends what the work can do, and returns what it has begun.
func (t *transaction) end() *writing {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.ended = true
	return t.begun
}

// holds reports whether the work has the write lock.
func (t *transaction) holds() bool {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.begun != nil && !t.ended
}

type txKey struct{}

// ErrOutside is the error of a [Tx] that is asked for outside of the work of a TransactionStore.
var ErrOutside = errors.New("sqlite: found no work here that is done in a transaction; right would be Tx inside of the work, with its context, and InTransaction as the ledger")

// Tx is the transaction of the work that a [TransactionStore] does. It begins at the first call,
// which waits while others write, and has the write lock from there on: until the work returns,
// nobody else writes to the file, and who waits in vain gets [ledger.ErrBusy]. So slow things,
// such as a request of another server, come before the first call. After the work's limit
// ([ledger.Options]) the transaction is taken back.
//
// The work neither commits nor rolls it back: it returns an error instead. Each further call
// returns the same transaction. The error is [ErrOutside] where there is none, and
// [ledger.ErrBusy] where the database has no time for it. The work returns that error.
func Tx(ctx context.Context) (*sql.Tx, error) {
	t, inside := ctx.Value(txKey{}).(*transaction)
	if !inside {
		return nil, ErrOutside
	}
	return t.tx(ctx)
}
