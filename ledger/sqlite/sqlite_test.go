package sqlite_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
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

func TestSQLite(t *testing.T) {
	store, db := open(t, 0)
	conformance.Keys(t, store)
	_, err := db.Exec("CREATE TABLE effects (value TEXT)")
	require.NoError(t, err)
	write := func(ctx context.Context, value string) error {
		_, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO effects VALUES (?)", value)
		return err
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
	require.ErrorContains(t, err, "the ledger is closed")
	_, err = sqlite.Open(t.TempDir(), sqlite.Options{})
	require.ErrorContains(t, err, "opening the ledger in")
}

// begin does the work of a key, and tells how it ended.
func begin(store ledger.Store, key string, work ledger.Work) <-chan error {
	ended := make(chan error, 1)
	go func() {
		_, _, err := ledger.Once(context.Background(), store, ledger.Reservation{Key: ledger.Key{Key: key}}, ledger.Options{}, work)
		ended <- err
	}()
	return ended
}

// Eight applicants, one of whose handlers waits after its first statement: the others are
// served meanwhile, also by a store of another process. Its own row has been seen by nobody
// before it is done.
func TestSlowWorkHoldsUpNobody(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE permits (key TEXT)")
	require.NoError(t, err)
	goes, wrote := make(chan bool), make(chan bool, 9)
	slow := begin(store.InTransaction(), "slow", func(ctx context.Context) (ledger.Response, error) {
		for range 2 {
			if _, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO permits VALUES ('slow')"); err != nil {
				return ledger.Response{}, err
			}
			wrote <- true
			<-goes
		}
		return ledger.Response{Status: 201}, store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error { // beside its own transaction
			_, err := tx.ExecContext(ctx, "INSERT INTO permits VALUES ('beside')")
			return err
		})
	})
	count := func(key string) (n int) {
		require.NoError(t, db.QueryRow("SELECT count(*) FROM permits WHERE key = ?", key).Scan(&n))
		return n
	}
	for round := range 2 {
		<-wrote
		var others []<-chan error
		for k := range 7 {
			others = append(others, begin(store.InTransaction(), fmt.Sprint(round, k), func(ctx context.Context) (ledger.Response, error) {
				_, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO permits VALUES ('other')")
				return ledger.Response{Status: 201}, err
			}))
		}
		for _, ended := range others {
			require.NoError(t, <-ended)
		}
		require.Zero(t, count("slow"))
		goes <- true
	}
	require.NoError(t, <-slow)
	require.Equal(t, []int{2, 14, 1}, []int{count("slow"), count("other"), count("beside")})
}

// Works read a number, wait a little or not, and write it one higher. What they have read still
// holds when they commit, or they are not done.
func TestWorkSeesWhatHolds(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE berths (id INTEGER PRIMARY KEY, taken INTEGER); INSERT INTO berths VALUES (1, 0)")
	require.NoError(t, err)
	works := make(chan int, 100)
	var all sync.WaitGroup
	var done, busy atomic.Int64
	for range 8 {
		all.Go(func() {
			for k := range works {
				err := <-begin(store.InTransaction(), fmt.Sprint(k), func(ctx context.Context) (ledger.Response, error) {
					tx := sqlite.Tx(ctx)
					var taken int
					if err := tx.QueryRowContext(ctx, "SELECT taken FROM berths WHERE id = ?", 1).Scan(&taken); err != nil {
						return ledger.Response{}, err
					}
					if k%3 == 0 {
						time.Sleep(time.Duration(k) * time.Millisecond)
					}
					_, err := tx.ExecContext(ctx, "UPDATE berths SET taken = :taken WHERE id = 1", sql.Named("taken", taken+1))
					return ledger.Response{Status: 201}, err
				})
				switch {
				case err == nil:
					done.Add(1)
				case errors.Is(err, ledger.ErrBusy):
					busy.Add(1)
				default:
					t.Error(err)
				}
			}
		})
	}
	for k := range 100 {
		works <- k
	}
	close(works)
	all.Wait()
	var taken int64
	require.NoError(t, db.QueryRow("SELECT taken FROM berths").Scan(&taken))
	require.Equal(t, done.Load(), taken)
	require.EqualValues(t, 100, done.Load()+busy.Load())
	t.Logf("%d done, %d told that the database is busy", done.Load(), busy.Load())
}

// Work that has looked at the number of its row, and waits, is not done where another has got
// that number meanwhile. Young work is done again.
func TestNumbersOfRows(t *testing.T) {
	store, db := open(t, 0)
	_, err := db.Exec("CREATE TABLE permits (id INTEGER PRIMARY KEY, key TEXT)")
	require.NoError(t, err)
	for _, old := range []bool{false, true} {
		key := fmt.Sprintf("old %t", old)
		wrote, goes := make(chan bool, 9), make(chan bool)
		runs, number := 0, int64(0)
		slow := begin(store.InTransaction(), key, func(ctx context.Context) (ledger.Response, error) {
			runs++
			result, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO permits (key) VALUES (?)", key)
			if err != nil {
				return ledger.Response{}, err
			}
			number, err = result.LastInsertId()
			wrote <- true
			<-goes
			if old {
				time.Sleep(300 * time.Millisecond)
			}
			return ledger.Response{Status: 201}, err
		})
		<-wrote
		require.NoError(t, <-begin(store.InTransaction(), key+" other", func(ctx context.Context) (ledger.Response, error) {
			_, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO permits (key) VALUES ('other')")
			return ledger.Response{Status: 201}, err
		}))
		close(goes)
		var is []int64
		err := <-slow
		rows, queried := db.Query("SELECT id FROM permits WHERE key = ?", key)
		require.NoError(t, queried)
		for rows.Next() {
			var id int64
			require.NoError(t, rows.Scan(&id))
			is = append(is, id)
		}
		require.NoError(t, rows.Close())
		if old || errors.Is(err, ledger.ErrBusy) { // a machine can be so slow that no work is young
			require.ErrorContains(t, err, "ids of one's own")
			require.Empty(t, is)
			require.Equal(t, 1, runs)
			continue
		}
		require.NoError(t, err)
		require.Equal(t, 2, runs)
		require.Equal(t, []int64{number}, is)
	}
}

// Another program that holds the file makes it busy: nobody is told that the submission is being
// worked on, and what is known already is read.
func TestALockedFileIsBusy(t *testing.T) {
	t.Parallel() // it waits as long as SQLite does
	store, db := open(t, 0)
	done := func(context.Context) (ledger.Response, error) { return ledger.Response{Status: 201}, nil }
	require.NoError(t, <-begin(store.InTransaction(), "before", done))
	db.SetMaxOpenConns(1)
	held, err := db.Begin() // of immediate effect
	require.NoError(t, err)
	require.ErrorIs(t, <-begin(store.InTransaction(), "meanwhile", done), ledger.ErrBusy)
	_, known, err := store.Find(t.Context(), ledger.Key{Key: "before"})
	require.NoError(t, err)
	require.True(t, known)
	require.NoError(t, held.Rollback())
	require.NoError(t, <-begin(store.InTransaction(), "meanwhile", done))
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
		return <-begin(store.InTransaction(), fmt.Sprint(key), func(ctx context.Context) (ledger.Response, error) {
			_, err := sqlite.Tx(ctx).ExecContext(ctx, "INSERT INTO permits VALUES (?, ?)", key, strings.Repeat("x", 2000))
			return ledger.Response{Status: 201}, err
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
