package sqlite

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"net/url"
	"os"
	"time"

	"leanwicket.dev/ledger"
)

// Options of a store.
type Options struct {
	Keep time.Duration // how long an answer is kept; 0 means a day
}

// Store is a ledger.Store. One transaction writes at a time, and those who wait for the disk share
// one flush.
type Store struct {
	writer  *sql.DB // one connection, for which the writers of this process queue
	readers *sql.DB
	disk    disk
	claims  claims
	keep    time.Duration
	sweep   sweep // of the writer

	reserve, keepNew, look, settle, release, windowEnd, prune, mark, unmark *sql.Stmt
	known                                                                   *sql.Stmt // of a reader
}

const schema = `CREATE TABLE IF NOT EXISTS leanwicket_keys (
	principal TEXT NOT NULL, route TEXT NOT NULL, key TEXT NOT NULL,
	fingerprint BLOB NOT NULL, owner BLOB NOT NULL,
	until INTEGER NOT NULL, -- the end of the lease, or of the answer: milliseconds since 1970
	status INTEGER, header TEXT, body BLOB, -- NULL: not settled
	PRIMARY KEY (principal, route, key)
);
DROP INDEX IF EXISTS leanwicket_keys_until`

// DSN names a file as the driver wants it: written ahead, synchronous at each
// commit, a write lock from the beginning of a transaction.
func DSN(path string) string { return dsn(path, "busy_timeout(10000)", "synchronous(FULL)") }

func dsn(path string, pragmas ...string) string {
	values := url.Values{"_pragma": append(pragmas, "journal_mode(WAL)"), "_txlock": {"immediate"}}
	return "file:" + (&url.URL{Path: path}).EscapedPath() + "?" + values.Encode()
}

// Open opens the file, and makes it and the table of keys where they are missing.
func Open(path string, o Options) (store *Store, err error) {
	s := &Store{keep: cmp.Or(o.Keep, 24*time.Hour), claims: claims{held: map[ledger.Key]chan struct{}{}}}
	defer func() {
		if err != nil {
			err = errors.Join(fmt.Errorf("opening the ledger in %s: %w", path, err), s.Close())
		}
	}()
	if s.writer, err = sql.Open("sqlite", dsn(path, "busy_timeout(100)", "synchronous(NORMAL)")); err != nil { // see disk
		return nil, err
	}
	s.writer.SetMaxOpenConns(1)
	if s.readers, err = sql.Open("sqlite", DSN(path)); err != nil {
		return nil, err
	}
	s.readers.SetMaxOpenConns(4)
	if err = s.prepare(); err != nil {
		return nil, err
	}
	if s.disk.log, err = os.OpenFile(path+"-wal", os.O_RDWR, 0); err != nil {
		return nil, err
	}
	s.claims.file, err = openLocks(path + "-claims")
	return s, err
}

const look = `SELECT fingerprint, owner, status, header, body, until FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ?`

// takeOver is where a key that is known can be worked on: its answer is no longer kept, or the
// lease of work with the same values has run out.
const takeOver = `leanwicket_keys.until < ?7 AND (status IS NOT NULL OR fingerprint = excluded.fingerprint)`

// own is where whoever asks holds the claim already: its lease begins anew.
const own = ` OR status IS NULL AND leanwicket_keys.owner = excluded.owner AND fingerprint = excluded.fingerprint`

func (s *Store) prepare() error {
	if _, err := s.readers.Exec(schema); err != nil { // which waits for others longer than the writer
		return err
	}
	for _, statement := range []struct {
		is   **sql.Stmt
		of   *sql.DB
		text string
	}{
		{&s.reserve, s.writer, `INSERT INTO leanwicket_keys (principal, route, key, fingerprint, owner, until) VALUES (?1, ?2, ?3, ?4, ?5, ?6)
			ON CONFLICT DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = NULL, header = NULL, body = NULL
			WHERE ` + takeOver + own},
		{&s.keepNew, s.writer, `INSERT INTO leanwicket_keys (principal, route, key, fingerprint, owner, until, status, header, body) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?8, ?9, ?10)
			ON CONFLICT DO UPDATE SET fingerprint = excluded.fingerprint, owner = excluded.owner, until = excluded.until, status = excluded.status, header = excluded.header, body = excluded.body
			WHERE ` + takeOver},
		{&s.mark, s.writer, "SAVEPOINT work"},
		{&s.unmark, s.writer, "RELEASE work"},
		{&s.look, s.writer, look},
		{&s.known, s.readers, look},
		{&s.settle, s.writer, `UPDATE leanwicket_keys SET status = ?, header = ?, body = ?, until = ? WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`},
		{&s.release, s.writer, `DELETE FROM leanwicket_keys WHERE principal = ? AND route = ? AND key = ? AND owner = ? AND status IS NULL`},
		{&s.windowEnd, s.writer, `SELECT principal, route, key FROM leanwicket_keys WHERE (principal, route, key) > (?, ?, ?) ORDER BY principal, route, key LIMIT 1 OFFSET ?`},
		// What is over: an answer that is no longer kept, and work that was given up as long ago.
		{&s.prune, s.writer, `DELETE FROM leanwicket_keys WHERE (principal, route, key) > (?3, ?4, ?5) AND (principal, route, key) <= (?6, ?7, ?8)
			AND until < ?1 AND (status IS NOT NULL OR until < ?2)`},
	} {
		prepared, err := statement.of.Prepare(statement.text)
		if err != nil {
			return err
		}
		*statement.is = prepared
	}
	return nil
}

