package ledger_test

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgxpool"
	goredis "github.com/redis/go-redis/v9"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/internal/database"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/ledger/postgres"
	"leanwicket.dev/ledger/redis"
	"leanwicket.dev/ledger/sqlite"
)

// body is what the handler inserts and answers.
var body = make([]byte, 1024)

// around is the ledger around a handler.
func around(store ledger.Store, work func(context.Context) error) func(key string) error {
	return func(key string) error {
		_, _, err := ledger.Once(context.Background(), store, ledger.Reservation{Key: ledger.Key{Route: "/permits", Key: key}}, ledger.Options{},
			func(ctx context.Context) (ledger.Response, error) {
				return ledger.Response{Status: 201, Body: body}, work(ctx)
			})
		return err
	}
}

// BenchmarkOverhead has a handler that inserts one row, bare and with a ledger
// around it, with one caller and with eight: go test ./ledger -run '^$' -bench
// Overhead
func BenchmarkOverhead(b *testing.B) {
	for _, callers := range []int{1, 8} {
		b.Run(fmt.Sprintf("sqlite/%d", callers), func(b *testing.B) { overheadSQLite(b, callers) })
		b.Run(fmt.Sprintf("postgres/%d", callers), func(b *testing.B) { overheadPostgres(b, callers) })
	}
}

// run measures one way, and its round trips where they are counted.
func run(b *testing.B, callers int, way string, do func(key string) error, counted *trips) {
	b.Run(way, func(b *testing.B) {
		var next atomic.Int64
		key := func() string { return fmt.Sprintf("%s-%d-%d-%d", way, callers, time.Now().UnixNano(), next.Add(1)) }
		require.NoError(b, do(key()))
		before := counted.now()
		b.SetParallelism(max(1, callers/2)) // on two cores
		b.ResetTimer()
		if callers == 1 {
			for b.Loop() {
				require.NoError(b, do(key()))
			}
		} else {
			b.RunParallel(func(pb *testing.PB) {
				for pb.Next() {
					if err := do(key()); err != nil {
						b.Error(err)
					}
				}
			})
		}
		if counted != nil {
			b.ReportMetric(float64(counted.now()-before)/float64(b.N), "trips/op")
		}
	})
}

func overheadSQLite(b *testing.B, callers int) {
	path := filepath.Join(b.TempDir(), "office.db")
	store, err := sqlite.Open(path, sqlite.Options{})
	require.NoError(b, err)
	defer store.Close()
	db, err := sql.Open("sqlite", sqlite.DSN(path))
	require.NoError(b, err)
	defer db.Close()
	db.SetMaxOpenConns(1)
	_, err = db.Exec("CREATE TABLE permits (body BLOB)")
	require.NoError(b, err)
	const insert = "INSERT INTO permits VALUES (?)"
	bare := func(ctx context.Context) error { _, err := db.ExecContext(ctx, insert, body); return err }
	transaction := func(ctx context.Context) error {
		tx, err := db.BeginTx(ctx, nil)
		if err != nil {
			return err
		}
		if _, err := tx.ExecContext(ctx, insert, body); err != nil {
			return errors.Join(err, tx.Rollback())
		}
		return tx.Commit()
	}
	shared := func(ctx context.Context) error {
		return store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error { _, err := tx.ExecContext(ctx, insert, body); return err })
	}
	run(b, callers, "bare", func(string) error { return bare(context.Background()) }, nil)
	run(b, callers, "bare in a transaction", func(string) error { // with a context that can end, as a request has it
		ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
		defer cancel()
		return transaction(ctx)
	}, nil)
	run(b, callers, "bare-shared-commits", func(string) error { return shared(context.Background()) }, nil)
	run(b, callers, "in a transaction", around(store.InTransaction(), func(ctx context.Context) error {
		tx, err := sqlite.Tx(ctx)
		if err == nil {
			_, err = tx.ExecContext(ctx, insert, body)
		}
		return err
	}), nil)
	run(b, callers, "apart", around(store, shared), nil)
	run(b, callers, "memory", around(memory.New(time.Hour), bare), nil)
}

