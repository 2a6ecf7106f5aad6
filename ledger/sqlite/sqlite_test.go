package sqlite_test

import (
	"context"
	"database/sql"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/sqlite"
)

func open(t *testing.T, keep time.Duration) (*sqlite.Store, *sql.DB) {
	return openIn(t, t.TempDir(), keep)
}

func openIn(t *testing.T, dir string, keep time.Duration) (*sqlite.Store, *sql.DB) {
	path := filepath.Join(dir, "it's 50% full?.db")
	store, err := sqlite.Open(path, sqlite.Options{Keep: keep})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, store.Close()) })
	db, err := sql.Open("sqlite", sqlite.DSN(path))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	return store, db
}

// execute runs a statement in the transaction of the work.
func execute(ctx context.Context, statement string, arguments ...any) error {
	tx, err := sqlite.Tx(ctx)
	if err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, statement, arguments...)
	return err
}

func TestSQLite(t *testing.T) {
	store, db := open(t, 0)
	conformance.Keys(t, store)
	_, err := db.Exec("CREATE TABLE effects (value TEXT)")
	require.NoError(t, err)
	write := func(ctx context.Context, value string) error {
		return execute(ctx, "INSERT INTO effects VALUES (?)", value)
	}
	count := func(value string) (n int) {
		require.NoError(t, db.QueryRow("SELECT count(*) FROM effects WHERE value = ?", value).Scan(&n))
		return n
	}
	_, err = db.Exec("DELETE FROM leanwicket_keys")
	require.NoError(t, err)
	conformance.Keys(t, store.InTransaction())
	conformance.Effects(t, store.InTransaction(), write, count)
}

func TestSQLiteForgets(t *testing.T) {
	store, db := open(t, 100*time.Millisecond)
	conformance.Forgets(t, store, store.Prune)
	conformance.ForgetsByItself(t, store.InTransaction(), func() (n int) {
		require.NoError(t, db.QueryRow("SELECT count(*) FROM leanwicket_keys").Scan(&n))
		return n
	})
}

// After Close nothing hangs.
func TestSQLiteClosed(t *testing.T) {
	store, err := sqlite.Open(filepath.Join(t.TempDir(), "keys.db"), sqlite.Options{})
	require.NoError(t, err)
	require.NoError(t, store.Close())
	require.NoError(t, store.Close(), "a second time")
	_, err = store.Prune(context.Background())
	require.ErrorContains(t, err, "closed")
	_, err = sqlite.Open(t.TempDir(), sqlite.Options{})
	require.ErrorContains(t, err, "opening the ledger in")
}

// begin does the work of a key, and tells how it ended.
func begin(store ledger.Store, key string, o ledger.Options, work ledger.Work) <-chan error {
	ended := make(chan error, 1)
	go func() {
		_, _, err := ledger.Once(context.Background(), store, ledger.Reservation{Key: ledger.Key{Key: key}}, o, work)
		ended <- err
	}()
	return ended
}

// inserts is work that writes one row.
func inserts(key string) ledger.Work {
	return func(ctx context.Context) (ledger.Response, error) {
		return ledger.Response{Status: 201}, execute(ctx, "INSERT INTO permits VALUES (?)", key)
	}
}

