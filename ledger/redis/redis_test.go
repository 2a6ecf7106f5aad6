package redis_test

import (
	"testing"
	"time"

	goredis "github.com/redis/go-redis/v9"

	"leanwicket.dev/internal/database"
	"leanwicket.dev/ledger/conformance"
	"leanwicket.dev/ledger/redis"
)

func TestRedis(t *testing.T) {
	client := goredis.NewClient(&goredis.Options{Addr: database.Redis(t)})
	t.Cleanup(func() { _ = client.Close() })
	conformance.Keys(t, redis.New(client, redis.Options{}))
	conformance.Forgets(t, redis.New(client, redis.Options{Keep: 300 * time.Millisecond, Prefix: "short:"}), nil)
}
