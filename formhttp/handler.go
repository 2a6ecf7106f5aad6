package formhttp

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/lifecycle"
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
	// Ledger keeps the keys; nil: in memory, for a day.
	Ledger ledger.Store
	// Principal names the account of a request: keys of different accounts never
	// meet. nil: all are one.
	Principal func(r *http.Request) string
	// Page replaces parts of the page: templates with the names in Parts.
	Page *template.Template
	// Log is told what failed; nil: slog.Default.
	Log *slog.Logger

	MaxBody   int64 // bytes of a request's body; 0: 1 MiB, with a file 32 MiB
	MaxFields int   // controls in a request; 0: 10,000
}

// Submission is one submission that the form has accepted.
type Submission struct {
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
}

// New makes the handler of a form. Submissions from another origin are refused
// (http.CrossOriginProtection).
func New(source *declare.Source, o Options) http.Handler {
	h := &handler{source: source, form: source.Form, o: o}
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
	if h.o.MaxFields == 0 {
		h.o.MaxFields = 10_000
	}
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
	header.Set("Content-Security-Policy", "default-src 'none'; style-src "+h.style+"; form-action 'self'; base-uri 'none'; frame-ancestors 'none'")
	header.Set("X-Content-Type-Options", "nosniff")
	header.Set("Referrer-Policy", "same-origin")
	header.Set("Cache-Control", "no-store")
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		h.get(w, r)
	case http.MethodPost:
		h.post(w, r)
	default:
		header.Set("Allow", "GET, HEAD, POST")
		h.problem(w, http.StatusMethodNotAllowed, "This form is read with GET and sent with POST.", nil)
	}
}

func (h *handler) get(w http.ResponseWriter, r *http.Request) {
	visit := h.open(r)
	visit.key = newKey()
	visit.received = r.URL.Query().Has("received")
	h.render(w, http.StatusOK, visit)
}

// newKey draws a submission key.
func newKey() string {
	var k lifecycle.Key
	_, _ = rand.Read(k[:]) // it never fails
	return k.String()
}

// open begins a session, with the saved record where there is one.
func (h *handler) open(r *http.Request) *visit {
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
	v := h.open(r)
	v.fill(sent)
	v.key, v.sentVersion, v.asJSON = sent.key, sent.version, sent.asJSON
	if v.key == "" {
		v.key = newKey()
	}
	if sent.change != nil {
		v.apply(*sent.change)
		h.render(w, http.StatusOK, v)
		return
	}
	h.submit(w, v, sent.button)
}

// submit runs the form's own submit, and where that sends, the work.
func (h *handler) submit(w http.ResponseWriter, v *visit, button string) {
	try := v.send(button)
	if try == nil {
		h.answer(w, v, http.StatusUnprocessableEntity)
		return
	}
	body := h.form.AppendBody(nil, try.Values)
	if err := h.valid(body); err != nil { // the form and its schema agree: a defect if not
		h.o.Log.Error("the schema refuses what the form accepts", "form", h.form.Name, "error", err)
		h.problem(w, http.StatusUnprocessableEntity, "The answers do not fit the schema of the form.", nil)
		return
	}
	s := Submission{Request: v.request, Button: try.Button, Key: v.key, Version: v.version(try.Version), Body: body}
	got, replayed, err := ledger.Once(v.request.Context(), h.o.Ledger, h.reservation(s), ledger.Options{}, func(ctx context.Context) (ledger.Answer, error) {
		response, err := h.o.Submit(ctx, s)
		if err != nil {
			return ledger.Answer{}, err
		}
		return toAnswer(response)
	})
	switch {
	case errors.Is(err, ledger.ErrInFlight):
		w.Header().Set("Retry-After", "1")
		h.problem(w, http.StatusConflict, "This submission is still being worked on. Try again in a moment.", nil)
		return
	case errors.Is(err, ledger.ErrDifferent):
		h.problem(w, http.StatusUnprocessableEntity, "This submission was sent before with other answers. Open the form again.", nil)
		return
	case err != nil:
		h.o.Log.Error("the submission failed", "form", h.form.Name, "error", err)
		h.problem(w, http.StatusInternalServerError, "Something went wrong here. Nothing was stored; try again.", nil)
		return
	}
	if replayed {
		w.Header().Set("Idempotency-Replayed", "true")
	}
	h.settle(w, v, try, got)
}

// settle gives the answer to the session, and the client what follows.
func (h *handler) settle(w http.ResponseWriter, v *visit, try *lifecycle.Effect, got ledger.Answer) {
	response := toResponse(got)
	reply := replies.Submit(h.form, response)
	v.apply(lifecycle.Replied(try.Attempt, try.Try, reply))
	v.key = newKey() // whatever follows is another submission
	if reply.Kind != lifecycle.ReplyAccepted {
		h.answer(w, v, got.Status)
		return
	}
	if v.asJSON {
		for name, value := range got.Header {
			w.Header().Set(name, value)
		}
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(got.Status)
		_, _ = w.Write(got.Body)
		return
	}
	to := localPath(reply.To)
	if to == "" || h.form.Accepted.Then != lifecycle.ThenNavigate {
		to = v.request.URL.EscapedPath() + "?received"
	}
	http.Redirect(w, v.request, to, http.StatusSeeOther)
}

// localPath is a destination inside this origin, or nothing.
func localPath(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsAny(to, "\\\r\n") {
		return ""
	}
	return to
}

func (h *handler) reservation(s Submission) ledger.Reservation {
	r := ledger.Reservation{Key: ledger.Key{Route: s.Request.URL.Path, Key: s.Key}}
	if h.o.Principal != nil {
		r.Principal = h.o.Principal(s.Request)
	}
	r.Fingerprint = sha256.Sum256(fmt.Appendf(nil, "%q %q %q %s", s.Request.URL.Path, s.Button, s.Version, s.Body))
	return r
}

// valid runs the schema library over what is about to be accepted. A merge patch
// is not a record: its parts have been checked by the form.
func (h *handler) valid(body []byte) error {
	if h.source.Schema == nil || h.form.Submit.Method == http.MethodPatch {
		return nil
	}
	var record any
	decoder := json.NewDecoder(strings.NewReader(string(body)))
	decoder.UseNumber()
	if err := decoder.Decode(&record); err != nil {
		return err
	}
	return h.source.Schema.Validate(record)
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
