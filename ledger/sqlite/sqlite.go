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
	Keep time.Duration // how long an answer is kept; 0 means a day
}

// Store is a ledger.Store. Its writes, and the work of a TransactionStore, share commits: what
// waits while one is written goes with the next.
type Store struct {
	db       *sql.DB // writes; one connection
	readers  *sql.DB
	works    *sql.DB // of the work of a TransactionStore
	claims   claims
	keep     time.Duration
	writes   chan *write
	closing  chan struct{}
	finished chan struct{}
	pruneAt  time.Time // not before; of the writer
	close    sync.Once
	closed   error

	reserve, look, keepNew, settle, release, prune *sql.Stmt
	known                                          *sql.Stmt // of a reader
}

const schema = `CREATE TABLE IF NOT EXISTS leanwicket_keys (
	principal TEXT NOT NULL, route TEXT NOT NULL, key TEXT NOT NULL,
	fingerprint BLOB NOT NULL, owner BLOB NOT NULL,
	until INTEGER NOT NULL, -- the end of the lease, or of the answer: milliseconds since 1970
	status INTEGER, header TEXT, body BLOB, -- NULL: not settled
	PRIMARY KEY (principal, route, key)
);
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
	s.works = sql.OpenDB(connector{})
	s.claims.held = map[ledger.Key]chan struct{}{}
	if s.claims.file, err = openLocks(path + "-claims"); err == nil {
		s.known, err = s.readers.Prepare(look)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("opening the ledger in %s: %w", path, err), s.readers.Close(), db.Close())
	}
	go s.run()
	return s, nil
}

const look = `SELECT fingerprint, owner, status, header, body, until FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ?`

// takeOver is where a key that is known can be worked on: its answer is no longer kept, or the
// lease of work with the same values has run out.
const takeOver = `leanwicket_keys.until < ?7 AND (status IS NOT NULL OR fingerprint = excluded.fingerprint)`

// own is where whoever asks holds the claim already: its lease begins anew.
const own = ` OR status IS NULL AND leanwicket_keys.owner = excluded.owner AND fingerprint = excluded.fingerprint`

func (s *Store) prepare() error {
	if _, err := s.db.Exec(schema); err != nil {
		return err
	}
	for statement, text := range map[**sql.Stmt]string{
		&s.reserve: `INSERT INTO leanwicket_keys (principal, route, key, fingerprint, owner, until) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
			ON CONFLICT DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = NULL, header = NULL, body = NULL
			WHERE ` + takeOver + own,
		&s.look: look,
		&s.keepNew: `INSERT INTO leanwicket_keys (principal, route, key, fingerprint, owner, until, status, header, body) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?8, ?9, ?10)
			ON CONFLICT DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = excluded.status, header = excluded.header, body = excluded.body
			WHERE ` + takeOver + own,
		&s.settle:  `UPDATE leanwicket_keys SET status = ?, header = ?, body = ?, until = ? WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`,
		&s.release: `DELETE FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`,
		// What is over: an answer that is no longer kept, and work that was given up as long ago.
		&s.prune: `DELETE FROM leanwicket_keys WHERE (principal, route, key) IN (SELECT principal, route, key FROM leanwicket_keys WHERE until < ?1 AND (status IS NOT NULL OR until < ?2) LIMIT ?3)`,
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
		s.closed = errors.Join(s.works.Close(), s.claims.file.Close(), s.readers.Close(), s.db.Close())
	})
	return s.closed
}

// Reserve implements [ledger.Store].
func (s *Store) Reserve(ctx context.Context, r ledger.Reservation) (state ledger.State, answer ledger.Response, err error) {
	err = s.write(ctx, func(ctx context.Context, tx *sql.Tx) error {
		state, answer, err = s.reserveIn(ctx, tx, r)
		return err
	})
	return state, answer, err
}

func (s *Store) reserveIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	now := time.Now()
	_, err := tx.StmtContext(ctx, s.reserve).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], now.Add(r.Lease).UnixMilli(), now.UnixMilli())
	if err != nil {
		return 0, ledger.Response{}, err
	}
	row, _, err := scan(tx.StmtContext(ctx, s.look).QueryRowContext(ctx, r.Principal, r.Route, r.Key.Key))
	if err != nil {
		return 0, ledger.Response{}, err
	}
	return row.State(r)
}

func scan(found *sql.Row) (row ledger.Row, until int64, err error) {
	err = found.Scan(&row.Fingerprint, &row.Owner, &row.Status, &row.Header, &row.Body, &until)
	return row, until, err
}

// Settle implements [ledger.Store].
func (s *Store) Settle(ctx context.Context, r ledger.Reservation, a ledger.Response) error {
	return s.write(ctx, func(ctx context.Context, tx *sql.Tx) error { return s.settleIn(ctx, tx, r, a) })
}

func (s *Store) settleIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation, a ledger.Response) error {
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
func (s *Store) Find(ctx context.Context, k ledger.Key) (ledger.Response, bool, error) {
	var row ledger.Row
	err := s.readers.QueryRowContext(ctx, `SELECT status, header, body FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ? AND status IS NOT NULL AND until >= ?`,
		k.Principal, k.Route, k.Key, time.Now().UnixMilli()).Scan(&row.Status, &row.Header, &row.Body)
	if errors.Is(err, sql.ErrNoRows) {
		return ledger.Response{}, false, nil
	}
	if err != nil {
		return ledger.Response{}, false, err
	}
	answer, err := row.Response()
	return answer, true, err
}

// Release implements [ledger.Store].
func (s *Store) Release(ctx context.Context, r ledger.Reservation) error {
	return s.write(ctx, func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.StmtContext(ctx, s.release).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Owner[:])
		return err
	})
}

// Prune forgets the answers that are no longer kept, and work that was given up as long ago;
// it says how many. They go by themselves too, a few with each commit.
func (s *Store) Prune(ctx context.Context) (int, error) {
	for pruned := 0; ; {
		var n int
		err := s.write(ctx, func(ctx context.Context, tx *sql.Tx) (err error) {
			n, err = s.pruneIn(ctx, tx, 1000)
			return err
		})
		if pruned += n; err != nil || n == 0 {
			return pruned, err
		}
	}
}

func (s *Store) pruneIn(ctx context.Context, tx *sql.Tx, most int) (int, error) {
	now := time.Now()
	result, err := tx.StmtContext(ctx, s.prune).ExecContext(ctx, now.UnixMilli(), now.Add(-s.keep).UnixMilli(), most)
	if err != nil {
		return 0, err
	}
	n, err := result.RowsAffected()
	return int(n), err
}

// Write does something else in the same file, in the store's next commit. What do
// does is taken back where it returns an error or panics.
func (s *Store) Write(ctx context.Context, do func(context.Context, *sql.Tx) error) error {
	return s.write(ctx, do)
}

// InTransaction is the store as one whose work commits with its answer. The work's own
// tables are in the same file, and it reaches them through Tx.
func (s *Store) InTransaction() TransactionStore { return TransactionStore{s} }

// TransactionStore is a ledger.Transactional. Work that computes or waits holds up nobody
// else's: see [Tx].
type TransactionStore struct{ *Store }

// Transact implements [ledger.Transactional]. Where the database has no time for the work
// within patience, the error is [ledger.ErrBusy].
func (t TransactionStore) Transact(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (ledger.State, ledger.Response, error) {
	late := time.NewTimer(patience)
	defer late.Stop()
	release, err := t.claims.take(ctx, r.Key, late.C)
	if errors.Is(err, errImpatient) {
		return ledger.InFlight, ledger.Response{}, nil
	}
	if err != nil {
		return 0, ledger.Response{}, err
	}
	defer release()
	for begun := time.Now(); ; {
		state, answer, err := t.free(ctx, r)
		if err != nil || state != ledger.Reserved {
			return state, answer, err
		}
		answer, err = t.work(ctx, r, max(patience, time.Second), work)
		switch {
		case errors.Is(err, ledger.ErrLost): // its answer is there now
		case errors.Is(err, errMoved) && time.Since(begun) < young:
		default:
			return ledger.Reserved, answer, err
		}
	}
}

// work does the work once, and keeps its answer in the same commit.
func (t TransactionStore) work(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (ledger.Response, error) {
	p := &piece{store: t.Store, patience: patience}
	tx, err := t.works.BeginTx(context.WithValue(context.WithoutCancel(ctx), pieceKey{}, p), nil)
	if err != nil {
		return ledger.Response{}, err
	}
	defer func() { _ = tx.Rollback() }() // also when the work panics
	answer, err := work(context.WithValue(ctx, txKey{}, tx))
	refused, isRefused := ledger.AsRefused(err)
	switch {
	case p.failed != nil: // also where the work has overlooked it
		return ledger.Response{}, p.failed
	case isRefused:
		answer = refused
		p.abandon()
		p.log = nil
	case err != nil:
		return ledger.Response{}, err
	}
	return answer, p.do(context.WithoutCancel(ctx), true, func(ctx context.Context, tx *sql.Tx) error { return t.keepIn(ctx, tx, r, answer) })
}

// free reads whether a key can be worked on now. It waits for no write.
func (s *Store) free(ctx context.Context, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	row, until, err := scan(s.known.QueryRowContext(ctx, r.Principal, r.Route, r.Key.Key))
	if errors.Is(err, sql.ErrNoRows) {
		return ledger.Reserved, ledger.Response{}, nil
	}
	if err != nil {
		return 0, ledger.Response{}, err
	}
	state, answer, err := row.State(r)
	if over := until < time.Now().UnixMilli(); over && (row.Status != nil || state == ledger.InFlight) {
		return ledger.Reserved, ledger.Response{}, nil
	}
	return state, answer, err
}

// keepIn writes the answer of a key that is free still.
func (s *Store) keepIn(ctx context.Context, tx *sql.Tx, r ledger.Reservation, a ledger.Response) error {
	now := time.Now()
	result, err := tx.StmtContext(ctx, s.keepNew).ExecContext(ctx, r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], now.Add(s.keep).UnixMilli(), now.UnixMilli(), a.Status, a.HeaderText(), a.Body)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err != nil || n != 1 {
		return errors.Join(ledger.ErrLost, err)
	}
	return nil
}

type txKey struct{}

// Tx is the transaction of the work that a TransactionStore does; nil outside of it. The
// work neither commits nor rolls it back: it returns an error instead.
//
// It begins at its first statement. While the work computes or waits for long, others write;
// its next statement then repeats the earlier ones. Where they would give other rows, errors,
// or numbers that the work has looked at, the work is done again, or fails with
// [ledger.ErrBusy] where it has taken long. So slow things come before the first statement,
// or the rows have ids of the work's own. The rows of a query are read to their end at once.
func Tx(ctx context.Context) *sql.Tx {
	tx, _ := ctx.Value(txKey{}).(*sql.Tx)
	return tx
}
