package sqlite_test

import (
	"context"
	"database/sql"
	"fmt"
	"os"
	"path/filepath"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/sqlite"
)

// The work writes in the transaction that keeps its answer: whenever the program stops,
// a repeat finds both or neither.
func ExampleStore_InTransaction() {
	dir, err := os.MkdirTemp("", "")
	if err != nil {
		fmt.Println(err)
		return
	}
	defer os.RemoveAll(dir)
	store, err := sqlite.Open(filepath.Join(dir, "office.db"), sqlite.Options{})
	if err != nil {
		fmt.Println(err)
		return
	}
	defer store.Close()
	ctx := context.Background()
	err = store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, "CREATE TABLE permits (vessel TEXT)")
		return err
	})
	if err != nil {
		fmt.Println(err)
	}
	for range 2 {
		answer, repeated, err := ledger.Once(ctx, store.InTransaction(), ledger.Reservation{Key: ledger.Key{Key: "3f1c"}}, ledger.Options{},
			func(ctx context.Context) (ledger.Response, error) {
				tx, err := sqlite.Tx(ctx)
				if err != nil {
					return ledger.Response{}, err
				}
				_, err = tx.ExecContext(ctx, "INSERT INTO permits VALUES ('Heron')")
				return ledger.Response{Status: 201}, err
			})
		fmt.Println(answer.Status, repeated, err)
	}
	// Output:
	// 201 false <nil>
	// 201 true <nil>
}
