package postgres_test

import (
	"context"
	"fmt"
	"os"

	"github.com/jackc/pgx/v5/pgxpool"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/postgres"
)

// The work writes in the transaction that keeps its answer. The example needs a server,
// so that it is compiled and not run.
func ExampleStore_InTransaction() {
	ctx := context.Background()
	pool, err := pgxpool.New(ctx, os.Getenv("DATABASE_URL"))
	if err != nil {
		fmt.Println(err)
		return
	}
	defer pool.Close()
	store, err := postgres.New(ctx, pool, postgres.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	answer, repeated, err := ledger.Once(ctx, store.InTransaction(), ledger.Reservation{Key: ledger.Key{Key: "3f1c"}}, ledger.Options{},
		func(ctx context.Context) (ledger.Response, error) {
			_, err := postgres.Tx(ctx).Exec(ctx, "INSERT INTO permits VALUES ('Heron')")
			return ledger.Response{Status: 201}, err
		})
	fmt.Println(answer.Status, repeated, err)
}
