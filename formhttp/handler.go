package formhttp

import (
	"cmp"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime/debug"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/lifecycle"
)

// Handler serves one form: its page, its submissions and its record. It reads a request, decides about
// it, and writes the outcome, each in a step of its own.
type Handler struct {
	checked http.Handler // serve, for requests of this site's own pages alone

	form         *form.Form
	validator    Validator
	o            Options
	page         *template.Template
	style        string
	openings     openings
	policyHeader []string
	secret       []byte

	mu   sync.Mutex
	open map[string]int // submissions that are worked on, by account
}

// New makes the handler of a form. A nil validator refuses nothing. Submissions from
// another origin are refused ([http.CrossOriginProtection]). It returns an error for
// what cannot work: no form, no Options.Submit, or a page of your own that does not show what is
// wrong.
func New(declared *form.Form, validator Validator, o Options) (*Handler, error) {
	switch {
	case declared == nil:
		return nil, errors.New("formhttp: found no form; right would be a declare.Source's Form")
	case o.Submit == nil:
		return nil, fmt.Errorf("formhttp: found no Options.Submit for the form %s; right would be a function that stores what is submitted", declared.Name)
	case o.Load != nil && !declared.Prefill.Loads():
		return nil, fmt.Errorf("formhttp: found Options.Load for the form %s, which has no prefill and would never load; right would be prefill: {url: …} in the form, or no Load", declared.Name)
	case o.Secret != nil && len(o.Secret) < 32:
		return nil, fmt.Errorf("formhttp: found an Options.Secret of %d bytes for the form %s; right would be at least 32 random bytes, the same in each process", len(o.Secret), declared.Name)
	}
	if file := declared.FirstFile(); file != "" && o.Script != "" {
		return nil, fmt.Errorf("formhttp: found Options.Script for the form %s, whose field %s takes a file, and a script sends of a file its name alone; right would be no Script: then the browser itself sends the file", declared.Name, file)
	}
	if proven, is := validator.(interface{ Proves(*form.Form) bool }); is && proven.Proves(declared) {
		validator = nil
	}
	h := &Handler{
		form: declared, validator: validator, o: o, open: map[string]int{},
		openings: openings{key: newKey(), account: newKey(), pages: map[string]string{}},
	}
	if h.o.Ledger == nil {
		h.o.Ledger = memory.New(24 * time.Hour)
	}
	if h.o.Log == nil {
		h.o.Log = slog.Default()
	}
	if h.o.MaxBody == 0 {
		h.o.MaxBody = 1 << 20
		if h.form.FirstFile() != "" {
			h.o.MaxBody = 32 << 20
		}
	}
	if h.secret = o.Secret; h.secret == nil {
		h.secret = make([]byte, 32)
		_, _ = rand.Read(h.secret) // it never fails
	}
	h.o.MaxFields = cmp.Or(h.o.MaxFields, 10_000)
	h.o.MaxOpen = cmp.Or(h.o.MaxOpen, 20)
	var err error
	if h.page, err = newPage(h.form, o.Page); err != nil {
		return nil, fmt.Errorf("formhttp: the form %s: %w", declared.Name, err)
	}
	if err := h.looksRight(); err != nil {
		return nil, fmt.Errorf("formhttp: the form %s: %w", declared.Name, err)
	}
	h.style = pageStyle + o.Style
	h.policyHeader = []string{cmp.Or(h.o.Policy, h.policy())}
	origins := http.NewCrossOriginProtection()
	origins.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h.write(w, h.asks(r), h.refusal(http.StatusForbidden, form.MessageOtherSite))
	}))
	h.checked = origins.Handler(http.HandlerFunc(h.serve))
	return h, nil
}

// ServeHTTP answers a request for the form, as docs/server.md says of each kind.
func (h *Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) { h.checked.ServeHTTP(w, r) }