// Close ends the store after the writing that goes on. To close it again does nothing.
func (s *Store) Close() error {
	var failed []error
	for _, part := range []io.Closer{s.claims.file, s.readers, s.writer, s.disk.log} {
		if err := part.Close(); err != nil && !errors.Is(err, os.ErrClosed) && !errors.Is(err, os.ErrInvalid) {
			failed = append(failed, err)
		}
	}
	return errors.Join(failed...)
}

// Reserve implements [ledger.Store].
func (s *Store) Reserve(ctx context.Context, r ledger.Reservation) (state ledger.State, answer ledger.Response, err error) {
	err = s.write(ctx, func(w *writing) error {
		now := time.Now()
		if _, err := w.Stmt(s.reserve).Exec(r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], now.Add(r.Lease).UnixMilli(), now.UnixMilli()); err != nil {
			return err
		}
		row, _, err := scan(w.Stmt(s.look).QueryRow(r.Principal, r.Route, r.Key.Key))
		if err != nil {
			return err
		}
		state, answer, err = row.State(r)
		return err
	})
	return state, answer, err
}

// keepIn writes the answer of a key that is free still. Whoever inserts it first has the key, and
// the others' INSERT writes nothing.
func (s *Store) keepIn(w *writing, r ledger.Reservation, a ledger.Response) error {
	now := time.Now()
	n, err := changed(w.Stmt(s.keepNew).Exec(r.Principal, r.Route, r.Key.Key, r.Fingerprint[:], r.Owner[:], now.Add(s.keep).UnixMilli(), now.UnixMilli(), a.Status, a.HeaderText(), a.Body))
	if err == nil && n != 1 {
		err = errTaken
	}
	return err
}

// changed is how many rows a statement has changed.
func changed(result sql.Result, err error) (int, error) {
	if err != nil {
		return 0, err
	}
	n, err := result.RowsAffected()
	return int(n), err
}

func scan(found *sql.Row) (row ledger.Row, until int64, err error) {
	err = found.Scan(&row.Fingerprint, &row.Owner, &row.Status, &row.Header, &row.Body, &until)
	return row, until, err
}

// Settle implements [ledger.Store].
func (s *Store) Settle(ctx context.Context, r ledger.Reservation, a ledger.Response) error {
	return s.write(ctx, func(w *writing) error {
		n, err := changed(w.Stmt(s.settle).Exec(a.Status, a.HeaderText(), a.Body, time.Now().Add(s.keep).UnixMilli(), r.Principal, r.Route, r.Key.Key, r.Owner[:]))
		if err == nil && n != 1 {
			err = ledger.ErrLost
		}
		return err
	})
}

// Find implements [ledger.Store]. It waits for no write.
func (s *Store) Find(ctx context.Context, k ledger.Key) (*ledger.Kept, error) {
	row, until, err := scan(s.known.QueryRowContext(ctx, k.Principal, k.Route, k.Key))
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return nil, nil
	case err != nil:
		return nil, err
	case row.Status == nil || until < time.Now().UnixMilli():
		return nil, nil
	}
	return row.Kept()
}

// Release implements [ledger.Store].
func (s *Store) Release(ctx context.Context, r ledger.Reservation) error {
	return s.write(ctx, func(w *writing) error {
		_, err := w.Stmt(s.release).Exec(r.Principal, r.Route, r.Key.Key, r.Owner[:])
		return err
	})
}

// Write does something else in the same file, in the queue of the store's own transactions. What
// do does is taken back where it returns an error or panics, and where it takes longer than 10 s.
func (s *Store) Write(ctx context.Context, do func(context.Context, *sql.Tx) error) error {
	return s.write(ctx, func(w *writing) error { return do(ctx, w.Tx) })
}

// free reads whether a key can be worked on now. It waits for no write.
func (s *Store) free(ctx context.Context, r ledger.Reservation) (ledger.State, ledger.Response, error) {
	row, until, err := scan(s.known.QueryRowContext(context.WithoutCancel(ctx), r.Principal, r.Route, r.Key.Key))
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
