package runner

import (
	"cmp"
	"errors"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// Record is a saved record that an application has in hand.
type Record struct {
	Values  []byte // a JSON object
	Version string // empty means that it is unknown
}

// received is the record as a reply that brings it.
func (rec Record) received() replies.Received {
	got := replies.Received{Status: 200, Header: map[string]string{"Content-Type": "application/json"}, Body: rec.Values}
	if rec.Version != "" {
		got.Header["ETag"] = rec.Version
	}
	return got
}

// Supplied is the event of a record that the application brings of its own accord. after is what
// [lifecycle.Session.Changes] was when the application began to read it. The error says why it is no record of the
// form.
func Supplied(f *form.Form, rec Record, after uint32) (lifecycle.Event, error) {
	e := replies.Event(f, lifecycle.Effect{Kind: lifecycle.EffectLoad}, rec.received())
	if e.Kind != lifecycle.EventLoaded {
		return e, errors.New("the record cannot be taken: " + e.Why)
	}
	supplied := lifecycle.Supplied(e.Values, e.Version, after)
	if e.Came.Unfit != "" {
		supplied.Came = e.Came
	}
	return supplied, nil
}

// Reading begins to read the saved record, and returns the function that supplies it. The session takes it as a load
// that has just been answered. The function returns nil where it is taken, and [lifecycle.ErrStale] where the session
// has seen an acceptance, or an outdated save, since the reading began.
//
//	supply := applicant.Reading()
//	record, err := registry.Read(ctx)
//	…
//	err = supply(record)
func (r *Runner) Reading() (supply func(Record) error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	after := r.session.Changes()
	return func(rec Record) error {
		e, err := Supplied(r.session.Form(), rec, after)
		if err != nil {
			return err
		}
		return r.Apply(e)
	}
}

// Outcome is what came for a submission.
type Outcome struct {
	Request    Request // what was sent
	Came       replies.Received
	Submission lifecycle.Submission // what it has come to
}

// prepared is the body of a submission as the application has made it.
type prepared struct {
	key  lifecycle.Key
	body []byte // empty means that it is the form's own
	err  error  // why it is not sent
}

// prepare has the application make the body of a submission that begins.
func (r *Runner) prepare(effects []lifecycle.Effect) {
	for k := range effects {
		e := &effects[k]
		if e.Kind == lifecycle.EffectSend && r.o.Prepare != nil && e.Key != r.prepared.key {
			body, err := r.o.Prepare(RequestOf(r.session.Form(), *e).Body)
			r.prepared = prepared{e.Key, body, err}
		}
	}
}

// Prepared is told the body of the newest submission, by a transport that has the application make it. It is kept at once.
func (r *Runner) Prepared(body []byte) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.prepared = prepared{key: r.session.Attempt().Key, body: body}
	r.keep()
}

// signing is what is asked of an applicant who is signed out.
type signing struct {
	asked    []lifecycle.EffectKind // what was denied since it is asked; empty means that it is not asked
	repeated map[lifecycle.EffectKind]bool
}

// do makes a request. The first load is answered at the end of the opening where a record is in hand.
func (r *Runner) do(q Request, done func(replies.Received)) (stop func()) {
	record := r.o.Record
	switch {
	case q.Kind == lifecycle.EffectLoad && record != nil:
		r.o.Record = nil
		r.inHand = func() { done(record.received()) }
		return func() { r.inHand = nil }
	case q.Kind == lifecycle.EffectSend && r.prepared.err != nil:
		refusal := cmp.Or(r.prepared.err.Error(), r.session.Form().Text(form.Message{ID: form.MessageIssueUntold}))
		return r.o.Clock.After(0, func() { done(replies.Received{Refusal: refusal}) })
	case q.Kind == lifecycle.EffectLoad && q.URL == "" && r.o.Load != nil:
		return r.o.Clock.After(0, func() {
			rec, err := r.o.Load()
			if err != nil {
				done(replies.Received{})
				return
			}
			done(rec.received())
		})
	case r.o.Transport == nil:
		return func() {}
	}
	return r.o.Transport.Do(q, done)
}

// IsDenied reports whether an event tells that a load or a submission was denied. Another request can
// tell that the applicant is signed out, where the network tells nothing of a submission.
func IsDenied(e lifecycle.Event) bool {
	return e.Denied || e.Reply != nil && (e.Reply.Kind == lifecycle.ReplyDenied || e.Reply.SignedOut)
}

// came tells what came of a request, and has the applicant sign in where it was denied.
func (r *Runner) came(q Request, got replies.Received, e lifecycle.Event, err error) {
	if q.Kind == lifecycle.EffectSend && r.o.Outcome != nil {
		r.mu.Lock()
		now := r.session.Submission()
		r.mu.Unlock()
		r.o.Outcome(Outcome{q, got, now})
	}
	if r.o.SignIn == nil || err != nil || q.Kind == lifecycle.EffectCheck {
		return
	}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.signing.repeated == nil {
		r.signing.repeated = map[lifecycle.EffectKind]bool{}
	}
	again := r.signing.repeated[q.Kind]
	delete(r.signing.repeated, q.Kind)
	if !IsDenied(e) || again {
		return
	}
	if r.signing.asked = append(r.signing.asked, q.Kind); len(r.signing.asked) == 1 {
		r.o.Clock.After(0, func() { r.signIn(q.Kind) })
	}
}

// isUnanswered reports whether a submission that was denied is still without another outcome. The denial of a later try
// leaves it unsettled: it is repeated under its key.
func isUnanswered(s lifecycle.Submission) bool {
	return s == lifecycle.SubmissionDenied || s == lifecycle.SubmissionUnsettled
}

// signIn asks the applicant, and repeats what was denied until they have answered.
func (r *Runner) signIn(first lifecycle.EffectKind) {
	has := r.o.SignIn(first)
	r.mu.Lock()
	asked := r.signing.asked
	r.signing.asked = nil
	var again []lifecycle.Event
	for _, kind := range asked {
		switch {
		case !has:
		case kind == lifecycle.EffectLoad && r.session.Prefill() != lifecycle.PrefillLoading:
			r.signing.repeated[kind] = true
			again = append(again, lifecycle.Refresh())
		case kind == lifecycle.EffectSend && isUnanswered(r.session.Submission()):
			r.signing.repeated[kind] = true
			again = append(again, lifecycle.Retry())
		}
	}
	r.mu.Unlock()
	for _, e := range again {
		_ = r.Apply(e) // what cannot be repeated by now is not
	}
}
