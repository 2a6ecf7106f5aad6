package sqlite_test

import (
	"context"
	"database/sql"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/sqlite"
)

func open(t *testing.T, keep time.Duration) (*sqlite.Store, *sql.DB) {
	path := filepath.Join(t.TempDir(), "it's 50% full?.db")
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
	store, _ := open(t, 100*time.Millisecond)
	conformance.Forgets(t, store, store.Prune)
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