// Work that waits before it asks for its transaction holds up nobody. Work that waits after it holds
// up others until its limit: they are told that the database is busy, which is true, and their next try
// is done. Nothing is left of work that was too slow, also where it goes on and overlooks that.
func TestSlowWork(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE permits (key TEXT)")
	require.NoError(t, err)
	count := func(key string) (n int) {
		require.NoError(t, db.QueryRow("SELECT count(*) FROM permits WHERE key = ?", key).Scan(&n))
		return n
	}
	waits, goes := make(chan bool), make(chan bool)
	before := begin(store.InTransaction(), "before", ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
		waits <- true
		<-goes
		return inserts("before")(ctx)
	})
	<-waits
	for k := range 10 {
		require.NoError(t, <-begin(store.InTransaction(), fmt.Sprint("meanwhile", k), ledger.Options{}, inserts("meanwhile")))
	}
	goes <- true
	require.NoError(t, <-before)
	require.Equal(t, []int{1, 10}, []int{count("before"), count("meanwhile")})

	limit := 2 * time.Second
	after := begin(store.InTransaction(), "after", ledger.Options{Limit: limit}, func(ctx context.Context) (ledger.Response, error) {
		response, err := inserts("after")(ctx)
		waits <- true
		<-goes // it does not look at its context
		return response, err
	})
	<-waits
	busy := 0
	for tried := 0; ; tried++ {
		err := <-begin(store.InTransaction(), "held up", ledger.Options{}, inserts("held up"))
		if err == nil {
			break
		}
		require.ErrorIs(t, err, ledger.ErrBusy)
		require.Zero(t, count("held up"))
		require.Less(t, tried, 5, "the limit has ended long ago")
		busy++
	}
	require.LessOrEqual(t, busy, 1, "a submission waits three seconds for others")
	goes <- true
	require.ErrorIs(t, <-after, ledger.ErrBusy)
	require.Equal(t, []int{0, 1}, []int{count("after"), count("held up")})
	require.NoError(t, <-begin(store.InTransaction(), "after", ledger.Options{}, inserts("after")))
	require.Equal(t, 1, count("after"))
}

// Works read a number, wait a little or not, and write it one higher. What they have read still
// holds when they commit.
func TestWorkSeesWhatHolds(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE berths (id INTEGER PRIMARY KEY, taken INTEGER); INSERT INTO berths VALUES (1, 0)")
	require.NoError(t, err)
	var all sync.WaitGroup
	for k := range 100 {
		all.Go(func() {
			err := <-begin(store.InTransaction(), fmt.Sprint(k), ledger.Options{Patience: time.Minute}, func(ctx context.Context) (ledger.Response, error) {
				tx, err := sqlite.Tx(ctx)
				if err != nil {
					return ledger.Response{}, err
				}
				var taken int
				if err := tx.QueryRowContext(ctx, "SELECT taken FROM berths WHERE id = ?", 1).Scan(&taken); err != nil {
					return ledger.Response{}, err
				}
				if k%3 == 0 {
					time.Sleep(time.Millisecond)
				}
				return ledger.Response{Status: 201}, execute(ctx, "UPDATE berths SET taken = :taken WHERE id = 1", sql.Named("taken", taken+1))
			})
			if err != nil {
				t.Error(err)
			}
		})
	}
	all.Wait()
	var taken int64
	require.NoError(t, db.QueryRow("SELECT taken FROM berths").Scan(&taken))
	require.EqualValues(t, 100, taken)
}

// SQLite takes a transaction back as a whole where one of its statements is interrupted. Work that
// overlooks that is not accepted.
func TestAnInterruptedStatement(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE permits (key TEXT)")
	require.NoError(t, err)
	work := func(ctx context.Context) (ledger.Response, error) {
		if err := execute(ctx, "INSERT INTO permits VALUES ('first')"); err != nil {
			return ledger.Response{}, err
		}
		soon, cancel := context.WithTimeout(ctx, 20*time.Millisecond)
		defer cancel()
		_ = execute(soon, "INSERT INTO permits WITH RECURSIVE n(k) AS (SELECT 1 UNION ALL SELECT k + 1 FROM n) SELECT k FROM n")
		return ledger.Response{Status: 201}, nil
	}
	require.ErrorContains(t, <-begin(store.InTransaction(), "key", ledger.Options{}, work), "the transaction of the work is over")
	require.NoError(t, <-begin(store.InTransaction(), "key", ledger.Options{}, inserts("second")))
	var keys string
	require.NoError(t, db.QueryRow("SELECT group_concat(key) FROM permits").Scan(&keys))
	require.Equal(t, "second", keys)
}

