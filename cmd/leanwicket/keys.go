package main

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5/pgxpool"
	goredis "github.com/redis/go-redis/v9"

	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/ledger/postgres"
	"leanwicket.dev/ledger/redis"
	"leanwicket.dev/ledger/sqlite"
)

// openLedger opens the ledger that --ledger names, and returns what ends it. An empty name opens no
// store.
func openLedger(ctx context.Context, name string) (ledger.Store, func(), error) {
	none := func() {}
	kind, rest, _ := strings.Cut(name, ":")
	switch {
	case name == "":
		return nil, none, nil
	case name == "memory":
		return memory.New(24 * time.Hour), none, nil
	case kind == "sqlite" && rest != "":
		store, err := sqlite.Open(rest, sqlite.Options{})
		if err != nil {
			return nil, nil, err
		}
		stop := pruned(store)
		return store, func() { stop(); _ = store.Close() }, nil
	case kind == "postgres":
		pool, err := pgxpool.New(ctx, name)
		if err != nil {
			return nil, nil, wrongLedger(err)
		}
		store, err := postgres.New(ctx, pool, postgres.Options{})
		if err != nil {
			pool.Close()
			return nil, nil, wrongLedger(err)
		}
		stop := pruned(store)
		return store, func() { stop(); pool.Close() }, nil
	case kind == "redis":
		o, err := goredis.ParseURL(name)
		if err != nil {
			return nil, nil, wrongLedger(err)
		}
		goredis.SetLogger(silent{}) // what cannot be reached is an error below
		client := goredis.NewClient(o)
		if err := client.Ping(ctx).Err(); err != nil {
			_ = client.Close()
			return nil, nil, wrongLedger(err)
		}
		return redis.New(client, redis.Options{}), func() { _ = client.Close() }, nil
	default:
		return nil, nil, wrongLedger(fmt.Errorf("found %q", name))
	}
}

type silent struct{}

func (silent) Printf(context.Context, string, ...any) {}

func wrongLedger(err error) error {
	return fmt.Errorf("--ledger: %w; right would be sqlite:keys.db, postgres://user@host/database, redis://host:6379 or memory", err)
}

// pruned forgets what is over, each minute.
func pruned(store interface {
	Prune(ctx context.Context) (int, error)
},
) (stop func()) {
	ctx, cancel := context.WithCancel(context.Background())
	go func() {
		for {
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Minute):
				_, _ = store.Prune(ctx) // what could not be forgotten now is forgotten later
			}
		}
	}()
	return cancel
}
