package guarantee

import (
	"slices"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Watch checks the guarantees of one session, step by step. It knows the
// session only by what everybody can read of it, and what it has seen go in and
// out; it shares no code with what it checks.
//
//	w := NewWatch(session, effects) // what Open returned
//	lifecycle.Drive(session, event, w)
//	breaches := w.Breaches()
type Watch struct {
	session *lifecycle.Session

	then *standing // before the step: own, or that of the watch it was copied from
	own  standing

	// What has been seen since the opening.
	seen
	checks  []checkOut
	timers  []ArmedTimer    // in the order of arming
	late    []int32         // tries of the newest attempt that may still bring an acceptance
	sent    *sentWork       // what the newest attempt sent; nil means that nothing has been seen
	sentIDs []int32         // beside sent.present: the fields, by ID
	keys    []lifecycle.Key // those that were used

	works    map[string]*sentWork // nil means that each is made anew
	text     []byte               // scratch
	breaches []Breach
}

// seen is what the watch remembers in single values.
type seen struct {
	load     lifecycle.RequestID // on its way; 0 means none
	inFlight int32               // the try in flight, 0 means none
	attempt  int32
	key      lifecycle.Key
	settled  bool
	adopted  bool
	accepted bool   // the newest attempt was
	resetAt  bool   // reset since
	missing  bool   // an answer that is needed before a submit has not arrived
	owed     bool   // an earlier page's work is taken over, and no load has arrived that it needs
	paused   bool   // a first pause has been said since the last Submit or Retry
	changes  uint32 // acceptances and outdated replies
}

// standing is what was there before a step.
type standing struct {
	fields  []fieldBefore           // those that hold what was typed: different, or edited since
	since   []int32                 // by ID: the fields and groups that were edited since
	waiting []lifecycle.DraftAnswer // what an earlier page kept, and what waits for its rows
	facts   facts
	session *lifecycle.Session // nothing may be changed by what is stale; nil means that nothing is compared
	copied  lifecycle.Session
}

type checkOut struct {
	request lifecycle.RequestID
	field   int32 // by ID
}

// ArmedTimer is a timer that runs.
type ArmedTimer struct {
	ID    lifecycle.TimerID
	Of    lifecycle.TimerKind
	After time.Duration
}

// sentWork is what an attempt carries. It is immutable.
type sentWork struct {
	content string // button and values, written down
	button  string
	values  []form.Answer
	present []form.Answer // those that are there
}

type fieldBefore struct {
	id    int32
	place form.Place
	kept  form.Value
	rests bool // not asked, and not edited since: clear takes it
	blank bool // an item of a list that holds nothing, and was not edited since: it was not sent
}

// facts are what the guarantees ask about the form as a whole.
type facts struct {
	dirty, dirtyGuarded, dirtySince int
	invalid, contested, checking    int
	leave                           lifecycle.Leave
	activity                        lifecycle.Activity
	submission                      lifecycle.Submission
	prefill                         lifecycle.Prefill
	guard                           bool
	ignored                         int
	version                         bool // one is known
}

// NewWatch begins to watch a session that has just been opened.
func NewWatch(s *lifecycle.Session, opening []lifecycle.Effect) *Watch {
	w := &Watch{session: s}
	w.settled = true
	w.missing = s.Form().Prefill.Loads() && s.Form().Prefill.Needed
	w.follow(opening)
	return w
}

// Before snapshots the state before an event.
func (w *Watch) Before(e lifecycle.Event) {
	w.takeDown()
	w.then.session = nil
	if !e.Kind.FromApplicant() {
		w.then.session = &w.own.copied
		w.then.session.CopyFrom(w.session)
	}
}

// BeforeAny snapshots the state before any event. It is for watches that are copied. The session must
// not change between this call and the step.
func (w *Watch) BeforeAny() {
	w.takeDown()
	w.then.session = w.session
}

func (w *Watch) takeDown() {
	w.then = &w.own
	w.then.facts = w.read()
	w.then.fields, w.then.since, w.then.waiting = w.then.fields[:0], w.then.since[:0], w.session.Waiting()
	for f := range w.session.Fields() {
		since := f.EditedSince()
		if since && w.sinceCounts() {
			w.then.since = append(w.then.since, int32(f.ID()))
		}
		if f.Declared().Kind == form.KindRows {
			continue
		}
		// Of a field that is not asked, or was not, what it keeps is compared.
		if kept := f.Underlying(); since && w.sinceCounts() || kept != f.UnderlyingBaseline() {
			w.then.fields = append(w.then.fields, fieldBefore{
				id: int32(f.ID()), place: f.Place(), kept: kept, rests: !(reading{w.session}).asked(f, true) && !since,
				blank: !since && w.session.Form().IsBlank(f.Place().Field, kept),
			})
		}
	}
}

// sinceCounts reports whether the mark of what was edited since the newest attempt matters: there is
// an attempt, and it was not accepted.
func (w *Watch) sinceCounts() bool { return w.attempt > 0 && !w.accepted }

// read takes the facts from what is readable.
func (w *Watch) read() facts {
	s := w.session
	f := facts{
		leave: s.Leaving(), activity: s.Activity(), submission: s.Submission(), prefill: s.Prefill(),
		guard: s.UnloadGuard(), ignored: s.Ignored(), version: s.Version() != "" || s.Attempt().Version != "",
	}
	when := s.Form().Leave.When
	f.dirty = len(s.Waiting())
	if when != form.LeaveNever {
		f.dirtyGuarded, f.dirtySince = f.dirty, f.dirty
	}
	for x := range s.Fields() {
		if (reading{s}).dirty(x) {
			f.dirty++
			guarded := when == form.LeaveDirty || when == form.LeaveDirtyAndTouched && x.Touched()
			if guarded {
				f.dirtyGuarded++
				if x.EditedSince() {
					f.dirtySince++
				}
			}
		}
		if x.Contested() {
			f.contested++
		}
		if x.Checking() {
			f.checking++
		}
		if x.Wrong() {
			f.invalid++
		}
	}
	return f
}

// reason is why leaving has to ask, in the words of docs/lifecycle.md.
func (w *Watch) reason(f facts) lifecycle.AskReason {
	policy := w.session.Form().Leave
	if policy.When == form.LeaveNever || f.leave == lifecycle.LeaveGone {
		return lifecycle.AskNothing
	}
	open := !w.settled
	if !open {
		if f.dirtyGuarded > 0 {
			return lifecycle.AskUnsaved
		}
		return lifecycle.AskNothing
	}
	if f.dirtySince > 0 {
		return lifecycle.AskUnsaved
	}
	if policy.AllowInFlight {
		return lifecycle.AskNothing
	}
	if f.activity == lifecycle.ActivitySending || f.activity == lifecycle.ActivityWaiting {
		return lifecycle.AskSending
	}
	return lifecycle.AskUnsettled
}

func (w *Watch) broken(g Guarantee, path, what string) {
	w.breaches = append(w.breaches, Breach{g, path, what})
}

// Breaches are the guarantees that the newest step broke. They are valid until the next
// step.
func (w *Watch) Breaches() []Breach { return w.breaches }

// After checks the step.
func (w *Watch) After(s lifecycle.Step) {
	w.breaches = w.breaches[:0]
	e, effects := s.Event, s.Effects
	if s.Err != nil {
		w.checkUnchanged(e, effects)
		if !w.mustBeStale(e) && s.Err == lifecycle.ErrStale {
			w.broken(StaleIgnored, "", "an answer that is current was taken for stale")
		}
		return
	}
	if w.mustBeStale(e) {
		w.broken(StaleIgnored, "", "an answer to a request that is not current was taken: "+e.Kind.String())
	}
	now, attempt, load := w.read(), w.attempt, w.load
	outcome := w.settleFrom(e)
	w.checkAccepted(outcome)
	w.checkEdits(e, outcome) // what a step settled comes before what it sent
	w.checkSends(effects, now)
	if w.attempt == attempt { // a new attempt has sent what was edited
		w.checkSince(e)
	}
	w.checkLeaving(e, effects)
	w.follow(effects)
	w.checkNoneOlder(outcome, load)
	w.checkWaiting(now)
	w.checkAsking(effects, now)
	w.checkIssues(e)
	w.checkReset(e, now)
	w.checkEntries(e, outcome)
	w.checkWayForward(e, effects, now)
	w.checkSaid(e, effects, outcome, now)
}

// mustBeStale reports whether an answer belongs to nothing that is current.
func (w *Watch) mustBeStale(e lifecycle.Event) bool {
	gone := w.then.facts.leave == lifecycle.LeaveGone
	switch e.Kind {
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed:
		return gone || e.Request != w.load
	case lifecycle.EventSupplied:
		return gone || e.After != w.changes
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		return gone || w.checkOf(e.Request) < 0
	case lifecycle.EventElapsed:
		return gone || w.timerOf(e.Timer) < 0
	case lifecycle.EventReplied:
		if gone || e.Attempt != w.attempt || w.settled {
			return true
		}
		if e.Try == w.inFlight && w.inFlight != 0 {
			return false
		}
		return !slices.Contains(w.late, e.Try) || e.Reply == nil || e.Reply.Kind != lifecycle.ReplyAccepted
	default:
		return false
	}
}

func (w *Watch) checkUnchanged(e lifecycle.Event, effects []lifecycle.Effect) {
	if len(effects) > 0 {
		w.broken(StaleIgnored, "", "an event that changes nothing had effects")
	}
	if e.Kind.FromApplicant() {
		return
	}
	if w.then.session != nil && !w.session.Same(w.then.session) {
		w.broken(StaleIgnored, "", "a stale answer changed the session")
	}
}

// follow keeps what is out and armed.
func (w *Watch) follow(effects []lifecycle.Effect) {
	for k := range effects {
		f := &effects[k]
		switch f.Kind {
		case lifecycle.EffectLoad:
			w.load = f.Request
		case lifecycle.EffectCheck:
			id := -1
			if x, ok := w.session.At(f.Place); ok {
				id = x.ID()
			}
			w.checks = append(w.checks, checkOut{f.Request, int32(id)})
		case lifecycle.EffectAbort:
			if f.Request != 0 {
				w.checks = dropped(w.checks, w.checkOf(f.Request))
				if f.Request == w.load {
					w.load = 0
				}
			} else if f.Attempt == w.attempt && f.Try == w.inFlight {
				w.leaveBehind()
			}
		case lifecycle.EffectArm:
			w.timers = append(w.timers, ArmedTimer{f.Timer, f.Of, f.After})
		case lifecycle.EffectDisarm:
			w.timers = dropped(w.timers, w.timerOf(f.Timer))
		}
	}
}

// leaveBehind is the end of a try's flight without an answer.
func (w *Watch) leaveBehind() {
	if w.inFlight != 0 {
		w.late = append(w.late, w.inFlight)
		w.inFlight = 0
	}
}

func (w *Watch) checkOf(r lifecycle.RequestID) int {
	return slices.IndexFunc(w.checks, func(c checkOut) bool { return c.request == r })
}

func (w *Watch) timerOf(t lifecycle.TimerID) int {
	return slices.IndexFunc(w.timers, func(a ArmedTimer) bool { return a.ID == t })
}

// dropped is a list without its element k. Where k is -1 it is the list itself.
func dropped[T any](list []T, k int) []T {
	if k < 0 {
		return list
	}
	return append(list[:k], list[k+1:]...)
}

// forgetWaiting drops the answers that wait for their rows. The load is no longer needed for
// them.
func (w *Watch) forgetWaiting() { w.owed = w.owed && !w.settled }
