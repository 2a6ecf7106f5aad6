package ledger_test

import (
	"bufio"
	"bytes"
	"context"
	"database/sql"
	"fmt"
	"io"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
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
	"leanwicket.dev/ledger/postgres"
	"leanwicket.dev/ledger/redis"
	"leanwicket.dev/ledger/sqlite"
)

// TestMain is also the server that the tests below kill.
func TestMain(m *testing.M) {
	if store := os.Getenv("LEDGER_SERVER"); store != "" {
		if err := permitServer(context.Background(), store, os.Getenv("LEDGER_APART") != ""); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

// backend is a store, and the work on one database: adding a row to a table.
type backend struct {
	store ledger.Store
	add   func(ctx context.Context, key string) error
}

func openBackend(ctx context.Context, name string, apart bool) (backend, error) {
	kind, at, _ := strings.Cut(name, ":")
	switch kind {
	case "sqlite":
		store, err := sqlite.Open(at, sqlite.Options{})
		if err != nil {
			return backend{}, err
		}
		add := func(ctx context.Context, tx *sql.Tx, key string) error {
			_, err := tx.ExecContext(ctx, "INSERT INTO effects VALUES (?)", key)
			return err
		}
		if apart {
			return backend{store, func(ctx context.Context, key string) error {
				return store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error { return add(ctx, tx, key) })
			}}, nil
		}
		return backend{store.InTransaction(), func(ctx context.Context, key string) error {
			tx, err := sqlite.Tx(ctx)
			if err != nil {
				return err
			}
			return add(ctx, tx, key)
		}}, nil
	case "postgres":
		pool, err := pgxpool.New(ctx, name)
		if err != nil {
			return backend{}, err
		}
		store, err := postgres.New(ctx, pool, postgres.Options{})
		if err != nil {
			return backend{}, err
		}
		const insert = "INSERT INTO effects VALUES ($1)"
		if apart {
			return backend{store, func(ctx context.Context, key string) error { _, err := pool.Exec(ctx, insert, key); return err }}, nil
		}
		return backend{store.InTransaction(), func(ctx context.Context, key string) error {
			_, err := postgres.Tx(ctx).Exec(ctx, insert, key)
			return err
		}}, nil
	default:
		client := goredis.NewClient(&goredis.Options{Addr: at})
		return backend{redis.New(client, redis.Options{}), func(context.Context, string) error { return nil }}, nil
	}
}

// permitServer does the work of each key that is posted. It writes its address,
// then b for each work that begins and e for each answer that was kept.
func permitServer(ctx context.Context, name string, apart bool) error {
	b, err := openBackend(ctx, name, apart)
	if err != nil {
		return err
	}
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	fmt.Println(listener.Addr())
	return http.Serve(listener, http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		key := r.Header.Get("Idempotency-Key")
		reservation := ledger.Reservation{Key: ledger.Key{Route: "/permits", Key: key}}
		answer, repeated, err := ledger.Once(r.Context(), b.store, reservation, ledger.Options{Lease: time.Second}, func(ctx context.Context) (ledger.Response, error) {
			_, _ = os.Stdout.WriteString("b")
			if err := b.add(ctx, key); err != nil {
				return ledger.Response{}, err
			}
			time.Sleep(time.Duration(rand.IntN(3)) * time.Millisecond)
			return ledger.Response{Status: 201, Body: fmt.Appendf(nil, "%s by %d", key, os.Getpid())}, nil
		})
		if err != nil {
			http.Error(w, err.Error(), http.StatusServiceUnavailable)
			return
		}
		if !repeated {
			_, _ = os.Stdout.WriteString("e")
		}
		w.WriteHeader(answer.Status)
		_, _ = w.Write(answer.Body)
	}))
}

// process is a running server.
type process struct {
	command *exec.Cmd
	address string
	marks   *bufio.Reader
	errors  bytes.Buffer
}

