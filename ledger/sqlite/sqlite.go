package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"net/url"
	"sync"
	"time"

	_ "modernc.org/sqlite" // the driver

	"leanwicket.dev/ledger"
)

// Options of a store.
type Options struct {
	Keep time.Duration // how long an answer is kept; 0: a day
}

// Store is a ledger.Store. Its writes, and the work of a TransactionStore, share commits: what
// waits while one is written goes with the next.
type Store struct {
	db       *sql.DB // writes; one connection
	readers  *sql.DB
	keep     time.Duration
	writes   chan *write
	closing  chan struct{}
	finished chan struct{}
	close    sync.Once
	closed   error

	reserve, look, keepNew, settle, release, prune *sql.Stmt
}

const schema = `CREATE TABLE IF NOT EXISTS leanwicket_keys (
	principal TEXT NOT NULL, route TEXT NOT NULL, key TEXT NOT NULL,
	fingerprint BLOB NOT NULL, owner BLOB NOT NULL,
	until INTEGER NOT NULL, -- the end of the lease, or of the answer: milliseconds since 1970
	status INTEGER, header TEXT, body BLOB, -- NULL: not settled
	PRIMARY KEY (principal, route, key)
) WITHOUT ROWID;
CREATE INDEX IF NOT EXISTS leanwicket_keys_until ON leanwicket_keys (until)`

// DSN names a file as the driver wants it: written ahead, synchronous at each
// commit, a write lock from the beginning of a transaction.
func DSN(path string) string {
	return "file:" + (&url.URL{Path: path}).EscapedPath() +
		"?_pragma=busy_timeout(10000)&_pragma=journal_mode(WAL)&_pragma=synchronous(FULL)&_txlock=immediate"
}

// Open opens the file, and makes it and the table of keys where they are missing.
func Open(path string, o Options) (*Store, error) {
	db, err := sql.Open("sqlite", DSN(path))
	if err != nil {
		return nil, err
	}
	db.SetMaxOpenConns(1)
	s := &Store{db: db, keep: cmp.Or(o.Keep, 24*time.Hour), writes: make(chan *write, 256), closing: make(chan struct{}), finished: make(chan struct{})}
	if err := s.prepare(); err != nil {
		return nil, errors.Join(fmt.Errorf("opening the ledger in %s: %w", path, err), db.Close())
	}
	if s.readers, err = sql.Open("sqlite", DSN(path)+"&_pragma=query_only(1)"); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	s.readers.SetMaxOpenConns(4)
	go s.run()
	return s, nil
}

