package formhttp

import (
	"cmp"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io/fs"
	"log/slog"
	"net/http"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/memory"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// Handler serves one form: its page, its submissions and its record.
type Handler struct {
	checked http.Handler // serve, for requests of this site's own pages alone

	form      *form.Form
	validator Validator
	o         Options
	page      *template.Template
	style     string
	secret    []byte

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
	}
	if file := declared.FirstFile(); file != "" && o.Script != "" {
		return nil, fmt.Errorf("formhttp: found Options.Script for the form %s, whose field %s takes a file, and a script sends of a file its name alone; right would be no Script: then the browser itself sends the file", declared.Name, file)
	}
	h := &Handler{form: declared, validator: validator, o: o, open: map[string]int{}}
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
	h.style = pageStyle + o.Style
	if h.o.Policy == "" {
		h.o.Policy = h.policy()
	}
	origins := http.NewCrossOriginProtection()
	origins.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h.headers(w)
		h.refuse(w, r, nil, http.StatusForbidden, h.form.Words(form.MessageOtherSite))
	}))
	h.checked = origins.Handler(http.HandlerFunc(h.serve))
	return h, nil
}

// ServeHTTP answers a request for the form, as docs/server.md says of each kind.
func (h *Handler) ServeHTTP(w http.ResponseWriter, r *http.Request) { h.checked.ServeHTTP(w, r) }