// trips counts round trips to PostgreSQL, but for those that forget old keys beside what goes on.
type trips struct{ atomic.Int64 }

func (c *trips) now() int64 {
	if c == nil {
		return 0
	}
	return c.Load()
}

func (c *trips) TraceQueryStart(ctx context.Context, _ *pgx.Conn, query pgx.TraceQueryStartData) context.Context {
	if !strings.HasPrefix(query.SQL, "DELETE FROM leanwicket_keys WHERE ctid") {
		c.Add(1)
	}
	return ctx
}
func (c *trips) TraceQueryEnd(context.Context, *pgx.Conn, pgx.TraceQueryEndData) {}
func (c *trips) TraceBatchStart(ctx context.Context, _ *pgx.Conn, _ pgx.TraceBatchStartData) context.Context {
	c.Add(1)
	return ctx
}
func (c *trips) TraceBatchQuery(context.Context, *pgx.Conn, pgx.TraceBatchQueryData) {}
func (c *trips) TraceBatchEnd(context.Context, *pgx.Conn, pgx.TraceBatchEndData)     {}

func overheadPostgres(b *testing.B, callers int) {
	ctx := context.Background()
	config, err := pgxpool.ParseConfig(database.Postgres(b))
	require.NoError(b, err)
	counted := &trips{}
	config.ConnConfig.Tracer = counted
	config.MaxConns = 16
	pool, err := pgxpool.NewWithConfig(ctx, config)
	require.NoError(b, err)
	defer pool.Close()
	_, err = pool.Exec(ctx, "CREATE TABLE permits (body bytea)")
	require.NoError(b, err)
	store, err := postgres.New(ctx, pool, postgres.Options{})
	require.NoError(b, err)
	client := goredis.NewClient(&goredis.Options{Addr: database.Redis(b)})
	defer client.Close()
	const insert = "INSERT INTO permits VALUES ($1)"
	bare := func(ctx context.Context) error { _, err := pool.Exec(ctx, insert, body); return err }
	run(b, callers, "bare", func(string) error { return bare(ctx) }, counted)
	run(b, callers, "in a transaction", around(store.InTransaction(), func(ctx context.Context) error { _, err := postgres.Tx(ctx).Exec(ctx, insert, body); return err }), counted)
	run(b, callers, "in a transaction, last", around(store.InTransaction(), func(ctx context.Context) error { postgres.Last(ctx, insert, body); return nil }), counted)
	run(b, callers, "floor", func(string) error { // two writes and a commit in one round trip
		batch := &pgx.Batch{}
		batch.Queue("BEGIN")
		batch.Queue(insert, body)
		batch.Queue(insert, body)
		batch.Queue("COMMIT")
		return pool.SendBatch(ctx, batch).Close()
	}, counted)
	run(b, callers, "apart", around(store, bare), counted)
	run(b, callers, "redis", around(redis.New(client, redis.Options{}), bare), counted)
}

// In a transaction the work takes two round trips more than its bare insert, and one more where
// that goes with the answer; no commit more.
func TestTripsOfATransaction(t *testing.T) {
	ctx := context.Background()
	config, err := pgxpool.ParseConfig(database.Postgres(t))
	require.NoError(t, err)
	counted := &trips{}
	config.ConnConfig.Tracer = counted
	pool, err := pgxpool.NewWithConfig(ctx, config)
	require.NoError(t, err)
	defer pool.Close()
	_, err = pool.Exec(ctx, "CREATE TABLE permits (body bytea)")
	require.NoError(t, err)
	store, err := postgres.New(ctx, pool, postgres.Options{})
	require.NoError(t, err)
	const insert = "INSERT INTO permits VALUES ($1)"
	for trips, work := range map[int64]func(context.Context) error{
		3: func(ctx context.Context) error { _, err := postgres.Tx(ctx).Exec(ctx, insert, body); return err },
		2: func(ctx context.Context) error { postgres.Last(ctx, insert, body); return nil },
	} {
		do := around(store.InTransaction(), work)
		require.NoError(t, do(fmt.Sprint("first of ", trips))) // prepares the statements
		before := counted.Load()
		require.NoError(t, do(fmt.Sprint("second of ", trips)))
		require.Equal(t, trips, counted.Load()-before)
	}
}