func start(t *testing.T, store string, apart bool) *process {
	p := &process{command: exec.Command(os.Args[0])}
	p.command.Env = append(os.Environ(), "LEDGER_SERVER="+store)
	if apart {
		p.command.Env = append(p.command.Env, "LEDGER_APART=1")
	}
	p.command.Stderr = &p.errors
	out, err := p.command.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, p.command.Start())
	t.Cleanup(p.kill)
	p.marks = bufio.NewReader(out)
	address, err := p.marks.ReadString('\n')
	require.NoError(t, err, p.errors.String())
	p.address = strings.TrimSpace(address)
	return p
}

func (p *process) kill() { _ = p.command.Process.Kill() }

// end kills the server and says how much work had begun, and how much of it was
// not kept yet.
func (p *process) end() (begun, open int) {
	p.kill()
	marks, _ := io.ReadAll(p.marks)
	_ = p.command.Wait()
	begun = bytes.Count(marks, []byte("b"))
	return begun, begun - bytes.Count(marks, []byte("e"))
}

// apply posts a key until it gets an answer.
func apply(ctx context.Context, client *http.Client, address func() string, key string) (string, error) {
	for {
		r, err := http.NewRequestWithContext(ctx, http.MethodPost, "http://"+address()+"/permits", nil)
		if err != nil {
			return "", err
		}
		r.Header.Set("Idempotency-Key", key)
		response, err := client.Do(r)
		if err == nil {
			text, failed := io.ReadAll(response.Body)
			_ = response.Body.Close()
			if failed == nil && response.StatusCode == http.StatusCreated {
				return string(text), nil
			}
		}
		select {
		case <-ctx.Done():
			return "", ctx.Err()
		case <-time.After(5 * time.Millisecond):
		}
	}
}

// killed runs eight applicants against a server that is killed so many times
// while work is in flight, and counts what is in the table.
func killed(t *testing.T, store string, apart bool, kills int, count func() map[string]int) (told, lost, doubled int) {
	server := start(t, store, apart)
	var address atomic.Value
	address.Store(server.address)
	var mu sync.Mutex
	keys := map[string]bool{}
	var stop atomic.Bool
	var applicants sync.WaitGroup
	for n := range 8 {
		applicants.Go(func() {
			client := &http.Client{Timeout: 10 * time.Second}
			for k := 0; !stop.Load(); k++ {
				key := fmt.Sprintf("%d-%d", n, k)
				if _, err := apply(t.Context(), client, func() string { return address.Load().(string) }, key); err != nil {
					t.Error(err)
					return
				}
				mu.Lock()
				keys[key] = true
				mu.Unlock()
			}
		})
	}
	for hit := 0; hit < kills; {
		time.Sleep(time.Duration(20+rand.IntN(60)) * time.Millisecond)
		if _, open := server.end(); open > 0 {
			hit++
		}
		server = start(t, store, apart)
		address.Store(server.address)
	}
	stop.Store(true)
	applicants.Wait()
	server.end()
	rows := count()
	for key := range keys {
		if rows[key] == 0 {
			lost++
		}
	}
	for _, n := range rows {
		doubled += n - 1
	}
	return len(keys), lost, doubled
}

func number(name string, otherwise int) int {
	if n, err := strconv.Atoi(os.Getenv(name)); err == nil {
		return n
	}
	return otherwise
}

