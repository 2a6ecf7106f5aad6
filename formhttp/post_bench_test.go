package formhttp_test

import (
	"context"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

// discarded is a client that reads nothing.
type discarded struct{ header http.Header }

func (d *discarded) Header() http.Header         { return d.header }
func (d *discarded) Write(b []byte) (int, error) { return len(b), nil }
func (d *discarded) WriteHeader(int)             {}

// BenchmarkPost has one submission of a page, one in JSON, one that the form holds, one whose body
// cannot be read, and the page itself: go test ./formhttp -run '^$' -bench Post
func BenchmarkPost(b *testing.B) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(stayForm)}}, "f.form.yaml")
	require.NoError(b, err)
	handler, err := formhttp.New(source.Form, source, formhttp.Options{
		Log: slog.New(slog.NewTextHandler(io.Discard, nil)),
		Submit: func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
			return formhttp.Answer{Status: 201, Header: http.Header{"Location": {"/stays/7"}}, Body: map[string]any{"id": 7}}, nil
		},
	})
	require.NoError(b, err)
	sent := 0 // each has a key of its own
	const page, inJSON = "application/x-www-form-urlencoded", "application/json"
	for _, c := range []struct{ name, method, kind, body string }{
		{"page", "POST", page, "vessel=Heron&nights=4&quay=north&power=true&amperage=16&crew=2&crew/0/name=Ada&crew/1/name=Bo&crew/1/cook=true&note=none&leanwicket-key=KEY"},
		{"json", "POST", inJSON, `{"vessel": "Heron", "nights": 4, "quay": "north", "power": true, "amperage": 16, "crew": [{"name": "Ada"}, {"name": "Bo", "cook": true}], "note": "none"}`},
		{"held", "POST", page, "vessel=&nights=99&crew=0&leanwicket-key=KEY"},
		{"unreadable", "POST", inJSON, `{"vessel": `},
		{"get", "GET", "", ""},
	} {
		b.Run(c.name, func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				sent++
				key := strconv.Itoa(sent)
				r := httptest.NewRequest(c.method, "/stays", strings.NewReader(strings.Replace(c.body, "KEY", key, 1)))
				r.Header.Set("Content-Type", c.kind)
				if c.kind == inJSON {
					r.Header.Set("Idempotency-Key", key)
				}
				handler.ServeHTTP(&discarded{http.Header{}}, r)
			}
		})
	}
}
