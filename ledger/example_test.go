package ledger_test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"time"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
)

// The work of a key is done once. A repeat gets the answer that was kept.
func ExampleOnce() {
	store := memory.New(24 * time.Hour)
	reservation := ledger.Reservation{Key: ledger.Key{Principal: "skipper-7", Route: "/berths", Key: "3f1c"}, Fingerprint: sha256.Sum256([]byte("Heron"))}
	for range 2 {
		answer, repeated, err := ledger.Once(context.Background(), store, reservation, ledger.Options{},
			func(context.Context) (ledger.Response, error) {
				fmt.Println("the berth is given")
				return ledger.Response{Status: 201}, nil
			})
		fmt.Println(answer.Status, repeated, err)
	}
	// Output:
	// the berth is given
	// 201 false <nil>
	// 201 true <nil>
}
