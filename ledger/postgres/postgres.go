package postgres

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"sync/atomic"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"

	"leanwicket.dev/ledger"
)

// Options of a store.
type Options struct {
	Keep time.Duration // how long an answer is kept; 0 means a day
}

// Store is a ledger.Store. Leases run by the database's clock.
type Store struct {
	pool   *pgxpool.Pool
	keep   time.Duration
	pruned atomic.Int64 // when, in milliseconds since 1970
}

const schema = `CREATE TABLE IF NOT EXISTS leanwicket_keys (
	principal text NOT NULL, route text NOT NULL, key text NOT NULL,
	fingerprint bytea NOT NULL, owner bytea NOT NULL,
	until timestamptz NOT NULL, -- the end of the lease, or of the answer
	status integer, header text, body bytea, -- NULL: not settled
	PRIMARY KEY (principal, route, key)
);
CREATE INDEX IF NOT EXISTS leanwicket_keys_until ON leanwicket_keys (until)`

// New makes a store of a database's connections, and the table of keys where it
// is missing. Close the pool after the last use.
func New(ctx context.Context, pool *pgxpool.Pool, o Options) (*Store, error) {
	s := &Store{pool: pool, keep: cmp.Or(o.Keep, 24*time.Hour)}
	err := pgx.BeginFunc(ctx, pool, func(tx pgx.Tx) error {
		// Two processes may begin at once, and IF NOT EXISTS does not wait.
		if _, err := tx.Exec(ctx, "SELECT pg_advisory_xact_lock(hashtext('leanwicket_keys'))"); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, schema)
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("opening the ledger: %w", err)
	}
	return s, nil
}

// Reserve implements [ledger.Store].
func (s *Store) Reserve(ctx context.Context, r ledger.Reservation) (state ledger.State, answer ledger.Response, err error) {
	batch := &pgx.Batch{}
	// What is over is taken over: an answer that is no longer kept, or work whose
	// lease has run out, by the same values. The owner's own lease begins anew.
	batch.Queue(`INSERT INTO leanwicket_keys AS known (principal, route, key, fingerprint, owner, until) VALUES ($1, $2, $3, $4, $5, now() + $6::bigint * interval '1 microsecond')
		ON CONFLICT (principal, route, key) DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = NULL, header = NULL, body = NULL
		WHERE known.until < now() AND (known.status IS NOT NULL OR known.fingerprint = excluded.fingerprint)
			OR known.status IS NULL AND known.owner = excluded.owner AND known.fingerprint = excluded.fingerprint`,
		r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], r.Lease.Microseconds())
	batch.Queue(`SELECT fingerprint, owner, status, header, body FROM leanwicket_keys WHERE principal = $1 AND route = $2 AND key = $3`,
		r.Principal, r.Route, r.Key.Key).QueryRow(func(row pgx.Row) error {
		var found ledger.Row
		if err := row.Scan(&found.Fingerprint, &found.Owner, &found.Status, &found.Header, &found.Body); err != nil {
			return err
		}
		state, answer, err = found.State(r)
		return err
	})
	err = s.pool.SendBatch(ctx, batch).Close()
	return state, answer, err
}

const settle = `UPDATE leanwicket_keys SET status = $1, header = $2, body = $3, until = now() + $4::bigint * interval '1 microsecond'
	WHERE principal = $5 AND route = $6 AND key = $7 AND owner = $8 AND status IS NULL`

func (s *Store) settled(r ledger.Reservation, a ledger.Response) []any {
	return []any{a.Status, a.HeaderText(), a.Body, s.keep.Microseconds(), r.Principal, r.Route, r.Key.Key, r.Owner[:]}
}

// Settle implements [ledger.Store].
func (s *Store) Settle(ctx context.Context, r ledger.Reservation, a ledger.Response) error {
	tag, err := s.pool.Exec(ctx, settle, s.settled(r, a)...)
	if err == nil && tag.RowsAffected() != 1 {
		err = ledger.ErrLost
	}
	s.pruneNow()
	return err
}

// Find implements [ledger.Store].
func (s *Store) Find(ctx context.Context, k ledger.Key) (*ledger.Kept, error) {
	var row ledger.Row
	err := s.pool.QueryRow(ctx, `SELECT fingerprint, status, header, body FROM leanwicket_keys WHERE principal = $1 AND route = $2 AND key = $3 AND status IS NOT NULL AND until >= now()`,
		k.Principal, k.Route, k.Key).Scan(&row.Fingerprint, &row.Status, &row.Header, &row.Body)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return row.Kept()
}

// Release implements [ledger.Store].
func (s *Store) Release(ctx context.Context, r ledger.Reservation) error {
	_, err := s.pool.Exec(ctx, `DELETE FROM leanwicket_keys WHERE principal = $1 AND route = $2 AND key = $3 AND owner = $4 AND status IS NULL`,
		r.Principal, r.Route, r.Key.Key, r.Owner[:])
	return err
}

