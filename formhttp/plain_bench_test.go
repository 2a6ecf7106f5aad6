package formhttp_test

import (
	"context"
	"database/sql"
	"html/template"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/ledger/sqlite"
)

const plainTables = `CREATE TABLE stays (id INTEGER PRIMARY KEY, vessel TEXT, nights INTEGER, quay TEXT, note TEXT);
CREATE TABLE plain_keys (key TEXT PRIMARY KEY, location TEXT)`

// plain is the form as it is written by hand, with a table of keys in the transaction of the record.
type plain struct {
	db   *sql.DB
	page *template.Template
}

func newPlain(db *sql.DB) *plain {
	return &plain{db, template.Must(template.New("").Parse(`<!doctype html><html lang="en"><head><meta charset="utf-8"><title>Stay</title>
<meta name="viewport" content="width=device-width"><style>{{.Style}}</style></head><body><main><h1>Stay</h1><form method="post">
{{range .Issues}}<p role="alert">{{.}}</p>{{end}}<input type="hidden" name="key" value="{{.Key}}">
{{range .Fields}}<p><label for="{{.}}">{{.}}</label> <input id="{{.}}" name="{{.}}" value="{{index $.Values .}}"></p>
{{end}}<button>Send</button></form></main></body></html>`))}
}

func (p *plain) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Cache-Control", "no-store")
	if r.Method == http.MethodGet {
		p.show(w, http.StatusOK, r, nil)
		return
	}
	r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
	if err := r.ParseForm(); err != nil {
		http.Error(w, "bad form", http.StatusBadRequest)
		return
	}
	nights, err := strconv.Atoi(r.PostForm.Get("nights"))
	switch vessel := r.PostForm.Get("vessel"); {
	case vessel == "" || len(vessel) > 40:
		p.show(w, http.StatusUnprocessableEntity, r, []string{"A vessel is required."})
		return
	case err != nil || nights < 1 || nights > 30:
		p.show(w, http.StatusUnprocessableEntity, r, []string{"1 to 30 nights."})
		return
	}
	location, err := p.store(r.Context(), r, nights)
	if err != nil {
		http.Error(w, "failed", http.StatusInternalServerError)
		return
	}
	http.Redirect(w, r, location, http.StatusSeeOther)
}

func (p *plain) store(ctx context.Context, r *http.Request, nights int) (location string, err error) {
	tx, err := p.db.BeginTx(ctx, nil)
	if err != nil {
		return "", err
	}
	defer func() { _ = tx.Rollback() }()
	key := r.PostForm.Get("key")
	switch err := tx.QueryRowContext(ctx, "SELECT location FROM plain_keys WHERE key = ?", key).Scan(&location); err {
	case sql.ErrNoRows:
	default:
		return location, err
	}
	done, err := tx.ExecContext(ctx, "INSERT INTO stays (vessel, nights, quay, note) VALUES (?, ?, ?, ?)", r.PostForm.Get("vessel"), nights, r.PostForm.Get("quay"), r.PostForm.Get("note"))
	if err != nil {
		return "", err
	}
	id, _ := done.LastInsertId()
	location = "/stays/" + strconv.FormatInt(id, 10)
	if _, err := tx.ExecContext(ctx, "INSERT INTO plain_keys (key, location) VALUES (?, ?)", key, location); err != nil {
		return "", err
	}
	return location, tx.Commit()
}

