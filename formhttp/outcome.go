package formhttp

import (
	"cmp"
	"encoding/json"
	"io"
	"mime"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/ledger"
	"leanwicket.dev/lifecycle"
)

// An outcome is what a request is answered with. It is decided before anything is written.
type outcome struct {
	status   int
	header   http.Header // beside those of every answer
	visit    *visit      // whose form the page shows; nil means that it shows none
	says     string      // why; empty means what the session says
	opens    bool        // the page is as it opens, before anybody has typed or sent anything
	received bool        // the page tells that its last submission was accepted
	receipt  string      // the address of what was received
	judged   bool        // the issues of the session are listed, for a client that speaks JSON
	wrong    []problemEntry
	kind     string // the media type of body; empty means a page, or problem details
	body     []byte
	to       string // where a redirect leads
}

// refusal is the one way to turn somebody away: a status, and why.
func (h *Handler) refusal(status int, why form.MessageID, arguments ...string) outcome {
	return outcome{status: status, says: h.form.Words(why, arguments...)}
}

// on shows the outcome on the page of a visit, with what was typed.
func (o outcome) on(v *visit) outcome {
	o.visit = v
	if v != nil {
		v.key = cmp.Or(v.key, newKey())
	}
	return o
}

// with adds a header.
func (o outcome) with(name, value string) outcome {
	if o.header == nil {
		o.header = http.Header{}
	}
	o.header.Set(name, value)
	return o
}

// soon says that the same can be sent again in a moment.
func (o outcome) soon() outcome { return o.with("Retry-After", "1") }

// Outcomes are what becomes of a request: it only reads, or it changes the rows of a page, or it is a
// submission, whose outcome is one of lifecycle.md or that the form holds it; or it is turned away
// before that, or fails.
var Outcomes = []string{
	"read", "changed", "accepted", "refused", "denied", "outdated", "unsettled", "held", "turned away", "failed",
}

// word is the outcome as one of Outcomes.
func (o outcome) word(q *request) string {
	if o.judged {
		switch now := o.visit.session.Submission(); now {
		case lifecycle.SubmissionIdle:
			return "held"
		case lifecycle.SubmissionAccepted, lifecycle.SubmissionRefused, lifecycle.SubmissionDenied, lifecycle.SubmissionOutdated:
			return now.String()
		}
		return "unsettled"
	}
	switch {
	case o.status >= 500:
		return "failed"
	case o.status >= 400:
		return "turned away"
	case q.Method == http.MethodPost:
		return "changed"
	}
	return "read"
}

// write writes an outcome: as the body that it has, as a page, or as problem details where the client
// speaks JSON.
func (h *Handler) write(w http.ResponseWriter, q *request, o outcome) {
	if h.o.Served != nil {
		defer func() {
			h.o.Served(Served{Form: h.form.Name, Status: o.status, Outcome: o.word(q), Repeat: w.Header().Get("Leanwicket-Repeat") != "", Took: time.Since(q.began)})
		}()
	}
	header := w.Header()
	header["Content-Security-Policy"] = h.policyHeader
	header["X-Content-Type-Options"] = noSniff
	header["Referrer-Policy"] = sameOrigin
	header["Cache-Control"] = noStore
	for name, lines := range o.header {
		header[name] = lines
	}
	switch {
	case redirects(o.status) && o.to != "":
		http.Redirect(w, q.Request, o.to, o.status)
	case redirects(o.status):
		w.WriteHeader(o.status)
	case o.kind != "":
		header.Set("Content-Type", o.kind)
		w.WriteHeader(o.status)
		_, _ = w.Write(o.body)
	case q.json:
		h.problem(w, o)
	default:
		page, err := h.render(q, o)
		if err != nil {
			h.o.Log.Error("the page cannot be rendered", "form", h.form.Name, "error", err)
			o = outcome{status: http.StatusInternalServerError}
			http.Error(w, h.form.Words(form.MessageSomethingWrong), o.status)
			return
		}
		header.Set("Content-Type", "text/html; charset=utf-8")
		w.WriteHeader(o.status)
		_, _ = io.WriteString(w, page)
	}
}