// tables are the databases with the table of effects, and how it is counted.
func tables(t *testing.T) map[string]func(t *testing.T) (store string, count func() map[string]int) {
	return map[string]func(*testing.T) (string, func() map[string]int){
		"sqlite": func(t *testing.T) (string, func() map[string]int) {
			path := filepath.Join(t.TempDir(), "office.db")
			db, err := sql.Open("sqlite", sqlite.DSN(path))
			require.NoError(t, err)
			t.Cleanup(func() { _ = db.Close() })
			_, err = db.Exec("CREATE TABLE effects (key TEXT)")
			require.NoError(t, err)
			return "sqlite:" + path, func() map[string]int {
				rows, err := db.Query("SELECT key, count(*) FROM effects GROUP BY key")
				require.NoError(t, err)
				defer rows.Close()
				counts := map[string]int{}
				for rows.Next() {
					var key string
					var n int
					require.NoError(t, rows.Scan(&key, &n))
					counts[key] = n
				}
				return counts
			}
		},
		"postgres": func(t *testing.T) (string, func() map[string]int) {
			url := database.Postgres(t)
			pool, err := pgxpool.New(t.Context(), url)
			require.NoError(t, err)
			t.Cleanup(pool.Close)
			_, err = pool.Exec(t.Context(), "CREATE TABLE effects (key text)")
			require.NoError(t, err)
			return url, func() map[string]int {
				counts := map[string]int{}
				rows, err := pool.Query(t.Context(), "SELECT key, count(*) FROM effects GROUP BY key")
				require.NoError(t, err)
				var key string
				var n int
				_, err = pgx.ForEachRow(rows, []any{&key, &n}, func() error { counts[key] = n; return nil })
				require.NoError(t, err)
				return counts
			}
		},
	}
}

// A server that is killed while work is in flight loses no application and does
// none twice, where work and answer commit together. Where they do not, the same
// test finds duplicates: so it can see them. KILLS=200 is the full form.
func TestKilledServers(t *testing.T) {
	if testing.Short() {
		t.Skip("kills servers")
	}
	for name, open := range tables(t) {
		t.Run(name, func(t *testing.T) {
			store, count := open(t)
			told, lost, doubled := killed(t, store, false, number("KILLS", 10), count)
			t.Logf("%s, together: %d kills in flight, %d applications, %d lost, %d doubled", name, number("KILLS", 10), told, lost, doubled)
			require.Zero(t, lost+doubled)
			require.Positive(t, told)
		})
		t.Run(name+" apart", func(t *testing.T) {
			store, count := open(t)
			told, lost, doubled := killed(t, store, true, number("KILLS", 10), count)
			t.Logf("%s, apart: %d kills in flight, %d applications, %d lost, %d doubled", name, number("KILLS", 10), told, lost, doubled)
			require.Zero(t, lost)
			require.Positive(t, doubled, "the test would not see what it looks for")
		})
	}
}

// Two servers race for the same keys: each is done by one, and both tell its
// answer.
func TestTwoServers(t *testing.T) {
	if testing.Short() {
		t.Skip("starts servers")
	}
	stores := map[string]func(t *testing.T) string{"redis": func(t *testing.T) string { return "redis:" + database.Redis(t) }}
	for name, open := range tables(t) {
		stores[name] = func(t *testing.T) string { store, _ := open(t); return store }
	}
	for name, open := range stores {
		for _, apart := range []bool{true, false} {
			if name == "redis" && !apart {
				continue // its answers cannot commit with anything
			}
			t.Run(fmt.Sprintf("%s apart %t", name, apart), func(t *testing.T) {
				store := open(t)
				servers := [2]*process{start(t, store, apart), start(t, store, apart)}
				const keys = 500
				var all sync.WaitGroup
				var different atomic.Int32
				for worker := range 8 {
					all.Go(func() {
						for k := worker; k < keys; k += 8 {
							var both sync.WaitGroup
							var answers [2]string
							for s := range servers {
								both.Go(func() {
									text, err := apply(t.Context(), http.DefaultClient, func() string { return servers[s].address }, strconv.Itoa(k))
									answers[s] = text
									if err != nil {
										t.Error(err)
									}
								})
							}
							both.Wait()
							if answers[0] != answers[1] {
								different.Add(1)
							}
						}
					})
				}
				all.Wait()
				first, _ := servers[0].end()
				second, _ := servers[1].end()
				t.Logf("%s: %d keys, %d done by one, %d by the other", name, keys, first, second)
				require.Zero(t, different.Load())
				require.Equal(t, keys, first+second)
				require.Positive(t, min(first, second), "they did not race")
			})
		}
	}
}