// A transaction is there for its work alone, and the work does not wait for itself.
func TestTxOutsideOfItsWork(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE permits (key TEXT)")
	require.NoError(t, err)
	_, err = sqlite.Tx(t.Context())
	require.ErrorIs(t, err, sqlite.ErrOutside)
	var escaped context.Context
	beside := func(ctx context.Context) error {
		return store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error {
			_, err := tx.ExecContext(ctx, "INSERT INTO permits VALUES ('beside')")
			return err
		})
	}
	require.NoError(t, <-begin(store.InTransaction(), "key", ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
		escaped = ctx
		require.NoError(t, beside(ctx), "before it has asked for its own")
		require.NoError(t, execute(ctx, "INSERT INTO permits VALUES ('own')"))
		require.ErrorContains(t, beside(ctx), "right would be the transaction of Tx")
		return ledger.Response{Status: 201}, nil
	}))
	require.ErrorIs(t, execute(escaped, "INSERT INTO permits VALUES ('late')"), sqlite.ErrOutside)
	var keys string
	require.NoError(t, db.QueryRow("SELECT group_concat(key) FROM permits").Scan(&keys))
	require.Equal(t, "beside,own", keys)
}

// Another program that holds the file makes it busy: nobody is told that the submission is being
// worked on, and what is known already is read.
func TestALockedFileIsBusy(t *testing.T) {
	store, db := open(t, 0)
	done := func(context.Context) (ledger.Response, error) { return ledger.Response{Status: 201}, nil }
	require.NoError(t, <-begin(store.InTransaction(), "before", ledger.Options{}, done))
	db.SetMaxOpenConns(1)
	held, err := db.Begin() // of immediate effect
	require.NoError(t, err)
	require.ErrorIs(t, <-begin(store.InTransaction(), "meanwhile", ledger.Options{}, done), ledger.ErrBusy)
	known, err := store.Find(t.Context(), ledger.Key{Key: "before"})
	require.NoError(t, err)
	require.NotNil(t, known)
	require.NoError(t, held.Rollback())
	require.NoError(t, <-begin(store.InTransaction(), "meanwhile", ledger.Options{}, done))
}

// A disk of two megabytes is full in the middle of submissions, of eight at a time. Those that were
// accepted are there, and once. The others left nothing. With more room a repeat of each has one
// effect.
func TestAFullDisk(t *testing.T) {
	dir := t.TempDir()
	mount := func(arguments ...string) error {
		output, err := exec.Command("mount", append(arguments, dir)...).CombinedOutput()
		if err != nil {
			err = fmt.Errorf("%w: %s", err, output)
		}
		return err
	}
	if err := mount("-t", "tmpfs", "-o", "size=2m", "tmpfs"); err != nil {
		t.Skip("needs the right to mount a small disk: ", err)
	}
	t.Cleanup(func() { _ = exec.Command("umount", dir).Run() })
	store, db := openIn(t, dir, 0)
	_, err := db.Exec("CREATE TABLE permits (key TEXT, body TEXT)")
	require.NoError(t, err)
	const submissions = 800
	submit := func(key int) error {
		return <-begin(store.InTransaction(), fmt.Sprint(key), ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
			return ledger.Response{Status: 201}, execute(ctx, "INSERT INTO permits VALUES (?, ?)", key, strings.Repeat("x", 2000))
		})
	}
	all := func() (accepted map[int]bool) {
		accepted = map[int]bool{}
		var mu sync.Mutex
		var applicants sync.WaitGroup
		for applicant := range 8 {
			applicants.Go(func() {
				for key := applicant; key < submissions; key += 8 {
					if err := submit(key); err == nil {
						mu.Lock()
						accepted[key] = true
						mu.Unlock()
					}
				}
			})
		}
		applicants.Wait()
		return accepted
	}
	stored := func() (keys map[int]bool) {
		keys = map[int]bool{}
		rows, err := db.Query("SELECT key FROM permits")
		require.NoError(t, err)
		defer rows.Close()
		for rows.Next() {
			var key int
			require.NoError(t, rows.Scan(&key))
			require.False(t, keys[key], "%d is there twice", key)
			keys[key] = true
		}
		require.NoError(t, rows.Err())
		return keys
	}
	accepted := all()
	require.Greater(t, len(accepted), submissions/10)
	require.Less(t, len(accepted), submissions)
	require.Equal(t, accepted, stored())
	require.NoError(t, mount("-o", "remount,size=16m"))
	require.Len(t, all(), submissions)
	require.Len(t, stored(), submissions)
}