// Prune forgets the answers that are no longer kept, and work that was given up as long ago;
// it says how many. They go by themselves too, a few a second while answers come.
func (s *Store) Prune(ctx context.Context) (int, error) {
	for pruned := 0; ; {
		n, err := s.pruneSome(ctx, 1000)
		if pruned += n; err != nil || n == 0 {
			return pruned, err
		}
	}
}

func (s *Store) pruneSome(ctx context.Context, most int) (int, error) {
	tag, err := s.pool.Exec(ctx, `DELETE FROM leanwicket_keys WHERE ctid = ANY (ARRAY(
		SELECT ctid FROM leanwicket_keys WHERE until < now() AND (status IS NOT NULL OR until < now() - $1::bigint * interval '1 microsecond')
		LIMIT $2 FOR UPDATE SKIP LOCKED))`, s.keep.Microseconds(), most)
	return int(tag.RowsAffected()), err
}

// pruneNow forgets some keys that are over, beside what goes on, at most once a second.
func (s *Store) pruneNow() {
	last, now := s.pruned.Load(), time.Now().UnixMilli()
	if now-last < 1000 || !s.pruned.CompareAndSwap(last, now) {
		return
	}
	go func() {
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		_, _ = s.pruneSome(ctx, 1000) // what stays goes with the next
	}()
}

// InTransaction is the store as one whose work commits with its answer. The work's own
// tables are in the same database, and it reaches them through Tx.
func (s *Store) InTransaction() TransactionStore { return TransactionStore{s} }

// TransactionStore is a ledger.Transactional. While a submission is worked on, a repeat
// waits for the lock of its key. Beside the work's own it takes two round trips, of which
// [Last] saves one.
type TransactionStore struct{ *Store }

