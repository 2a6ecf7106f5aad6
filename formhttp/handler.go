package formhttp

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/markup"
	"leanwicket.dev/replies"
)

// Options are what a form needs from its application.
type Options struct {
	// Load returns the saved record, and its version, for a form that has a prefill;
	// nil: there is none, and the page opens with the defaults.
	Load func(r *http.Request) (record map[string]any, version string, err error)
	// Submit does the work, at most once for each key, and answers as an HTTP backend
	// would: 201 with a Location, 422 with errors in any of the formats that package
	// replies reads, 412 where the version is no longer the newest, 401. An error,
	// like a panic, is answered with 500, and the key is released.
	Submit func(ctx context.Context, s Submission) (replies.Response, error)
	// Admit is asked before the ledger: an answer, such as 401 where nobody is signed
	// in, turns the submission away and keeps everything typed; nil goes on. nil: all
	// are admitted.
	Admit func(r *http.Request) *replies.Response
	// Ledger keeps the keys; nil: in memory, for a day.
	Ledger ledger.Store
	// Principal names the account of a request: keys of different accounts never
	// meet. nil: all are one.
	Principal func(r *http.Request) string
	// Script is the address of the bundle's script, with which the page runs the
	// lifecycle in the browser; empty: the page has none. Without script it works all
	// the same.
	Script string
	// Page replaces parts of the page: templates with the names in Parts.
	Page *template.Template
	// Log is told what failed; nil: slog.Default.
	Log *slog.Logger

	MaxBody   int64 // bytes of a request's body; 0: 1 MiB, with a file 32 MiB
	MaxFields int   // controls in a request; 0: 10,000
	MaxOpen   int   // submissions of one account that are worked on at once; 0: 20. Without Principal there is no limit: behind a proxy all addresses are one
}

// Submission is one submission that the form has accepted.
type Submission struct {
	Form    *lifecycle.Form
	Request *http.Request
	Button  string
	Key     string
	Version string // what the values are based on; empty: unknown
	Body    []byte // JSON: the record, or with PATCH a merge patch
}

// Decode reads the body into a value, as encoding/json does.
func (s Submission) Decode(to any) error { return json.Unmarshal(s.Body, to) }

// handler serves one form.
type handler struct {
	source *declare.Source
	form   *lifecycle.Form
	o      Options
	page   *template.Template
	style  string // the hash of the page's style, for the policy

	mu   sync.Mutex
	open map[string]int // submissions that are worked on, by account
}

// New makes the handler of a form. Submissions from another origin are refused
// (http.CrossOriginProtection).
func New(source *declare.Source, o Options) http.Handler {
	h := &handler{source: source, form: source.Form, o: o, open: map[string]int{}}
	if h.o.Ledger == nil {
		h.o.Ledger = memory.New(24 * time.Hour)
	}
	if h.o.Log == nil {
		h.o.Log = slog.Default()
	}
	if h.o.MaxBody == 0 {
		h.o.MaxBody = 1 << 20
		for _, f := range h.form.Fields {
			if f.Kind == lifecycle.KindFile {
				h.o.MaxBody = 32 << 20
			}
		}
	}
	h.o.MaxFields = cmp.Or(h.o.MaxFields, 10_000)
	h.o.MaxOpen = cmp.Or(h.o.MaxOpen, 20)
	h.page, h.style = newPage(o.Page)
	return http.NewCrossOriginProtection().Handler(h)
}

func (h *handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	defer func() {
		if failed := recover(); failed != nil {
			h.o.Log.Error("the form panicked", "form", h.form.Name, "panic", fmt.Sprint(failed))
			h.problem(w, http.StatusInternalServerError, "Something went wrong here.", nil)
		}
	}()
	header := w.Header()
	header.Set("Content-Security-Policy", "default-src 'none'; style-src "+h.style+h.scripts()+"; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	header.Set("X-Content-Type-Options", "nosniff")
	header.Set("Referrer-Policy", "same-origin")
	header.Set("Cache-Control", "no-store")
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		h.get(w, r)
	case http.MethodPost, h.form.Submit.Method:
		h.post(w, r)
	default:
		header.Set("Allow", "GET, HEAD, POST, "+h.form.Submit.Method)
		h.problem(w, http.StatusMethodNotAllowed, "This form is read with GET and sent with POST.", nil)
	}
}

// scripts is what the policy of a page with script allows: that of this origin
// alone.
func (h *handler) scripts() string {
	if h.o.Script == "" {
		return ""
	}
	return "; script-src 'self' 'wasm-unsafe-eval'; connect-src 'self'"
}

func (h *handler) get(w http.ResponseWriter, r *http.Request) {
	if r.URL.Query().Has(markup.Compiled) {
		h.compiled(w)
		return
	}
	visit := h.begin(r)
	visit.key = newKey()
	visit.received = r.URL.Query().Has("received")
	h.render(w, http.StatusOK, visit)
}

