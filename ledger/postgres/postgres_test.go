package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"testing"
	"time"

	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/database"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/postgres"
)

// open opens a store in a database of its own, with so many connections; 0 means as many as usual.
func open(t *testing.T, connections int32) (*postgres.Store, *pgxpool.Pool) {
	config, err := pgxpool.ParseConfig(database.Postgres(t))
	require.NoError(t, err)
	if connections > 0 {
		config.MaxConns = connections
	}
	pool, err := pgxpool.NewWithConfig(context.Background(), config)
	require.NoError(t, err)
	t.Cleanup(pool.Close)
	store, err := postgres.New(context.Background(), pool, postgres.Options{})
	require.NoError(t, err)
	return store, pool
}

func TestPostgres(t *testing.T) {
	ctx := context.Background()
	store, pool := open(t, 0)
	conformance.Keys(t, store)
	_, err := pool.Exec(ctx, "CREATE TABLE effects (value text)")
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

	_, err = pool.Exec(ctx, "TRUNCATE leanwicket_keys, effects")
	require.NoError(t, err)
	conformance.Effects(t, store.InTransaction(), func(ctx context.Context, value string) error {
		postgres.Last(ctx, "INSERT INTO effects VALUES ($1)", value)
		return nil
	}, count)

	_, err = pool.Exec(ctx, "TRUNCATE leanwicket_keys")
	require.NoError(t, err)
	short, err := postgres.New(ctx, pool, postgres.Options{Keep: 100 * time.Millisecond})
	require.NoError(t, err)
	conformance.Forgets(t, short, short.Prune)
	conformance.ForgetsByItself(t, short.InTransaction(), func() (n int) {
		require.NoError(t, pool.QueryRow(ctx, "SELECT count(*) FROM leanwicket_keys").Scan(&n))
		return n
	})
}

// Work whose statement has failed can still be refused: the answer is kept, and nothing else.
func TestARefusalAfterAFailedStatement(t *testing.T) {
	ctx := context.Background()
	store, pool := open(t, 0)
	_, err := pool.Exec(ctx, "CREATE TABLE berths (berth text UNIQUE, vessel text); INSERT INTO berths VALUES ('7', 'Heron')")
	require.NoError(t, err)
	for k, berth := range []string{"7", "8", "7"} {
		r := ledger.Reservation{Key: ledger.Key{Key: berth}, Fingerprint: [32]byte{1}}
		answer, repeated, err := ledger.Once(ctx, store.InTransaction(), r, ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
			_, err := postgres.Tx(ctx).Exec(ctx, "INSERT INTO berths VALUES ($1, 'Egret')", berth)
			var failed *pgconn.PgError
			if errors.As(err, &failed) && failed.Code == "23505" { // unique_violation
				return ledger.Response{}, fmt.Errorf("the berth is taken: %w", ledger.Refused{Response: ledger.Response{Status: 422}})
			}
			return ledger.Response{Status: 201}, err
		})
		require.NoError(t, err)
		require.Equal(t, map[string]int{"7": 422, "8": 201}[berth], answer.Status)
		require.Equal(t, k == 2, repeated)
	}
	var egrets int
	require.NoError(t, pool.QueryRow(ctx, "SELECT count(*) FROM berths WHERE vessel = 'Egret'").Scan(&egrets))
	require.Equal(t, 1, egrets)
}

// What goes with the answer and fails leaves neither, and the key is given back.
func TestALastStatementThatFails(t *testing.T) {
	ctx := context.Background()
	store, pool := open(t, 0)
	_, err := pool.Exec(ctx, "CREATE TABLE berths (berth text UNIQUE)")
	require.NoError(t, err)
	take := func(berths ...string) error {
		_, _, err := ledger.Once(ctx, store.InTransaction(), ledger.Reservation{Key: ledger.Key{Key: "a"}}, ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
			for _, berth := range berths {
				postgres.Last(ctx, "INSERT INTO berths VALUES ($1)", berth)
			}
			return ledger.Response{Status: 201}, nil
		})
		return err
	}
	require.ErrorContains(t, take("7", "8", "7"), "23505")
	require.NoError(t, take("7", "8"))
	require.NoError(t, take("7", "8"), "it is answered from what was kept")
	var count int
	require.NoError(t, pool.QueryRow(ctx, "SELECT count(*) FROM berths").Scan(&count))
	require.Equal(t, 2, count)
}

// Where no connection is free the database is busy, and nobody is told that the submission is
// being worked on.
func TestNoConnectionIsFree(t *testing.T) {
	ctx := context.Background()
	store, pool := open(t, 1)
	held, err := pool.Acquire(ctx)
	require.NoError(t, err)
	defer held.Release()
	_, _, err = ledger.Once(ctx, store.InTransaction(), ledger.Reservation{Key: ledger.Key{Key: "a"}}, ledger.Options{Patience: -1}, nil)
	require.ErrorIs(t, err, ledger.ErrBusy)
}
