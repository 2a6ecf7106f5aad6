package redis_test

import (
	"context"
	"fmt"

	client "github.com/redis/go-redis/v9"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/redis"
)

// The ledger keeps the answer of each key, and the work is done once. The example needs a
// server, so that it is compiled and not run.
func ExampleNew() {
	store := redis.New(client.NewClient(&client.Options{Addr: "localhost:6379"}), redis.Options{})
	answer, repeated, err := ledger.Once(context.Background(), store, ledger.Reservation{Key: ledger.Key{Key: "3f1c"}}, ledger.Options{},
		func(ctx context.Context) (ledger.Response, error) {
			// What is stored here is stored once, unless the program is stopped on the way.
			return ledger.Response{Status: 201}, nil
		})
	fmt.Println(answer.Status, repeated, err)
}