// compiled gives the form as the script reads it.
func (h *handler) compiled(w http.ResponseWriter) {
	data, err := h.form.MarshalBinary()
	if err != nil {
		h.o.Log.Error("the form cannot be compiled", "form", h.form.Name, "error", err)
		h.problem(w, http.StatusInternalServerError, "Something went wrong here.", nil)
		return
	}
	w.Header().Set("Content-Type", "application/octet-stream")
	_, _ = w.Write(data)
}

// newKey draws a submission key.
func newKey() string {
	var k lifecycle.Key
	_, _ = rand.Read(k[:]) // it never fails
	return k.String()
}

// begin opens a session, with the saved record where there is one.
func (h *handler) begin(r *http.Request) *visit {
	v := &visit{form: h.form, request: r}
	session, opening := lifecycle.Open(h.form, lifecycle.Seed{})
	v.session = session
	for _, e := range opening {
		if e.Kind == lifecycle.EffectLoad {
			v.apply(h.load(r, e.Request))
		}
	}
	return v
}

func (h *handler) load(r *http.Request, request lifecycle.RequestID) lifecycle.Event {
	if h.o.Load == nil {
		return lifecycle.Loaded(request, nil, "")
	}
	record, version, err := h.o.Load(r)
	if err != nil {
		h.o.Log.Warn("the saved answers could not be loaded", "form", h.form.Name, "error", err)
		return lifecycle.LoadFailed(request, "the application")
	}
	return lifecycle.Loaded(request, replies.Values(h.form, record), version)
}

func (h *handler) post(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, h.o.MaxBody)
	sent, err := h.read(r)
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge), errors.Is(err, errTooMany):
		h.problem(w, http.StatusRequestEntityTooLarge, "The request is too large.", nil)
		return
	case err != nil:
		h.problem(w, http.StatusBadRequest, err.Error(), nil)
		return
	}
	if !goodKey(sent.key) {
		h.problem(w, http.StatusBadRequest, "The submission key has to be one to 255 visible ASCII characters.", nil)
		return
	}
	v := h.begin(r)
	v.fill(sent)
	v.key, v.sentVersion, v.asJSON = cmp.Or(sent.key, newKey()), sent.version, sent.asJSON
	if sent.change != nil {
		v.apply(*sent.change)
		h.render(w, http.StatusOK, v)
		return
	}
	account := h.principal(r)
	if !h.enter(account) {
		w.Header().Set("Retry-After", "1")
		h.problem(w, http.StatusTooManyRequests, "Too many submissions are being worked on. Try again in a moment.", nil)
		return
	}
	defer h.leave(account)
	h.submit(w, v, sent)
}

// goodKey reports whether a key can be kept; none at all is drawn here.
func goodKey(key string) bool {
	return len(key) <= 255 && !strings.ContainsFunc(key, func(c rune) bool { return c <= ' ' || c > '~' })
}

func (h *handler) principal(r *http.Request) string {
	if h.o.Principal == nil {
		return ""
	}
	return h.o.Principal(r)
}

func (h *handler) enter(account string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.o.Principal != nil && h.open[account] >= h.o.MaxOpen {
		return false
	}
	h.open[account]++
	return true
}

func (h *handler) leave(account string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.open[account]--; h.open[account] == 0 {
		delete(h.open, account)
	}
}

// answer tells what the session shows: as a page, or as problem details.
func (h *handler) answer(w http.ResponseWriter, v *visit, status int) {
	if !v.asJSON {
		h.render(w, status, v)
		return
	}
	notice, _, _ := v.session.Notice()
	h.problem(w, status, h.form.Text(notice), v.issues())
}

// problem writes problem details (RFC 9457).
func (h *handler) problem(w http.ResponseWriter, status int, detail string, issues []problemEntry) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_ = json.NewEncoder(w).Encode(struct {
		Title  string         `json:"title"`
		Status int            `json:"status"`
		Detail string         `json:"detail,omitempty"`
		Errors []problemEntry `json:"errors,omitempty"`
	}{http.StatusText(status), status, detail, issues})
}

// problemEntry is one thing that is wrong: its place is a JSON Pointer as a URI
// fragment.
type problemEntry struct {
	Pointer string `json:"pointer"`
	Code    string `json:"code"`
	Detail  string `json:"detail"`
}

func toAnswer(r replies.Response) (ledger.Answer, error) {
	a := ledger.Answer{Status: r.Status, Header: r.Header}
	if r.Body == nil {
		return a, nil
	}
	body, err := json.Marshal(r.Body)
	a.Body = body
	return a, err
}

func toResponse(a ledger.Answer) replies.Response {
	r := replies.Response{Status: a.Status, Header: a.Header, Now: time.Now()}
	if len(a.Body) > 0 {
		_ = json.Unmarshal(a.Body, &r.Body) // it was marshalled by toAnswer
	}
	return r
}
