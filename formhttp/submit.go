package formhttp

import (
	"context"
	"crypto/sha256"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/ledger"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

func (h *Handler) admit(r *http.Request) *replies.Response {
	if h.o.Admit == nil {
		return nil
	}
	return h.o.Admit(r)
}

// errHeld ends the work of a submission that the form holds.
var errHeld = errors.New("the form holds it")

// notAnOutcome is an answer of the application that settles nothing: it is not
// kept, and a repeat asks the application again.
type notAnOutcome struct{ answer ledger.Response }

func (notAnOutcome) Error() string { return "the application's answer settles nothing" }

// submit runs the form's own submit, and where that sends, the work. The ledger is
// asked first: a repeat gets its answer also where the record has changed since,
// so that there would be nothing to send.
func (h *Handler) submit(w http.ResponseWriter, v *visit, sent *sent) {
	w.Header().Set("Idempotency-Key", v.key) // so that client and logs can tell which it was
	try := v.send(sent.button)
	if why := h.lacksKey(sent); why != "" && try != nil {
		h.refuse(w, v.request, v, http.StatusBadRequest, why)
		return
	}
	got, repeated, err := ledger.Once(v.request.Context(), h.o.Ledger, h.reservation(v, sent), h.o.Once, func(ctx context.Context) (ledger.Response, error) {
		if try == nil {
			return ledger.Response{}, errHeld
		}
		return h.work(ctx, v, try)
	})
	var unsettled notAnOutcome
	switch {
	case errors.Is(err, errHeld) && v.missing:
		h.refuse(w, v.request, v, http.StatusNotFound, h.form.Words(form.MessageNothingStored))
		return
	case errors.Is(err, errHeld):
		h.answer(w, v, http.StatusUnprocessableEntity)
		return
	case errors.As(err, &unsettled):
		got = unsettled.answer
	case errors.Is(err, ledger.ErrInFlight):
		w.Header().Set("Retry-After", "1")
		h.refuse(w, v.request, v, http.StatusConflict, h.form.Words(form.MessageInFlight))
		return
	case errors.Is(err, ledger.ErrDifferent):
		v.key = newKey()
		h.refuse(w, v.request, v, http.StatusUnprocessableEntity, h.form.Words(form.MessageDifferent))
		return
	case errors.Is(err, ledger.ErrBusy):
		h.o.Log.Warn("the submission was not worked on", "form", h.form.Name, "error", err)
		w.Header().Set("Retry-After", "1")
		h.refuse(w, v.request, v, http.StatusServiceUnavailable, h.form.Words(form.MessageBusy))
		return
	case errors.Is(err, ledger.ErrLost), errors.Is(err, ledger.ErrUnknown):
		h.o.Log.Error("the outcome of the submission is not known", "form", h.form.Name, "error", err)
		h.refuse(w, v.request, v, http.StatusInternalServerError, h.form.Words(form.MessageLost))
		return
	case err != nil:
		h.failed(w, v.request, v, err)
		return
	}
	if repeated {
		w.Header().Set("Leanwicket-Repeat", "true")
	}
	h.settle(w, v, sent, try, got)
}

// failed tells that nothing was stored; why is for the log alone.
func (h *Handler) failed(w http.ResponseWriter, r *http.Request, v *visit, err error) {
	h.o.Log.Error("the submission failed", "form", h.form.Name, "error", err)
	h.refuse(w, r, v, http.StatusInternalServerError, h.form.Words(form.MessageSomethingWrong))
}

// work is what a submission is for, once the form and its schema allow it.
func (h *Handler) work(ctx context.Context, v *visit, try *lifecycle.Effect) (ledger.Response, error) {
	body := h.form.AppendBody(nil, try.Values)
	if err := h.valid(body); err != nil {
		return ledger.Response{}, fmt.Errorf("the schema refuses what the form accepts: %w", err)
	}
	response, err := h.ask(ctx, Submission{Form: h.form, Request: v.request, Button: try.Button, Key: v.key, Version: v.version(), Body: body})
	if err != nil {
		return ledger.Response{}, err
	}
	if response.Status == 0 {
		return ledger.Response{}, errNoStatus
	}
	answer, err := toAnswer(response)
	if err != nil {
		return ledger.Response{}, err
	}
	switch kind := replies.Submit(h.form, response).Kind; {
	case kind == lifecycle.ReplyAccepted:
		return answer, nil
	case isOutcome(kind):
		return ledger.Response{}, ledger.Refused{Response: answer} // what the work has written is taken back
	}
	return ledger.Response{}, notAnOutcome{answer}
}

// ask lets the application work. A panic is an error like others: nothing was done.
func (h *Handler) ask(ctx context.Context, s Submission) (response replies.Response, err error) {
	defer func() {
		switch failed := recover(); failed {
		case nil:
		case http.ErrAbortHandler:
			panic(failed)
		default:
			h.panicked()
			err = errPanicked
		}
	}()
	return h.o.Submit(ctx, s)
}

// errNoStatus is an answer that says nothing: whether anything was stored is not known.
var errNoStatus = errors.New("the application answered without a status")

var errPanicked = errors.New("the application panicked")

// isOutcome reports whether an answer is kept under its key. Who was signed out,
// or came while the application was closed, may try the same again.
func isOutcome(kind lifecycle.ReplyKind) bool {
	return kind == lifecycle.ReplyAccepted || kind == lifecycle.ReplyRefused || kind == lifecycle.ReplyOutdated
}

// ownHeaders are those that say what the handler itself writes.
var ownHeaders = []string{"Content-Type", "Content-Length", "Content-Encoding", "Transfer-Encoding", "Connection", "Idempotency-Key"}

// passOn gives the client the headers of the application's answer, each of several lines of one
// name, unless they are the handler's own.
func passOn(w http.ResponseWriter, answer ledger.Response, location bool) {
	for name, text := range answer.Header {
		name = http.CanonicalHeaderKey(name)
		if slices.Contains(ownHeaders, name) || name == "Location" && !location {
			continue
		}
		if name == "Etag" {
			text = tagOf(text)
		}
		w.Header().Del(name)
		for line := range strings.SplitSeq(text, "\n") {
			w.Header().Add(name, line)
		}
	}
}

// settle gives the answer to the session, and the client what follows.
func (h *Handler) settle(w http.ResponseWriter, v *visit, sent *sent, try *lifecycle.Effect, got ledger.Response) {
	response := toResponse(got)
	if try != nil {
		response.Sent = try.Values
	}
	reply := replies.Submit(h.form, response)
	if try != nil {
		v.apply(lifecycle.Replied(try.Attempt, try.Try, reply))
	}
	if v.session.Activity() == lifecycle.ActivityWaiting { // a page without script sends nothing again by itself
		v.says = h.form.Text(form.UnsettledUntil(max(reply.RetryAfter, h.form.Submit.ResendWait)))
	}
	key := v.key
	if isOutcome(reply.Kind) {
		v.key = newKey() // whatever follows is another submission
	}
	asJSON := wantsJSON(v.request)
	passOn(w, got, asJSON)
	switch {
	case reply.Kind != lifecycle.ReplyAccepted:
		status := got.Status
		if status < 300 { // it refuses in its body
			status = http.StatusUnprocessableEntity
		}
		if reply.Kind == lifecycle.ReplyOutdated && !asJSON {
			v = h.outdated(v, sent)
		}
		h.answer(w, v, status)
	case asJSON:
		w.Header().Set("Content-Type", "application/json")
		w.WriteHeader(got.Status)
		_, _ = w.Write(got.Body)
	default:
		to := localPath(reply.To)
		if to == "" || h.form.Accepted.Then != form.ThenNavigate {
			to = v.address() + "?" + markup.Received + "=" + url.QueryEscape(key) + "#" + v.ids.Notice()
		}
		http.Redirect(w, v.request, to, http.StatusSeeOther)
	}
}

// receipt is what a page tells of the submission that it was redirected from: only
// what the ledger knows of its key is told, and only to the account that sent it.
func (h *Handler) receipt(r *http.Request) (received bool, address string) {
	key := r.URL.Query().Get(markup.Received)
	if key == "" || !goodKey(key) {
		return false, ""
	}
	route := http.MethodPost + " " + r.URL.Path
	answer, known, err := h.o.Ledger.Find(r.Context(), ledger.Key{Principal: h.principal(r), Route: route, Key: key})
	if err != nil {
		h.o.Log.Warn("the ledger cannot be read", "form", h.form.Name, "error", err)
	}
	if !known {
		return false, ""
	}
	reply := replies.Submit(h.form, toResponse(answer))
	return reply.Kind == lifecycle.ReplyAccepted, localPath(reply.To)
}

// localPath is a destination inside this origin, or nothing. Browsers leave tabs
// and line ends out of a URL, and read a backslash as a slash.
func localPath(to string) string {
	if !strings.HasPrefix(to, "/") || strings.HasPrefix(to, "//") || strings.ContainsFunc(to, func(c rune) bool { return c == '\\' || c <= ' ' || c == 0x7f }) {
		return ""
	}
	return to
}

// reservation is of what the request says, not of what it means for a record
// that may change before it is repeated.
func (h *Handler) reservation(v *visit, sent *sent) ledger.Reservation {
	route := v.request.Method + " " + v.request.URL.Path
	said, _ := json.Marshal([]any{route, sent.button, sent.version, sent.rows, sent.values}) // texts and numbers; maps are written in order
	return ledger.Reservation{Key: ledger.Key{Principal: h.principal(v.request), Route: route, Key: v.key}, Fingerprint: sha256.Sum256(said)}
}

// valid runs the schema library over what is about to be accepted. A merge patch
// is not a record: its parts have been checked by the form.
func (h *Handler) valid(body []byte) error {
	if h.validator == nil || h.form.Submit.Method == http.MethodPatch {
		return nil
	}
	var record any
	decoder := json.NewDecoder(strings.NewReader(string(body)))
	decoder.UseNumber()
	if err := decoder.Decode(&record); err != nil {
		return err
	}
	return h.validator.Validate(record)
}