// Transact implements [ledger.Transactional]. Where no connection is free within patience, and
// at least within a second, the error is [ledger.ErrBusy].
func (t TransactionStore) Transact(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (ledger.State, ledger.Response, error) {
	for {
		state, answer, err := t.transact(ctx, r, patience, work)
		if !errors.Is(err, ledger.ErrLost) { // else another's answer is there now
			return state, answer, err
		}
	}
}

func (t TransactionStore) transact(ctx context.Context, r ledger.Reservation, patience time.Duration, work ledger.Work) (ledger.State, ledger.Response, error) {
	waiting, cancel := context.WithTimeout(ctx, max(patience, time.Second))
	defer cancel()
	connection, err := t.pool.Acquire(waiting)
	if err != nil {
		if waiting.Err() != nil && ctx.Err() == nil {
			err = fmt.Errorf("%w: no connection is free: %w", ledger.ErrBusy, err)
		}
		return 0, ledger.Response{}, err
	}
	defer connection.Release()
	committed := false
	defer func() {
		if !committed { // also when the work panics; a connection that cannot roll back is dropped when it is released
			end, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
			defer cancel()
			_, _ = connection.Exec(end, "ROLLBACK")
		}
	}()
	locked, found, err := begin(ctx, connection, r, tryLock)
	if err == nil && !locked { // another works on it
		if _, err = connection.Exec(ctx, "ROLLBACK"); err == nil {
			_, found, err = begin(ctx, connection, r, waitFor(patience))
		}
	}
	if failedWith(err, "55P03") { // lock_not_available
		return ledger.InFlight, ledger.Response{}, nil
	}
	if err != nil {
		return 0, ledger.Response{}, err
	}
	if state, answer, err := found.state(r); err != nil || state != ledger.Reserved {
		return state, answer, err
	}
	last := &pgx.Batch{}
	answer, err := work(context.WithValue(ctx, txKey{}, &transaction{connection, last}))
	refused, isRefused := ledger.AsRefused(err)
	switch {
	case isRefused:
		answer = refused
		if _, err := connection.Exec(ctx, "ROLLBACK"); err != nil { // by itself: after a statement that has failed nothing can be prepared
			return 0, ledger.Response{}, err
		}
		last = &pgx.Batch{}
		last.Queue(beginning)
	case err != nil:
		return 0, ledger.Response{}, err
	}
	if err := t.keepAndCommit(ctx, connection, last, r, answer, found.there); err != nil {
		return 0, ledger.Response{}, err
	}
	committed = true
	t.pruneNow()
	return ledger.Reserved, answer, nil
}

// A key is locked by its hash while it is worked on, so that nothing need be reserved.
const (
	lockSpace int32 = 0x6c776b79 // apart from the locks of the application

	beginning = "BEGIN ISOLATION LEVEL READ COMMITTED" // what another has just committed is to be seen
	tryLock   = "SELECT pg_try_advisory_xact_lock($1, hashtext($2))"
)

// waitFor locks a key that another works on, when that has ended.
func waitFor(patience time.Duration) string {
	return fmt.Sprintf("SELECT true FROM (SELECT set_config('lock_timeout', '%dms', true), pg_advisory_xact_lock($1, hashtext($2))) AS waited", max(1, patience.Milliseconds()))
}

// known is what the table knows of a key.
type known struct {
	ledger.Row
	there, over bool
}

// state says what to do about a key whose lock is held.
func (k known) state(r ledger.Reservation) (ledger.State, ledger.Response, error) {
	if !k.there {
		return ledger.Reserved, ledger.Response{}, nil
	}
	state, answer, err := k.State(r)
	if k.over && (k.Status != nil || state == ledger.InFlight) {
		state, answer = ledger.Reserved, ledger.Response{}
	}
	return state, answer, err
}

// begin begins a transaction, locks a key and reads it, in one round trip.
func begin(ctx context.Context, on Queryer, r ledger.Reservation, lock string) (locked bool, found known, err error) {
	batch := &pgx.Batch{}
	batch.Queue(beginning)
	batch.Queue(lock, lockSpace, fmt.Sprintf("%q %q %q", r.Principal, r.Route, r.Key.Key)).QueryRow(func(row pgx.Row) error { return row.Scan(&locked) })
	batch.Queue(`SELECT fingerprint, owner, status, header, body, until < now() FROM leanwicket_keys WHERE principal = $1 AND route = $2 AND key = $3`,
		r.Principal, r.Route, r.Key.Key).QueryRow(func(row pgx.Row) error {
		err := row.Scan(&found.Fingerprint, &found.Owner, &found.Status, &found.Header, &found.Body, &found.over)
		if found.there = err == nil; errors.Is(err, pgx.ErrNoRows) {
			return nil
		}
		return err
	})
	err = on.SendBatch(ctx, batch).Close()
	return locked, found, err
}

const (
	keep = `INSERT INTO leanwicket_keys AS known (status, header, body, until, principal, route, key, owner, fingerprint)
		VALUES ($1, $2, $3, now() + $4::bigint * interval '1 microsecond', $5, $6, $7, $8, $9)`
	// Where what is over was renewed meanwhile, this divides by zero.
	keepInstead = `WITH kept AS (` + keep + `
			ON CONFLICT (principal, route, key) DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = excluded.status, header = excluded.header, body = excluded.body
			WHERE known.until < now() RETURNING 1)
		SELECT 1 / count(*) FROM kept`
)

// keepAndCommit writes the answer and commits in one round trip, after what is queued. The
// commit is not reached where the key was taken meanwhile, by a store that reserves.
func (t TransactionStore) keepAndCommit(ctx context.Context, on Queryer, batch *pgx.Batch, r ledger.Reservation, a ledger.Response, instead bool) error {
	statement := keep
	if instead {
		statement = keepInstead
	}
	batch.Queue(statement, append(t.settled(r, a), r.Fingerprint[:])...)
	batch.Queue("COMMIT")
	err := on.SendBatch(ctx, batch).Close()
	var failed *pgconn.PgError
	if failedWith(err, "22012") || errors.As(err, &failed) && failed.Code == "23505" && failed.TableName == "leanwicket_keys" { // division_by_zero, unique_violation
		return ledger.ErrLost
	}
	return err
}

func failedWith(err error, code string) bool {
	var failed *pgconn.PgError
	return errors.As(err, &failed) && failed.Code == code
}

// Queryer is what work does in its transaction. It neither commits nor rolls it
// back: it returns an error instead.
type Queryer interface {
	Exec(ctx context.Context, sql string, arguments ...any) (pgconn.CommandTag, error)
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	SendBatch(context.Context, *pgx.Batch) pgx.BatchResults
}

// transaction is what the work finds in its context.
type transaction struct {
	Queryer
	last *pgx.Batch
}

type txKey struct{}

// Tx returns the transaction of the work that a TransactionStore does. Outside of such work it returns
// nil.
func Tx(ctx context.Context) Queryer {
	if tx, inside := ctx.Value(txKey{}).(*transaction); inside {
		return tx.Queryer
	}
	return nil
}

// Last is a statement of the work whose result it does not need. It is sent with the answer and
// the COMMIT, which saves a round trip. Where it fails nothing takes effect, and the submission
// can be sent again: a statement whose failure means a refusal, such as an insert of a name that
// may be taken, belongs to Tx. It panics outside of the work of a TransactionStore.
func Last(ctx context.Context, statement string, arguments ...any) {
	ctx.Value(txKey{}).(*transaction).last.Queue(statement, arguments...)
}
