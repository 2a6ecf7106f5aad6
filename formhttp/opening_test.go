package formhttp_test

import (
	"net/http"
	"net/http/httptest"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
)

// A page that was opened before is the page that a new handler renders: for each account and address,
// with a key of its own.
func TestPagesThatOpenAgain(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(stayForm + "given: [quay]\n")}}, "f.form.yaml")
	require.NoError(t, err)
	handler := func() http.Handler {
		h, err := formhttp.New(source.Form, source, formhttp.Options{
			Submit: done, Script: "/leanwicket.js", Secret: []byte(strings.Repeat("s", 32)),
			Principal: func(r *http.Request) string { return r.Header.Get("Account") },
		})
		require.NoError(t, err)
		mux := http.NewServeMux()
		mux.Handle("/quays/{quay}", h)
		return mux
	}
	key := regexp.MustCompile(`name="leanwicket-key" value="([0-9a-f-]+)"`)
	open := func(h http.Handler, account, address string) (page, its string) {
		r := httptest.NewRequest("GET", address, nil)
		r.Header.Set("Account", account)
		w := httptest.NewRecorder()
		h.ServeHTTP(w, r)
		found := key.FindStringSubmatch(w.Body.String())
		require.NotNil(t, found)
		return strings.ReplaceAll(w.Body.String(), found[1], "KEY"), found[1]
	}
	again, keys := handler(), map[string]bool{}
	pages := map[string]bool{}
	for range 3 {
		for _, account := range []string{"", "ada", "bo"} {
			for _, address := range []string{"/quays/north", "/quays/south", "/quays/a%3Ab"} {
				page, its := open(again, account, address)
				fresh, _ := open(handler(), account, address)
				require.Equal(t, fresh, page, account+address)
				require.False(t, keys[its])
				keys[its], pages[page] = true, true
			}
		}
	}
	require.Len(t, pages, 9)
}