// BenchmarkAmongMany has the 99th percentile of a submission among 300,000 keys of which a half is
// over, and among few.
func BenchmarkAmongMany(b *testing.B) {
	for _, keys := range []int{0, 300_000} {
		b.Run(fmt.Sprint(keys), func(b *testing.B) {
			path := filepath.Join(b.TempDir(), "office.db")
			store, err := sqlite.Open(path, sqlite.Options{})
			require.NoError(b, err)
			defer store.Close()
			require.NoError(b, store.Write(b.Context(), func(ctx context.Context, tx *sql.Tx) error {
				now := time.Now().UnixMilli()
				_, err := tx.ExecContext(ctx, `CREATE TABLE permits (body BLOB);
					WITH RECURSIVE n(k) AS (SELECT 1 UNION ALL SELECT k + 1 FROM n WHERE k < ?1)
					INSERT INTO leanwicket_keys SELECT 'ada', '/permits', 'old' || k, zeroblob(32), zeroblob(16), ?2 + iif(k % 2, 3600000, -3600000), 201, '', zeroblob(100) FROM n WHERE k <= ?1`, keys, now)
				return err
			}))
			do := around(store.InTransaction(), func(ctx context.Context) error {
				tx, err := sqlite.Tx(ctx)
				if err == nil {
					_, err = tx.ExecContext(ctx, "INSERT INTO permits VALUES (?)", body)
				}
				return err
			})
			var took []time.Duration
			for b.Loop() {
				start := time.Now()
				require.NoError(b, do(fmt.Sprint(start.UnixNano())))
				took = append(took, time.Since(start))
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)*99/100].Microseconds()), "µs-of-99%")
		})
	}
}

// BenchmarkBesideSlowWork has the median of a submission alone, and beside one whose handler
// waits before it asks for its transaction.
func BenchmarkBesideSlowWork(b *testing.B) {
	for _, slow := range []bool{false, true} {
		b.Run(fmt.Sprintf("slow %t", slow), func(b *testing.B) {
			path := filepath.Join(b.TempDir(), "office.db")
			store, err := sqlite.Open(path, sqlite.Options{})
			require.NoError(b, err)
			defer store.Close()
			require.NoError(b, store.Write(b.Context(), func(ctx context.Context, tx *sql.Tx) error {
				_, err := tx.ExecContext(ctx, "CREATE TABLE permits (body BLOB)")
				return err
			}))
			insert := func(ctx context.Context) error {
				tx, err := sqlite.Tx(ctx)
				if err == nil {
					_, err = tx.ExecContext(ctx, "INSERT INTO permits VALUES (?)", body)
				}
				return err
			}
			stop, ended := make(chan bool), make(chan error, 1)
			go func() {
				var err error
				for k := 0; err == nil && slow; k++ {
					err = around(store.InTransaction(), func(ctx context.Context) error {
						select {
						case <-stop:
							return context.Canceled
						case <-time.After(5 * time.Second):
						}
						return insert(ctx)
					})(fmt.Sprint("slow", k))
				}
				ended <- err
			}()
			var mu sync.Mutex
			var took []time.Duration
			b.SetParallelism(4) // on two cores
			b.RunParallel(func(pb *testing.PB) {
				do := around(store.InTransaction(), insert)
				for pb.Next() {
					start := time.Now()
					if err := do(fmt.Sprint(start.UnixNano(), rand.Int64())); err != nil {
						b.Error(err)
					}
					mu.Lock()
					took = append(took, time.Since(start))
					mu.Unlock()
				}
			})
			close(stop)
			if err := <-ended; err != nil && !errors.Is(err, context.Canceled) {
				b.Error(err)
			}
			slices.Sort(took)
			b.ReportMetric(float64(took[len(took)/2].Microseconds()), "µs-median")
		})
	}
}
