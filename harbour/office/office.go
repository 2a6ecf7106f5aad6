package office

import (
	"bytes"
	"cmp"
	"context"
	"database/sql"
	_ "embed"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"maps"
	"net/http"
	"strings"
	"time"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/harbour"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/sqlite"
)

//go:embed schema.sql
var schema string

// Options of the office. The zero value keeps the keys in the office's own file.
type Options struct {
	Ledger ledger.Store // nil means that they are in the office's own file, where work and answer commit together
	Log    *slog.Logger // nil means slog.Default
}

// Office is an http.Handler.
type Office struct {
	store  *sqlite.Store
	read   *sql.DB
	faults faults
	recent recent
	mux    *http.ServeMux
	log    *slog.Logger
	forms  []*declare.Source
	keys   ledger.Store
}

// account is whose request it is: there is no sign-in here, a cookie says it.
func account(r *http.Request) string {
	if c, err := r.Cookie("harbour-account"); err == nil && c.Value != "" {
		return c.Value
	}
	return "ada"
}

// Open opens the office's file, and makes it where it is missing.
func Open(path string, o Options) (*Office, error) {
	store, err := sqlite.Open(path, sqlite.Options{})
	if err != nil {
		return nil, err
	}
	read, err := sql.Open("sqlite", strings.Replace(sqlite.DSN(path), "_txlock=immediate", "_txlock=deferred", 1))
	if err != nil {
		return nil, errors.Join(err, store.Close())
	}
	office := &Office{store: store, read: read, mux: http.NewServeMux(), log: cmp.Or(o.Log, slog.Default())}
	err = store.Write(context.Background(), func(ctx context.Context, tx *sql.Tx) error {
		_, err := tx.ExecContext(ctx, schema)
		return err
	})
	if err == nil {
		if o.Ledger == nil {
			o.Ledger = store.InTransaction()
		}
		office.keys = o.Ledger
		err = office.routes(o.Ledger)
	}
	if err != nil {
		return nil, errors.Join(fmt.Errorf("opening the harbour office: %w", err), office.Close())
	}
	return office, nil
}

// Ready is an error where the ledger cannot be read.
func (o *Office) Ready(ctx context.Context) error { return ledger.Ready(ctx, o.keys) }

// Close ends the office after what is being written.
func (o *Office) Close() error { return errors.Join(o.read.Close(), o.store.Close()) }

// work is what the office does with a form's submission.
type work func(ctx context.Context, tx *sql.Tx, s formhttp.Submission) (formhttp.Answer, error)

func (o *Office) routes(keys ledger.Store) error {
	works := map[string]work{
		"mooring-permit": o.permit, "pilot-booking": o.pilot, "visit": booking, "regatta-entry": booking,
		"contact-details": replace, "vessel-record": replace, "berth-plan": replace,
	}
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		if err != nil {
			return err
		}
		form := source.Form
		o.forms = append(o.forms, source)
		options := formhttp.Options{
			Admit:  admit,
			Submit: o.submit(works[form.Name]), Ledger: keys, Principal: account, Secret: []byte("a demo, whose secret is none of its own"), Log: o.log,
		}
		if form.Prefill.URL != "" {
			options.Load = func(r *http.Request) (map[string]any, string, error) {
				return o.load(r.Context(), account(r), form.Prefill.URL)
			}
		}
		plain, err := formhttp.New(form, source, options)
		if err != nil {
			return err
		}
		options.Script = "/leanwicket/leanwicket.js"
		scripted, err := formhttp.New(form, source, options)
		if err != nil {
			return err
		}
		options.Page, options.Policy = livePage, livePolicy
		beside, err := formhttp.New(form, source, options)
		if err != nil {
			return err
		}
		page := strings.TrimSuffix(name, ".form.yaml")
		o.mux.Handle("/forms/"+page, scripted)
		o.mux.Handle("/plain/"+page, plain)
		o.mux.Handle("/live/"+page, beside)
		o.mux.Handle(form.Submit.Method+" "+form.Submit.URL, plain)
	}
	o.mux.HandleFunc("GET /live/live.js", func(w http.ResponseWriter, r *http.Request) {
		http.ServeContent(w, r, "live.js", time.Time{}, bytes.NewReader(liveScript))
	})
	o.mux.HandleFunc("GET /favicon.ico", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "image/svg+xml")
		_, _ = w.Write(icon)
	})
	o.mux.HandleFunc("POST /live", o.replay)
	o.mux.Handle("GET /leanwicket/", http.StripPrefix("/leanwicket", browser.Handler()))
	for _, path := range []string{"/registry/contact", "/registry/vessel", "/plans/7"} {
		o.mux.HandleFunc("GET "+path, o.record)
	}
	for path, find := range map[string]func(context.Context, string) (string, error){
		"/berths/{value}": o.berthProblem, "/slots/{value}": o.slotProblem, "/vessels/{value}": o.vesselProblem,
	} {
		o.mux.HandleFunc("GET "+path, func(w http.ResponseWriter, r *http.Request) { o.check(w, r, find) })
	}
	o.mux.HandleFunc("GET /{$}", o.index)
	o.mux.HandleFunc("GET /permits/{number}", o.shown("permits", "P-"))
	o.mux.HandleFunc("GET /visits/{number}", o.shown("bookings", "B-"))
	o.mux.HandleFunc("GET /panel", o.panel)
	o.mux.Handle("POST /panel", http.NewCrossOriginProtection().Handler(http.HandlerFunc(o.setPanel)))
	return nil
}

// ServeHTTP answers, with the trouble that is turned on.
func (o *Office) ServeHTTP(w http.ResponseWriter, r *http.Request) { o.troubled(w, r, o.mux) }

// admit turns away whoever is signed out, or comes while the office is closed. It is asked before
// anybody looks whether the same was sent before.
func admit(r *http.Request) *formhttp.Answer {
	if r.Method == http.MethodGet || r.Method == http.MethodHead { // what it meets, load says
		return nil
	}
	f := trouble(r.Context())
	if response, refused := f.response(); refused && f.Does != refuse {
		return &response
	}
	return nil
}

// submit does a form's work in the transaction of its answer, or, with another
// ledger, in one of its own.
func (o *Office) submit(do work) func(context.Context, formhttp.Submission) (formhttp.Answer, error) {
	return func(ctx context.Context, s formhttp.Submission) (response formhttp.Answer, err error) {
		if f := trouble(ctx); f.Does == refuse {
			response, _ := f.response()
			return response, nil
		}
		tx, err := sqlite.Tx(ctx)
		if !errors.Is(err, sqlite.ErrOutside) {
			if err != nil {
				return response, err
			}
			return do(ctx, tx, s)
		}
		err = o.store.Write(ctx, func(ctx context.Context, tx *sql.Tx) error {
			response, err = do(ctx, tx, s)
			return err
		})
		return response, err
	}
}

// writeJSON answers with a body, as problem details where it is an error.
func writeJSON(w http.ResponseWriter, r formhttp.Answer) {
	maps.Copy(w.Header(), r.Header)
	kind := "application/json"
	if r.Status >= 400 {
		kind = "application/problem+json"
	}
	w.Header().Set("Content-Type", kind)
	w.Header().Set("Cache-Control", "no-store")
	w.WriteHeader(r.Status)
	_ = json.NewEncoder(w).Encode(r.Body)
}

// refusal says what is wrong at a field.
func refusal(path, what string) error {
	return formhttp.Wrong{"": "The harbour office cannot accept this.", path: what}
}

func problem(status int, title string) formhttp.Answer {
	return formhttp.Answer{Status: status, Body: map[string]any{"title": title, "status": status}}
}