func (s *Store) prepare() error {
	if _, err := s.db.Exec(schema); err != nil {
		return err
	}
	for statement, text := range map[**sql.Stmt]string{
		// What is over is taken over: an answer that is no longer kept, or work whose
		// lease has run out, by the same values.
		&s.reserve: `INSERT INTO leanwicket_keys (principal, route, key, fingerprint, owner, until) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
			ON CONFLICT DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = NULL, header = NULL, body = NULL
			WHERE leanwicket_keys.until < ?7 AND (status IS NOT NULL OR fingerprint = excluded.fingerprint)`,
		&s.look:    `SELECT fingerprint, owner, status, header, body, until FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ?`,
		&s.keepNew: `INSERT OR REPLACE INTO leanwicket_keys (principal, route, key, fingerprint, owner, until, status, header, body) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		&s.settle:  `UPDATE leanwicket_keys SET status = ?, header = ?, body = ?, until = ? WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`,
		&s.release: `DELETE FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`,
		&s.prune:   `DELETE FROM leanwicket_keys WHERE (principal, route, key) IN (SELECT principal, route, key FROM leanwicket_keys WHERE until < iif(status IS NULL, ?, ?) LIMIT 1000)`,
	} {
		prepared, err := s.db.Prepare(text)
		if err != nil {
			return err
		}
		*statement = prepared
	}
	return nil
}

// Close ends the store after the writes that wait. To close it again does nothing.
func (s *Store) Close() error {
	s.close.Do(func() {
		close(s.closing)
		<-s.finished
		s.closed = errors.Join(s.readers.Close(), s.db.Close())
	})
	return s.closed
}

// Reserve implements [ledger.Store].
func (s *Store) Reserve(ctx context.Context, r ledger.Reservation) (state ledger.State, answer ledger.Answer, err error) {
	err = s.write(ctx, 0, func(ctx context.Context, tx *sql.Tx) error {
		state, answer, err = s.reserveIn(ctx, tx, r)
		return err
	})
	return state, answer, err
}

func (s *Store) reserveIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation) (ledger.State, ledger.Answer, error) {
	now := time.Now()
	_, err := tx.StmtContext(ctx, s.reserve).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], now.Add(r.Lease).UnixMilli(), now.UnixMilli())
	if err != nil {
		return 0, ledger.Answer{}, err
	}
	row, _, err := s.row(ctx, tx, r)
	if err != nil {
		return 0, ledger.Answer{}, err
	}
	return row.State(r)
}

func (s *Store) row(ctx context.Context, tx *sql.Tx, r ledger.Reservation) (row ledger.Row, until int64, err error) {
	err = tx.StmtContext(ctx, s.look).QueryRowContext(ctx, r.Principal, r.Route, r.Key.Key).Scan(&row.Fingerprint, &row.Owner, &row.Status, &row.Header, &row.Body, &until)
	return row, until, err
}

// Settle implements [ledger.Store].
func (s *Store) Settle(ctx context.Context, r ledger.Reservation, a ledger.Answer) error {
	return s.write(ctx, 0, func(ctx context.Context, tx *sql.Tx) error { return s.settleIn(ctx, tx, r, a) })
}

func (s *Store) settleIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation, a ledger.Answer) error {
	result, err := tx.StmtContext(ctx, s.settle).ExecContext(ctx, a.Status, a.HeaderText(), a.Body, time.Now().Add(s.keep).UnixMilli(), r.Principal, r.Route, r.Key.Key, r.Owner[:])
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n != 1 {
		return errors.Join(ledger.ErrLost, err)
	}
	return nil
}

// Find implements [ledger.Store]. It waits for no write.
func (s *Store) Find(ctx context.Context, k ledger.Key) (ledger.Answer, bool, error) {
	var row ledger.Row
	err := s.readers.QueryRowContext(ctx, `SELECT status, header, body FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ? AND status IS NOT NULL AND until >= ?`,
		k.Principal, k.Route, k.Key, time.Now().UnixMilli()).Scan(&row.Status, &row.Header, &row.Body)
	if errors.Is(err, sql.ErrNoRows) {
		return ledger.Answer{}, false, nil
	}
	if err != nil {
		return ledger.Answer{}, false, err
	}
	answer, err := row.Answer()
	return answer, true, err
}

// Release implements [ledger.Store].
func (s *Store) Release(ctx context.Context, r ledger.Reservation) error {
	return s.write(ctx, 0, func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.StmtContext(ctx, s.release).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Owner[:])
		return err
	})
}

// Prune forgets the answers that are no longer kept, and work that was given up
// as long ago; it says how many.
func (s *Store) Prune(ctx context.Context) (int, error) {
	for pruned := 0; ; {
		var n int64
		err := s.write(ctx, 0, func(ctx context.Context, tx *sql.Tx) error {
			now := time.Now()
			result, err := tx.StmtContext(ctx, s.prune).ExecContext(ctx, now.Add(-s.keep).UnixMilli(), now.UnixMilli())
			if err == nil {
				n, err = result.RowsAffected()
			}
			return err
		})
		if pruned += int(n); err != nil || n == 0 {
			return pruned, err
		}
	}
}

// Write does something else in the same file, in the store's next commit. What do
// does is taken back where it returns an error or panics.
func (s *Store) Write(ctx context.Context, do func(context.Context, *sql.Tx) error) error {
	return s.write(ctx, 0, do)
}

// InTransaction is the store as one whose work commits with its answer. The work's own
// tables are in the same file, and it reaches them through Tx.
func (s *Store) InTransaction() TransactionStore { return TransactionStore{s} }

// TransactionStore is a ledger.Transactional.
type TransactionStore struct{ *Store }

// Transact implements [ledger.Transactional].
func (t TransactionStore) Transact(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (state ledger.State, answer ledger.Answer, err error) {
	err = t.write(ctx, patience, func(ctx context.Context, tx *sql.Tx) error {
		if state, answer, err = t.free(ctx, tx, r); err != nil || state != ledger.Reserved {
			return err
		}
		if answer, err = work(context.WithValue(ctx, txKey{}, tx)); err != nil {
			return err
		}
		return t.keepIn(ctx, tx, r, answer)
	})
	if errors.Is(err, errImpatient) {
		return ledger.InFlight, ledger.Answer{}, nil
	}
	return state, answer, err
}

// free reads whether a key can be worked on now. Nobody else writes meanwhile, so
// nothing need be reserved.
func (s *Store) free(ctx context.Context, tx *sql.Tx, r ledger.Reservation) (ledger.State, ledger.Answer, error) {
	row, until, err := s.row(ctx, tx, r)
	if errors.Is(err, sql.ErrNoRows) {
		return ledger.Reserved, ledger.Answer{}, nil
	}
	if err != nil {
		return 0, ledger.Answer{}, err
	}
	state, answer, err := row.State(r)
	if over := until < time.Now().UnixMilli(); over && (row.Status != nil || state == ledger.InFlight) {
		return ledger.Reserved, ledger.Answer{}, nil
	}
	return state, answer, err
}

// keepIn writes the answer of a key that was free.
func (s *Store) keepIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation, a ledger.Answer) error {
	_, err := tx.StmtContext(ctx, s.keepNew).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], time.Now().Add(s.keep).UnixMilli(), a.Status, a.HeaderText(), a.Body)
	return err
}

type txKey struct{}

// Tx is the transaction of the work that a TransactionStore does; nil outside of it. The
// work neither commits nor rolls it back: it returns an error instead.
func Tx(ctx context.Context) *sql.Tx {
	tx, _ := ctx.Value(txKey{}).(*sql.Tx)
	return tx
}