// openings are the pages of a form as it opens. They have stand-ins for the key and the account, which
// are all that changes from one request to the next.
type openings struct {
	key, account string // the stand-ins, which nobody can guess

	mu    sync.Mutex
	pages map[string]string // by address, and whether there is an account
}

// mostOpenings is how many pages are kept: an address can have any names in it.
const mostOpenings = 100

// page returns the page of an address, which is rendered where it is not kept. Nobody waits for another's
// rendering.
func (o *openings) page(at string, render func() (string, error)) (string, error) {
	o.mu.Lock()
	page, known := o.pages[at]
	o.mu.Unlock()
	if known {
		return page, nil
	}
	page, err := render()
	if err != nil {
		return "", err
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	if len(o.pages) < mostOpenings {
		o.pages[at] = page
	}
	return page, nil
}

// render is the page of an outcome. A page that opens is rendered once for each address, unless it has
// parts or a record of the application.
func (h *Handler) render(q *request, o outcome) (string, error) {
	view := h.view(q, o)
	if !o.opens || o.received || h.o.Page != nil || h.o.Own != nil || h.o.Load != nil {
		return h.execute(view)
	}
	key, account := view.Key, view.Account
	view.Key = h.openings.key
	if account != "" {
		view.Account = h.openings.account
	}
	at := view.Action + "?" + view.Given + "#" + view.Account
	page, err := h.openings.page(at, func() (string, error) { return h.execute(view) })
	if err != nil {
		return "", err
	}
	page = strings.Replace(page, h.openings.key, key, 1)
	if account != "" {
		page = strings.ReplaceAll(page, h.openings.account, account)
	}
	return page, nil
}

func (h *Handler) execute(view pageView) (string, error) {
	var text strings.Builder
	err := h.page.ExecuteTemplate(&text, "page", view)
	return text.String(), err
}

// The values of headers that every answer has.
var noSniff, sameOrigin, noStore = []string{"nosniff"}, []string{"same-origin"}, []string{"no-store"}

// problem writes problem details (RFC 9457).
func (h *Handler) problem(w http.ResponseWriter, o outcome) {
	detail, wrong := o.says, o.wrong
	if o.judged {
		notice, _, _ := o.visit.session.Notice()
		detail, wrong = cmp.Or(detail, h.form.Text(notice)), o.visit.issues()
	}
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(o.status)
	_ = json.NewEncoder(w).Encode(struct {
		Title  string         `json:"title"`
		Status int            `json:"status"`
		Detail string         `json:"detail,omitempty"`
		Errors []problemEntry `json:"errors,omitempty"`
	}{http.StatusText(o.status), o.status, detail, wrong})
}

// problemEntry is one thing that is wrong: its place is a JSON Pointer as a URI
// fragment.
type problemEntry struct {
	Pointer string `json:"pointer"`
	Code    string `json:"code"`
	Detail  string `json:"detail"`
}

// wantsJSON reports whether a client speaks JSON and no HTML.
func wantsJSON(r *http.Request) bool {
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
	accepts := r.Header.Get("Accept")
	return strings.HasSuffix(kind, "json") || strings.Contains(accepts, "json") && !strings.Contains(accepts, "html")
}

func redirects(status int) bool { return status >= 300 && status < 400 }

// ownHeaders are those that say what the handler itself writes.
var ownHeaders = []string{"Content-Type", "Content-Length", "Content-Encoding", "Transfer-Encoding", "Connection", "Idempotency-Key"}

// passOn gives the client the headers of the application's answer, each of several lines of one
// name, unless they are the handler's own.
func (o outcome) passOn(answer ledger.Response, location bool) outcome {
	for name, text := range answer.Header {
		name = http.CanonicalHeaderKey(name)
		if slices.Contains(ownHeaders, name) || name == "Location" && !location {
			continue
		}
		if name == "Etag" {
			text = tagOf(text)
		}
		o = o.with(name, "")
		o.header[name] = strings.Split(text, "\n")
	}
	return o
}
