package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"errors"
	"log"
	"net/http"
	"net/url"

	"leanwicket.dev/ledger"
)

// once has a handler do the work of a submission key once. Every repeat gets the first one's
// answer. An answer below 400 takes effect. One of 400 and more is a refusal: it is kept, and
// what the handler has written is taken back. After 401, 403, 429, and 500 and more, nothing is
// kept, and the same can be sent again.
func once(store ledger.Store, handler http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, 1<<20)
		if err := r.ParseForm(); err != nil {
			http.Error(w, "This could not be read.", http.StatusBadRequest)
			return
		}
		key := r.PostForm.Get("key")
		if key == "" {
			http.Error(w, "This page is too old. Nothing was stored; open it again.", http.StatusBadRequest)
			return
		}
		reservation := ledger.Reservation{
			Key:         ledger.Key{Principal: account(r), Route: r.URL.Path, Key: key},
			Fingerprint: sha256.Sum256([]byte(r.PostForm.Encode())),
		}
		var given *answer
		kept, _, err := ledger.Once(r.Context(), store, reservation, ledger.Options{}, func(ctx context.Context) (ledger.Response, error) {
			given = &answer{header: http.Header{}, status: http.StatusOK}
			again := r.Clone(ctx) // the work may be done more than once, of which one takes effect
			again.PostForm = url.Values(http.Header(r.PostForm).Clone())
			handler.ServeHTTP(given, again)
			switch {
			case given.settlesNothing():
				return ledger.Response{}, errNotKept
			case given.status >= 400:
				return ledger.Response{}, ledger.Refused{Response: given.kept()}
			}
			return given.kept(), nil
		})
		switch {
		case errors.Is(err, errNotKept):
			kept = given.kept()
		case errors.Is(err, ledger.ErrDifferent):
			http.Error(w, "This page was sent before with other answers, and those have been received.", http.StatusUnprocessableEntity)
			return
		case errors.Is(err, ledger.ErrInFlight), errors.Is(err, ledger.ErrBusy):
			w.Header().Set("Retry-After", "1")
			http.Error(w, "There is too much to do here. Send it again in a moment.", http.StatusServiceUnavailable)
			return
		case err != nil:
			log.Print(err)
			http.Error(w, "Something went wrong here. Send it again.", http.StatusInternalServerError)
			return
		}
		for name, value := range kept.Header {
			w.Header().Set(name, value)
		}
		w.WriteHeader(kept.Status)
		_, _ = w.Write(kept.Body)
	})
}

var errNotKept = errors.New("the answer is not kept")

// account is whose key it is: who is signed in, in an application that has accounts.
func account(*http.Request) string { return "" }

// answer is what a handler writes, until it is known that it takes effect.
type answer struct {
	header http.Header
	status int
	body   bytes.Buffer
}

func (a *answer) Header() http.Header            { return a.header }
func (a *answer) WriteHeader(status int)         { a.status = status }
func (a *answer) Write(text []byte) (int, error) { return a.body.Write(text) }

func (a *answer) settlesNothing() bool {
	return a.status >= 500 || a.status == http.StatusUnauthorized || a.status == http.StatusForbidden || a.status == http.StatusTooManyRequests
}

// kept is the answer as each repeat gets it: of several headers of one name the first.
func (a *answer) kept() ledger.Response {
	header := map[string]string{}
	for name := range a.header {
		header[name] = a.header.Get(name)
	}
	return ledger.Response{Status: a.status, Header: header, Body: a.body.Bytes()}
}