func (p *plain) show(w http.ResponseWriter, status int, r *http.Request, issues []string) {
	values := map[string]string{}
	fields := []string{"vessel", "nights", "quay", "note"}
	for _, name := range fields {
		values[name] = r.PostForm.Get(name)
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = p.page.Execute(w, map[string]any{"Style": template.CSS(plainStyle), "Key": newKey.Add(1), "Fields": fields, "Values": values, "Issues": issues})
}

var (
	newKey     atomic.Int64
	plainStyle = strings.Repeat("main p label { display: block; margin: 0 0 1rem; font: 1rem/1.5 sans-serif }\n", 40)
)

const plainForm = `form: stay
schema:
  type: object
  required: [vessel, nights]
  properties:
    vessel: {type: string, maxLength: 40}
    nights: {type: integer, minimum: 1, maximum: 30}
    quay: {type: string}
    note: {type: string}
submit: {url: /stays}
accepted: {then: navigate, to: "/stays/{id}"}
`

// BenchmarkAgainstPlain is the same form by hand and by this package over a real network, each with its
// records and keys in one SQLite transaction: go test ./formhttp -run '^$' -bench AgainstPlain
func BenchmarkAgainstPlain(b *testing.B) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(plainForm)}}, "f.form.yaml")
	require.NoError(b, err)
	site := func(b *testing.B, make func(path string) http.Handler) (*httptest.Server, *http.Client) {
		server := httptest.NewServer(make(filepath.Join(b.TempDir(), "office.db")))
		b.Cleanup(server.Close)
		client := server.Client()
		client.Transport.(*http.Transport).MaxIdleConnsPerHost = 64
		client.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
		return server, client
	}
	sides := map[string]func(b *testing.B) (*httptest.Server, *http.Client){
		"plain": func(b *testing.B) (*httptest.Server, *http.Client) {
			return site(b, func(path string) http.Handler {
				db, err := sql.Open("sqlite", sqlite.DSN(path))
				require.NoError(b, err)
				b.Cleanup(func() { _ = db.Close() })
				db.SetMaxOpenConns(1) // SQLite has one writer
				_, err = db.Exec(plainTables)
				require.NoError(b, err)
				return newPlain(db)
			})
		},
		"leanwicket": func(b *testing.B) (*httptest.Server, *http.Client) {
			return site(b, func(path string) http.Handler {
				store, err := sqlite.Open(path, sqlite.Options{})
				require.NoError(b, err)
				b.Cleanup(func() { _ = store.Close() })
				require.NoError(b, store.Write(context.Background(), func(ctx context.Context, tx *sql.Tx) error {
					_, err := tx.ExecContext(ctx, plainTables)
					return err
				}))
				handler, err := formhttp.New(source.Form, source, formhttp.Options{
					Ledger: store.InTransaction(),
					Submit: func(ctx context.Context, s formhttp.Submission) (formhttp.Answer, error) {
						var stay struct {
							Vessel, Quay, Note string
							Nights             int
						}
						if err := s.Decode(&stay); err != nil {
							return formhttp.Answer{}, err
						}
						tx, err := sqlite.Tx(ctx)
						if err != nil {
							return formhttp.Answer{}, err
						}
						done, err := tx.ExecContext(ctx, "INSERT INTO stays (vessel, nights, quay, note) VALUES (?, ?, ?, ?)", stay.Vessel, stay.Nights, stay.Quay, stay.Note)
						if err != nil {
							return formhttp.Answer{}, err
						}
						id, _ := done.LastInsertId()
						return formhttp.Created("/stays/" + strconv.FormatInt(id, 10)), nil
					},
				})
				require.NoError(b, err)
				return handler
			})
		},
	}
	for _, connections := range []int{1, 8, 32} {
		for _, side := range []string{"plain", "leanwicket"} {
			b.Run("post/"+strconv.Itoa(connections)+"/"+side, func(b *testing.B) {
				server, client := sides[side](b)
				field := map[string]string{"plain": "key", "leanwicket": "leanwicket-key"}[side]
				b.ReportAllocs()
				var left atomic.Int64
				left.Store(int64(b.N))
				var all sync.WaitGroup
				for range connections {
					all.Go(func() {
						for left.Add(-1) >= 0 {
							body := "vessel=Heron&nights=4&quay=north&note=none&" + field + "=" + strconv.FormatInt(newKey.Add(1), 10) + "-0123456789"
							r, err := client.Post(server.URL+"/stays", "application/x-www-form-urlencoded", strings.NewReader(body))
							if err != nil || r.StatusCode != http.StatusSeeOther || !strings.HasPrefix(r.Header.Get("Location"), "/stays/") {
								b.Error(err, r)
								return
							}
							_, _ = io.Copy(io.Discard, r.Body)
							r.Body.Close()
						}
					})
				}
				all.Wait()
			})
		}
	}
	for _, side := range []string{"plain", "leanwicket"} {
		b.Run("get/"+side, func(b *testing.B) {
			server, client := sides[side](b)
			b.ReportAllocs()
			b.RunParallel(func(pb *testing.PB) {
				for pb.Next() {
					r, err := client.Get(server.URL + "/stays")
					if err != nil || r.StatusCode != http.StatusOK {
						b.Error(err, r)
						return
					}
					_, _ = io.Copy(io.Discard, r.Body)
					r.Body.Close()
				}
			})
		})
	}
}
