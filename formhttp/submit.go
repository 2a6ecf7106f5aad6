package formhttp

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/decode"
	"leanwicket.dev/internal/markup"
	"leanwicket.dev/ledger"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// post decides about what was sent.
func (h *Handler) post(q *request) outcome {
	s, err := h.read(q.Request)
	if err != nil {
		return h.unreadable(err)
	}
	if with := h.admit(q); with != nil {
		return h.turnedAway(q, s, *with)
	}
	if h.isOthers(q, s) {
		return h.turnedAway(q, s, Answer{Status: http.StatusUnauthorized, Body: map[string]any{"title": h.form.Words(form.MessageOtherAccount)}})
	}
	if !h.form.Submit.Creates() && !isCondition(s.version) {
		return h.refusal(http.StatusBadRequest, form.MessageBadVersion, "found", fmt.Sprintf("%.40q", s.version))
	}
	v := h.begin(q)
	v.account, v.condition = s.account, s.version
	h.fill(v, s)
	h.refuseUnknown(v, s)
	if len(s.wrong) > 0 {
		return h.notTaken(v, s)
	}
	if !goodKey(s.key) {
		return h.refusal(http.StatusBadRequest, form.MessageBadKey).on(v)
	}
	v.key = cmp.Or(s.key, newKey())
	v = h.chooses(v, s)
	if s.change != nil {
		v.apply(*s.change)
		return outcome{status: http.StatusOK, visit: v}
	}
	if h.needsVersion(v, s) {
		return h.unversioned(v, s)
	}
	if !h.enter(q.principal()) {
		return h.refusal(http.StatusTooManyRequests, form.MessageCrowded).on(v).soon()
	}
	defer h.leave(q.principal())
	return h.submit(v, s)
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

// notTaken tells what cannot be taken for an answer. Nothing was stored.
func (h *Handler) notTaken(v *visit, s *sent) outcome {
	slices.SortFunc(s.wrong, func(a, b problemEntry) int { return strings.Compare(a.Pointer, b.Pointer) })
	o := h.refusal(http.StatusUnprocessableEntity, form.MessageNotTaken).on(v)
	if o.wrong = s.wrong; !v.json {
		for _, wrong := range s.wrong {
			o.says += " " + wrong.Detail
		}
	}
	return o
}

// submit runs the form's own submit, and where that sends, the work. The ledger is
// asked first: a repeat gets its answer also where the record has changed since,
// so that there would be nothing to send.
func (h *Handler) submit(v *visit, s *sent) outcome {
	key, try := v.key, v.send(s.button)
	why, lacks := h.lacksKey(s)
	if lacks && try != nil {
		return h.refusal(http.StatusBadRequest, why).on(v)
	}
	got, repeated, err := h.once(v, s, try)
	o := outcome{}
	switch {
	case err != nil:
		o = h.unanswered(v, err)
	case got == nil && v.missing:
		o = h.refusal(http.StatusNotFound, form.MessageNothingStored).on(v)
	case got == nil: // the form holds it
		o = outcome{status: http.StatusUnprocessableEntity, judged: true}.on(v)
	default:
		o = h.settled(v, s, try, *got)
	}
	if repeated {
		o = o.with("Leanwicket-Repeat", "true")
	}
	return o.with("Idempotency-Key", key) // so that client and logs can tell which it was
}

// once has the work of a submission done at most once, and gives its answer. Where the form holds the
// submission there is an answer only if it was sent before.
func (h *Handler) once(v *visit, s *sent, try *lifecycle.Effect) (got *answer, repeated bool, err error) {
	ctx, r := v.Context(), h.reservation(v.request, v.key, s)
	if try == nil {
		known, repeated, err := ledger.Known(ctx, h.o.Ledger, r)
		if err != nil || !repeated {
			return nil, false, err
		}
		return h.classified(known, nil), true, nil
	}
	kept, repeated, err := ledger.Once(ctx, h.o.Ledger, r, h.o.Once, func(ctx context.Context) (ledger.Response, error) {
		var err error
		if got, err = h.work(ctx, v, try); err != nil {
			return ledger.Response{}, err
		}
		switch {
		case got.reply.Kind == lifecycle.ReplyAccepted:
			return got.kept, nil
		case isOutcome(got.reply.Kind):
			return got.kept, ledger.Refused{Response: got.kept} // what the work has written is taken back
		}
		return got.kept, errUnsettled
	})
	switch {
	case errors.Is(err, errUnsettled):
		return got, false, nil
	case err != nil:
		return nil, false, err
	case repeated:
		got = h.classified(kept, try)
	}
	return got, repeated, nil
}

// errUnsettled is an answer of the application that settles nothing: it is not
// kept, and a repeat asks the application again.
var errUnsettled = errors.New("the application's answer settles nothing")

// unanswered is the outcome of a submission that got no answer.
func (h *Handler) unanswered(v *visit, err error) outcome {
	switch {
	case errors.Is(err, ledger.ErrInFlight):
		return h.refusal(http.StatusConflict, form.MessageInFlight).on(v).soon()
	case errors.Is(err, ledger.ErrDifferent):
		v.key = newKey()
		return h.refusal(http.StatusUnprocessableEntity, form.MessageDifferent).on(v)
	case errors.Is(err, ledger.ErrBusy):
		h.o.Log.Warn("the submission was not worked on", "form", h.form.Name, "error", err)
		return h.refusal(http.StatusServiceUnavailable, form.MessageBusy).on(v).soon()
	case errors.Is(err, ledger.ErrLost), errors.Is(err, ledger.ErrUnknown):
		h.o.Log.Error("the outcome of the submission is not known", "form", h.form.Name, "error", err)
		return h.refusal(http.StatusInternalServerError, form.MessageLost).on(v)
	}
	return h.failed(v, err)
}

// failed tells that nothing was stored; why is for the log alone.
func (h *Handler) failed(v *visit, err error) outcome {
	h.o.Log.Error("the submission failed", "form", h.form.Name, "error", err)
	return h.refusal(http.StatusInternalServerError, form.MessageSomethingWrong).on(v)
}

// An answer is what the application has said, as it is kept, and what it means.
type answer struct {
	kept  ledger.Response
	reply *lifecycle.Reply
}

// classified is a kept answer with what it means for what was sent.
func (h *Handler) classified(kept ledger.Response, try *lifecycle.Effect) *answer {
	r := replies.Response{Status: kept.Status, Header: kept.Header, Now: time.Now()}
	if len(kept.Body) > 0 {
		_ = json.Unmarshal(kept.Body, &r.Body) // it was marshalled by answered
	}
	if try != nil {
		r.Sent = try.Values
	}
	return &answer{kept, replies.Submit(h.form, r)}
}

// answered is what the application has said, as it is kept.
func (h *Handler) answered(r Answer, try *lifecycle.Effect) (*answer, error) {
	kept := ledger.Response{Status: r.Status, Header: map[string]string{}}
	for name, lines := range r.Header {
		kept.Header[http.CanonicalHeaderKey(name)] = strings.Join(lines, "\n")
	}
	if r.Body != nil {
		var err error
		if kept.Body, err = json.Marshal(r.Body); err != nil {
			return nil, err
		}
	}
	return h.classified(kept, try), nil
}

// work is what a submission is for, once the form and its schema allow it.
func (h *Handler) work(ctx context.Context, v *visit, try *lifecycle.Effect) (*answer, error) {
	body := h.form.AppendBody(nil, try.Values)
	if err := h.valid(try.Values, body); err != nil {
		refusal, told := h.refusalOf(err)
		if !told {
			h.o.Log.Error("the validator refuses what the form accepts", "form", h.form.Name, "error", err)
			refusal = Wrong{}.answer(h.form)
		}
		return h.answered(refusal, try)
	}
	given, err := h.ask(ctx, Submission{Form: h.form, Request: v.Request, Button: try.Button, Key: v.key, Version: v.version(), Body: body})
	refusal, refused := h.refusalOf(err)
	switch {
	case refused:
		given = refusal
	case err != nil:
		return nil, err
	case given.Status == 0:
		return nil, errNoStatus
	}
	return h.answered(given, try)
}

// ask lets the application work. A panic is an error like others: nothing was done.
func (h *Handler) ask(ctx context.Context, s Submission) (a Answer, err error) {
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

// valid asks a validator of the application about what is about to be accepted. A merge patch
// is not a record: its parts have been checked by the form.
// What the record has beyond the form is not asked about: nobody who sends the form could mend it.
func (h *Handler) valid(answers []form.Answer, body []byte) error {
	if h.validator == nil || h.form.Submit.Method == http.MethodPatch {
		return nil
	}
	if h.form.Submit.Undeclared {
		body = h.form.AppendBody(nil, h.form.WithoutBeyond(answers))
	}
	var record any
	if err := decode.JSON(body, &record); err != nil {
		return err
	}
	return h.validator.Validate(record)
}

// isOutcome reports whether an answer is kept under its key. Who was signed out,
// or came while the application was closed, may try the same again.
func isOutcome(kind lifecycle.ReplyKind) bool {
	return kind == lifecycle.ReplyAccepted || kind == lifecycle.ReplyRefused || kind == lifecycle.ReplyOutdated
}

// settled gives the answer to the session, and is what follows for the client.
func (h *Handler) settled(v *visit, s *sent, try *lifecycle.Effect, got answer) outcome {
	if try != nil {
		v.apply(lifecycle.Replied(try.Attempt, try.Try, got.reply))
	}
	o := outcome{status: got.kept.Status, judged: true}
	if v.session.Activity() == lifecycle.ActivityWaiting { // a page without script sends nothing again by itself
		o.says = h.form.Text(form.UnsettledUntil(max(got.reply.RetryAfter, h.form.Submit.ResendWait)))
	}
	key := v.key
	if isOutcome(got.reply.Kind) {
		v.key = newKey() // whatever follows is another submission
	}
	o = o.on(v).passOn(got.kept, v.json)
	switch {
	case got.reply.Kind == lifecycle.ReplyAccepted && v.json:
		o.kind, o.body = "application/json", got.kept.Body
	case got.reply.Kind == lifecycle.ReplyAccepted:
		o.status, o.to = http.StatusSeeOther, localPath(got.reply.To)
		if o.to == "" || h.form.Accepted.Then != form.ThenNavigate {
			o.to = v.address() + "?" + markup.Received + "=" + url.QueryEscape(key) + "#" + v.ids.Notice()
		}
	case got.kept.Status < 300: // it refuses in its body
		o.status = http.StatusUnprocessableEntity
	case got.reply.Kind == lifecycle.ReplyOutdated && !v.json:
		o.visit, o.says = h.outdated(v, s)
	}
	return o
}

// turnedAway answers what was sent as Options.Admit says. The application is asked nothing: what is on
// the page again is what was typed, so that nobody is redirected away from it.
func (h *Handler) turnedAway(q *request, s *sent, with Answer) outcome {
	if redirects(with.Status) {
		with.Status = http.StatusUnauthorized
	}
	v := h.opened(q, func(request lifecycle.RequestID) lifecycle.Event { return lifecycle.Loaded(request, nil, s.version) })
	h.withoutEmptyRows(s)
	v.unread = s
	h.fill(v, s)
	if !goodKey(s.key) {
		s.key = ""
	}
	// The page stays that of who opened it: another account's second press is turned away as well, and
	// who signs in again as the same person goes on.
	v.key, v.account, v.condition = cmp.Or(s.key, newKey()), s.account, s.version
	key := v.key
	try := v.send(s.button)
	got, err := h.answered(with, try)
	if err != nil {
		return h.failed(v, err)
	}
	return h.settled(v, s, try, *got).with("Idempotency-Key", key)
}

// keptOut answers a request to read as Options.Admit says: with its status, and where that is a
// redirect, with its Location. Nothing that is saved is read.
func (h *Handler) keptOut(q *request, with Answer) outcome {
	got, err := h.answered(with, nil)
	if err != nil {
		return h.failed(nil, err)
	}
	o := outcome{status: cmp.Or(with.Status, http.StatusForbidden)}.passOn(got.kept, true)
	if o.says = cmp.Or(got.reply.Text, h.form.Words(form.MessageKeptOut)); redirects(o.status) {
		o.to = o.header.Get("Location")
	}
	return o
}

// receipt is what a page tells of the submission that it was redirected from: only
// what the ledger knows of its key is told, and only to the account that sent it.
func (h *Handler) receipt(q *request) (received bool, address string) {
	key := q.URL.Query().Get(markup.Received)
	if key == "" || !goodKey(key) {
		return false, ""
	}
	route := http.MethodPost + " " + q.URL.Path
	kept, err := h.o.Ledger.Find(q.Context(), ledger.Key{Principal: q.principal(), Route: route, Key: key})
	if err != nil {
		h.o.Log.Warn("the ledger cannot be read", "form", h.form.Name, "error", err)
	}
	if kept == nil {
		return false, ""
	}
	reply := h.classified(kept.Response, nil).reply
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