func (h *Handler) serve(w http.ResponseWriter, r *http.Request) {
	if r.Body != nil {
		r.Body = http.MaxBytesReader(w, r.Body, h.o.MaxBody)
	}
	q := h.asks(r)
	defer func() {
		if failed := recover(); failed != nil {
			if failed == http.ErrAbortHandler {
				panic(failed)
			}
			h.panicked()
			h.write(w, q, h.refusal(http.StatusInternalServerError, form.MessageSomethingWrong))
		}
	}()
	h.write(w, q, h.decide(q))
}

// decide is the outcome of a request.
func (h *Handler) decide(q *request) outcome {
	if !markup.Readable(q.URL.Path) {
		return outcome{status: http.StatusBadRequest, kind: "text/plain; charset=utf-8", body: []byte(markup.UnreadablePath)}
	}
	switch q.Method {
	case http.MethodGet, http.MethodHead:
		return h.get(q)
	case http.MethodPost, h.form.Submit.Method:
		return h.post(q)
	case http.MethodOptions:
		return outcome{status: http.StatusNoContent, kind: "text/plain"}.with("Allow", h.allowed())
	}
	return h.refusal(http.StatusMethodNotAllowed, form.MessageWrongMethod).with("Allow", h.allowed())
}

// allowed are the methods of a form (RFC 9110, section 10.2.1).
func (h *Handler) allowed() string {
	allowed := "GET, HEAD, OPTIONS, POST"
	if method := h.form.Submit.Method; method != http.MethodPost {
		allowed += ", " + method
	}
	return allowed
}

// panicked logs where something panicked. What it says is left out: it may hold what
// somebody typed.
func (h *Handler) panicked() {
	h.o.Log.Error("the form panicked", "form", h.form.Name, "stack", string(debug.Stack()))
}

func (h *Handler) get(q *request) outcome {
	if q.URL.Query().Has(markup.Compiled) {
		return h.compiled()
	}
	if q.json {
		return h.record(q).with("Vary", "Accept")
	}
	o := outcome{status: http.StatusOK}
	if with := h.admit(q); with != nil {
		o = h.keptOut(q, *with)
	} else if o.visit = h.begin(q); o.visit.missing {
		o = h.refusal(http.StatusNotFound, form.MessageNoSuchRecord).on(o.visit)
	} else {
		o.visit.key, o.opens = newKey(), true
		o.received, o.receipt = h.receipt(q)
	}
	return o.with("Vary", "Accept")
}

// record gives the saved record, which a form's prefill.url can ask for where its page is.
func (h *Handler) record(q *request) outcome {
	if with := h.admit(q); with != nil {
		return h.keptOut(q, *with)
	}
	if h.o.Load == nil {
		return h.refusal(http.StatusNotFound, form.MessageNoRecord)
	}
	record, version, err := h.saved(q)
	var body []byte
	if err == nil {
		if body, err = json.Marshal(record); err != nil {
			h.o.Log.Warn("the saved answers are no JSON", "form", h.form.Name, "error", err)
		}
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		return h.refusal(http.StatusNotFound, form.MessageNoSuchRecord)
	case err != nil:
		return h.refusal(http.StatusInternalServerError, form.MessageRecordFailed)
	}
	o := outcome{status: http.StatusOK, kind: "application/json", body: body}
	if version != "" {
		o = o.with("ETag", tagOf(version))
	}
	return o
}

// compiled gives the form as the script reads it.
func (h *Handler) compiled() outcome {
	data, err := h.form.MarshalBinary()
	if err != nil {
		h.o.Log.Error("the form cannot be compiled", "form", h.form.Name, "error", err)
		return h.refusal(http.StatusInternalServerError, form.MessageSomethingWrong)
	}
	return outcome{status: http.StatusOK, kind: "application/octet-stream", body: data}
}

// newKey draws a submission key.
func newKey() string {
	var k lifecycle.Key
	_, _ = rand.Read(k[:]) // it never fails
	return k.String()
}
