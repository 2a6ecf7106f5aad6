package postgres_test

import (
	"context"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/database"
	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/postgres"
)

func TestPostgres(t *testing.T) {
	ctx := context.Background()
	pool, err := pgxpool.New(ctx, database.Postgres(t))
	require.NoError(t, err)
	t.Cleanup(pool.Close)
	store, err := postgres.New(ctx, pool, postgres.Options{})
	require.NoError(t, err)
	conformance.Keys(t, store)
	_, err = pool.Exec(ctx, "CREATE TABLE effects (value text)")
	require.NoError(t, err)
	write := func(ctx context.Context, value string) error {
		_, err := postgres.Tx(ctx).Exec(ctx, "INSERT INTO effects VALUES ($1)", value)
		return err
	}
	count := func(value string) (n int) {
		require.NoError(t, pool.QueryRow(ctx, "SELECT count(*) FROM effects WHERE value = $1", value).Scan(&n))
		return n
	}
	_, err = pool.Exec(ctx, "TRUNCATE leanwicket_keys")
	require.NoError(t, err)
	conformance.Keys(t, store.InTransaction())
	conformance.Effects(t, store.InTransaction(), write, count)

	_, err = pool.Exec(ctx, "TRUNCATE leanwicket_keys")
	require.NoError(t, err)
	short, err := postgres.New(ctx, pool, postgres.Options{Keep: 100 * time.Millisecond})
	require.NoError(t, err)
	conformance.Forgets(t, short, short.Prune)
}