func (h *Handler) serve(w http.ResponseWriter, r *http.Request) {
	defer func() {
		if failed := recover(); failed != nil {
			if failed == http.ErrAbortHandler {
				panic(failed)
			}
			h.panicked()
			v := h.opened(r, nil)
			h.refuse(w, r, v, http.StatusInternalServerError, h.form.Words(form.MessageSomethingWrong))
		}
	}()
	h.headers(w)
	if !markup.Readable(r.URL.Path) {
		http.Error(w, markup.UnreadablePath, http.StatusBadRequest)
		return
	}
	switch r.Method {
	case http.MethodGet, http.MethodHead:
		h.get(w, r)
	case http.MethodPost, h.form.Submit.Method:
		h.post(w, r)
	case http.MethodOptions:
		w.Header().Set("Allow", h.allowed())
		w.WriteHeader(http.StatusNoContent)
	default:
		w.Header().Set("Allow", h.allowed())
		h.refuse(w, r, nil, http.StatusMethodNotAllowed, h.form.Words(form.MessageWrongMethod))
	}
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

func (h *Handler) headers(w http.ResponseWriter) {
	header := w.Header()
	header.Set("Content-Security-Policy", h.o.Policy)
	header.Set("X-Content-Type-Options", "nosniff")
	header.Set("Referrer-Policy", "same-origin")
	header.Set("Cache-Control", "no-store")
}

func (h *Handler) get(w http.ResponseWriter, r *http.Request) {
	if r.URL.Query().Has(markup.Compiled) {
		h.compiled(w)
		return
	}
	w.Header().Add("Vary", "Accept")
	if wantsJSON(r) {
		h.record(w, r)
		return
	}
	visit, turnedAway := h.arrive(r)
	visit.key = newKey()
	if turnedAway != nil {
		h.keepOut(w, visit, *turnedAway)
		return
	}
	if visit.missing {
		h.refuse(w, r, visit, http.StatusNotFound, h.form.Words(form.MessageNoSuchRecord))
		return
	}
	visit.received, visit.receipt = h.receipt(r)
	h.render(w, http.StatusOK, visit)
}

// record gives the saved record, which a form's prefill.url can ask for where its page is.
func (h *Handler) record(w http.ResponseWriter, r *http.Request) {
	if turnedAway := h.admit(r); turnedAway != nil {
		h.keepOut(w, &visit{request: r}, *turnedAway)
		return
	}
	if h.o.Load == nil {
		h.problem(w, http.StatusNotFound, h.form.Words(form.MessageNoRecord), nil)
		return
	}
	record, version, err := h.saved(r)
	var body []byte
	if err == nil {
		if body, err = json.Marshal(record); err != nil {
			h.o.Log.Warn("the saved answers are no JSON", "form", h.form.Name, "error", err)
		}
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		h.problem(w, http.StatusNotFound, h.form.Words(form.MessageNoSuchRecord), nil)
		return
	case err != nil:
		h.problem(w, http.StatusInternalServerError, h.form.Words(form.MessageRecordFailed), nil)
		return
	}
	if version != "" {
		w.Header().Set("ETag", tagOf(version))
	}
	w.Header().Set("Content-Type", "application/json")
	_, _ = w.Write(body)
}

// compiled gives the form as the script reads it.
func (h *Handler) compiled(w http.ResponseWriter) {
	data, err := h.form.MarshalBinary()
	if err != nil {
		h.o.Log.Error("the form cannot be compiled", "form", h.form.Name, "error", err)
		http.Error(w, h.form.Words(form.MessageSomethingWrong), http.StatusInternalServerError)
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

// arrive opens a session for whoever asks. Who is turned away gets nothing that is saved.
func (h *Handler) arrive(r *http.Request) (v *visit, turnedAway *replies.Response) {
	if turnedAway = h.admit(r); turnedAway != nil {
		return h.opened(r, func(request lifecycle.RequestID) lifecycle.Event {
			return lifecycle.LoadFailed(request, "not admitted")
		}), turnedAway
	}
	return h.begin(r), nil
}

// begin opens a session for somebody who is admitted, with the saved record where there is one.
func (h *Handler) begin(r *http.Request) *visit {
	missing := false
	var record map[string]any
	v := h.opened(r, func(request lifecycle.RequestID) (loaded lifecycle.Event) {
		var err error
		record, loaded, err = h.load(r, request)
		missing = errors.Is(err, fs.ErrNotExist)
		return loaded
	})
	v.missing, v.record = missing, record
	return v
}

// opened opens a session, whose load is answered as somebody says; nil means that it is not.
func (h *Handler) opened(r *http.Request, answer func(lifecycle.RequestID) lifecycle.Event) *visit {
	session, opening := lifecycle.Open(h.form, lifecycle.Seed{})
	v := &visit{form: h.form, request: r, session: session, ids: markup.Page}
	load := slices.IndexFunc(opening, func(e lifecycle.Effect) bool { return e.Kind == lifecycle.EffectLoad })
	if load >= 0 && answer != nil {
		v.apply(answer(opening[load].Request))
	}
	return v
}

// saved is what the application has saved, and its version. That it could not be loaded is
// logged.
func (h *Handler) saved(r *http.Request) (record map[string]any, version string, err error) {
	if record, version, err = h.o.Load(r); err != nil && !errors.Is(err, fs.ErrNotExist) {
		h.o.Log.Warn("the saved answers could not be loaded", "form", h.form.Name, "error", err)
	}
	return record, version, err
}

func (h *Handler) load(r *http.Request, request lifecycle.RequestID) (map[string]any, lifecycle.Event, error) {
	if h.o.Load == nil {
		return nil, lifecycle.Loaded(request, nil, ""), nil
	}
	record, version, err := h.saved(r)
	if err != nil {
		return nil, lifecycle.LoadFailed(request, "the application"), err
	}
	return record, lifecycle.Loaded(request, replies.Values(h.form, record), version), nil
}

func (h *Handler) post(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, h.o.MaxBody)
	sent, err := h.read(r)
	var tooLarge *http.MaxBytesError
	switch {
	case errors.As(err, &tooLarge):
		h.refuse(w, r, nil, http.StatusRequestEntityTooLarge, h.form.Words(form.MessageTooLarge, "limit", strconv.FormatInt(h.o.MaxBody>>10, 10)+" KiB"))
		return
	case errors.Is(err, errTooMany):
		h.refuse(w, r, nil, http.StatusRequestEntityTooLarge, h.form.Words(form.MessageTooMany))
		return
	case err != nil:
		h.refuse(w, r, nil, http.StatusBadRequest, h.form.Words(form.MessageUnreadable, "why", err.Error()))
		return
	}
	if turnedAway := h.admit(r); turnedAway != nil {
		h.turnAway(w, r, sent, *turnedAway)
		return
	}
	if h.isOthers(r, sent) {
		h.turnAway(w, r, sent, replies.Response{Status: http.StatusUnauthorized, Body: map[string]any{"title": h.form.Words(form.MessageOtherAccount)}})
		return
	}
	if !h.form.Submit.Creates() && !isCondition(sent.version) {
		h.refuse(w, r, nil, http.StatusBadRequest, h.form.Words(form.MessageBadVersion, "found", fmt.Sprintf("%.40q", sent.version)))
		return
	}
	v := h.begin(r)
	v.account, v.condition = sent.account, sent.version
	v.fill(sent)
	h.refuseUnknown(v, sent)
	if len(sent.wrong) > 0 {
		h.refuseWrong(w, v, sent)
		return
	}
	if !goodKey(sent.key) {
		h.refuse(w, r, v, http.StatusBadRequest, h.form.Words(form.MessageBadKey))
		return
	}
	v.key = cmp.Or(sent.key, newKey())
	v = h.chooses(v, sent)
	if sent.change != nil {
		v.apply(*sent.change)
		h.render(w, http.StatusOK, v)
		return
	}
	if h.needsVersion(v, sent) {
		h.unversioned(w, v, sent)
		return
	}
	account := h.principal(r)
	if !h.enter(account) {
		w.Header().Set("Retry-After", "1")
		h.refuse(w, r, v, http.StatusTooManyRequests, h.form.Words(form.MessageCrowded))
		return
	}
	defer h.leave(account)
	h.submit(w, v, sent)
}

// lacksKey is why a submission without a key is not worked on; empty where it is. A page always has one.
func (h *Handler) lacksKey(s *sent) string {
	switch {
	case s.key != "" || s.json && h.o.KeylessJSON:
		return ""
	case s.json:
		return h.form.Words(form.MessageNoKey)
	default:
		return h.form.Words(form.MessageNoKeyOnPage)
	}
}

// goodKey reports whether a key can be kept.
func goodKey(key string) bool {
	return len(key) <= 255 && !strings.ContainsFunc(key, func(c rune) bool { return c <= ' ' || c > '~' })
}

func (h *Handler) principal(r *http.Request) string {
	if h.o.Principal == nil {
		return ""
	}
	return h.o.Principal(r)
}

// account is the digest of a request's account; empty where there is none.
func (h *Handler) account(r *http.Request) string {
	principal := h.principal(r)
	if principal == "" {
		return ""
	}
	digest := hmac.New(sha256.New, h.secret)
	digest.Write([]byte("leanwicket account " + principal))
	return base64.RawURLEncoding.EncodeToString(digest.Sum(nil)[:16])
}

// isOthers reports whether a page that was opened by one account is sent by another. It
// can tell only where all processes make the same digests.
func (h *Handler) isOthers(r *http.Request, s *sent) bool {
	return h.o.Secret != nil && s.account != "" && s.account != h.account(r)
}

func (h *Handler) enter(account string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.o.Principal != nil && h.open[account] >= h.o.MaxOpen {
		return false
	}
	h.open[account]++
	return true
}

func (h *Handler) leave(account string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.open[account]--; h.open[account] == 0 {
		delete(h.open, account)
	}
}

func toAnswer(r replies.Response) (ledger.Response, error) {
	a := ledger.Response{Status: r.Status, Header: r.Header}
	if r.Body == nil {
		return a, nil
	}
	body, err := json.Marshal(r.Body)
	a.Body = body
	return a, err
}

func toResponse(a ledger.Response) replies.Response {
	r := replies.Response{Status: a.Status, Header: a.Header, Now: time.Now()}
	if len(a.Body) > 0 {
		_ = json.Unmarshal(a.Body, &r.Body) // it was marshalled by toAnswer
	}
	return r
}
