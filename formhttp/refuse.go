package formhttp

import (
	"cmp"
	"encoding/json"
	"mime"
	"net/http"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// turnAway answers what was sent as Options.Admit says. The application is asked nothing: what is on
// the page again is what was typed, so that nobody is redirected away from it.
func (h *Handler) turnAway(w http.ResponseWriter, r *http.Request, sent *sent, with replies.Response) {
	answer, err := toAnswer(with)
	if err != nil {
		h.failed(w, r, nil, err)
		return
	}
	if redirects(answer.Status) {
		answer.Status = http.StatusUnauthorized
	}
	v := h.opened(r, func(request lifecycle.RequestID) lifecycle.Event { return lifecycle.Loaded(request, nil, sent.version) })
	sent.withoutEmptyRows()
	v.fill(sent)
	if !goodKey(sent.key) {
		sent.key = ""
	}
	// The page stays that of who opened it: another account's second press is turned away as well, and
	// who signs in again as the same person goes on.
	v.key, v.account, v.condition = cmp.Or(sent.key, newKey()), sent.account, sent.version
	w.Header().Set("Idempotency-Key", v.key)
	h.settle(w, v, sent, v.send(sent.button), answer)
}

// keepOut answers a request to read as Options.Admit says: with its status, and where that is a
// redirect, with its Location. Nothing that is saved is read.
func (h *Handler) keepOut(w http.ResponseWriter, v *visit, with replies.Response) {
	answer, err := toAnswer(with)
	if err != nil {
		h.failed(w, v.request, nil, err)
		return
	}
	passOn(w, answer, true)
	status := cmp.Or(answer.Status, http.StatusForbidden)
	if redirects(status) {
		w.WriteHeader(status)
		return
	}
	h.refuse(w, v.request, v, status, cmp.Or(replies.Submit(h.form, toResponse(answer)).Text, h.form.Words(form.MessageKeptOut)))
}

func redirects(status int) bool { return status >= 300 && status < 400 }

// refuseWrong tells what cannot be taken for an answer. Nothing was stored.
func (h *Handler) refuseWrong(w http.ResponseWriter, v *visit, sent *sent) {
	slices.SortFunc(sent.wrong, func(a, b problemEntry) int { return strings.Compare(a.Pointer, b.Pointer) })
	why := h.form.Words(form.MessageNotTaken)
	if wantsJSON(v.request) {
		h.problem(w, http.StatusUnprocessableEntity, why, sent.wrong)
		return
	}
	says := []string{why}
	for _, wrong := range sent.wrong {
		says = append(says, wrong.Detail)
	}
	h.refuse(w, v.request, v, http.StatusUnprocessableEntity, strings.Join(says, " "))
}

// answer tells what the session shows: as a page, or as problem details.
func (h *Handler) answer(w http.ResponseWriter, v *visit, status int) {
	if !wantsJSON(v.request) {
		h.render(w, status, v)
		return
	}
	notice, _, _ := v.session.Notice()
	h.problem(w, status, cmp.Or(v.says, h.form.Text(notice)), v.issues())
}

// refuse tells why a request was not taken: as a page with what was typed, or as
// problem details where the client asked for JSON. Without a visit nothing that was
// typed is known.
func (h *Handler) refuse(w http.ResponseWriter, r *http.Request, v *visit, status int, why string) {
	if wantsJSON(r) {
		h.problem(w, status, why, nil)
		return
	}
	if v == nil {
		v, _ = h.arrive(r)
	}
	v.key, v.says = cmp.Or(v.key, newKey()), why
	h.render(w, status, v)
}

// wantsJSON reports whether a client speaks JSON and no HTML.
func wantsJSON(r *http.Request) bool {
	kind, _, _ := mime.ParseMediaType(r.Header.Get("Content-Type"))
	accepts := r.Header.Get("Accept")
	return strings.HasSuffix(kind, "json") || strings.Contains(accepts, "json") && !strings.Contains(accepts, "html")
}

// problem writes problem details (RFC 9457).
func (h *Handler) problem(w http.ResponseWriter, status int, detail string, issues []problemEntry) {
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
