package lifecycle

import (
	"maps"
	"strconv"
)

// Watch checks the guarantees of one session, step by step. It knows the
// session only by what everybody can read of it, and what it has seen go in and
// out; it shares no code with what it checks.
//
//	w := NewWatch(session, effects) // what Open returned
//	w.Before(event)
//	effects, err := session.Apply(event)
//	breaches := w.After(event, effects, err)
type Watch struct {
	session *Session

	// What was there before the step.
	before  []fieldBefore
	kept    []keptNow // by field: what it holds after the step
	step    uint32
	facts   facts
	exact   []byte
	scratch []byte

	// What has been seen since the opening.
	load     RequestID
	checks   map[RequestID]int // out: the checked field
	timers   map[TimerID]TimerKind
	tries    map[int32]bool // of the newest attempt: may still bring an acceptance
	inFlight int32          // the try in flight, 0: none
	attempt  int32
	settled  bool
	adopted  bool
	key      Key
	content  string // button and values of the newest attempt
	button   string
	values   []Answer      // as the newest attempt began with them
	keys     map[Key]bool  // those that were used
	accepted bool          // the newest attempt was
	sent     map[int]Value // its values, by field
	resetAt  bool          // reset since
	missing  bool          // an answer that is needed before a submit has not arrived
	paused   bool          // a first pause has been said since the last Submit or Retry

	breaches []Breach
}

type fieldBefore struct {
	id    int
	place Place
	kept  Value
	mine  bool // typed and different, or edited since
	rests bool // not asked, and not edited since: clear takes it
}

type keptNow struct {
	step uint32 // when it was last there
	kept Value
}

// facts are what the guarantees ask about the form as a whole.
type facts struct {
	dirty, dirtyGuarded, dirtySince int
	invalid, contested, checking    int
	leave                           Leave
	activity                        Activity
	submission                      Submission
	prefill                         Prefill
	guard                           bool
	ignored                         int
}

// NewWatch begins to watch a session that has just been opened.
func NewWatch(s *Session, opening []Effect) *Watch {
	w := &Watch{
		session: s, checks: map[RequestID]int{},
		timers: map[TimerID]TimerKind{}, tries: map[int32]bool{}, keys: map[Key]bool{}, settled: true,
		sent: map[int]Value{}, missing: s.Form().Prefill.URL != "" && s.Form().Prefill.Needed,
	}
	w.follow(opening)
	return w
}

// Before takes down the state before an event.
func (w *Watch) Before(e Event) {
	s := w.session
	w.breaches = w.breaches[:0]
	w.facts = w.read()
	w.before = w.before[:0]
	sinceCounts := w.attempt > 0 && !w.accepted
	for f := range s.Fields() {
		if f.Declared().Kind == KindRows {
			continue
		}
		kept, since := f.Kept(), f.EditedSince()
		w.before = append(w.before, fieldBefore{
			id: f.ID(), place: f.Place(), kept: kept,
			// Of a field that is not asked, or was not, what it keeps is compared.
			mine:  kept != f.KeptBaseline() || since && sinceCounts,
			rests: !f.Asked() && !since,
		})
	}
	if !e.Kind.FromApplicant() {
		w.exact = s.AppendExact(w.exact[:0])
	}
}

// read takes the facts from what is readable.
func (w *Watch) read() facts {
	s := w.session
	f := facts{
		leave: s.Leaving(), activity: s.Activity(), submission: s.Submission(), prefill: s.Prefill(),
		guard: s.UnloadGuard(), ignored: s.Ignored(),
	}
	when := s.Form().Leave.When
	for x := range s.Fields() {
		if x.Dirty() {
			f.dirty++
			guarded := when == LeaveDirty || when == LeaveDirtyAndTouched && x.Touched()
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

// reason is why leaving has to ask, by the page's words.
func (w *Watch) reason(f facts) AskReason {
	policy := w.session.Form().Leave
	if policy.When == LeaveNever || f.leave == LeaveGone {
		return AskNothing
	}
	open := !w.settled
	if !open {
		if f.dirtyGuarded > 0 {
			return AskUnsaved
		}
		return AskNothing
	}
	if f.dirtySince > 0 {
		return AskUnsaved
	}
	if policy.AllowInFlight {
		return AskNothing
	}
	if f.activity == ActivitySending || f.activity == ActivityWaiting {
		return AskSending
	}
	return AskUnsettled
}

func (w *Watch) broken(g Guarantee, path, what string) {
	w.breaches = append(w.breaches, Breach{g, path, what})
}

// After checks the step. err is what Apply returned beside the effects. The
// breaches are valid until the next Before.
func (w *Watch) After(e Event, effects []Effect, err error) []Breach {
	if err != nil {
		w.checkUnchanged(e, effects)
		if w.mustBeStale(e) || err != ErrStale {
			return w.breaches
		}
		w.broken(StaleIgnored, "", "an answer that is current was taken for stale")
		return w.breaches
	}
	if w.mustBeStale(e) {
		w.broken(StaleIgnored, "", "an answer to a request that is not current was taken: "+e.Kind.String())
	}
	now := w.read()
	outcome := w.settleFrom(e)
	w.checkEdits(e, outcome) // what a step settled comes before what it sent
	w.checkSends(effects, now)
	w.checkLeaving(e, effects)
	w.follow(effects)
	w.checkWaiting(now)
	w.checkAsking(effects, now)
	w.checkIssues(e)
	w.checkReset(e, now)
	w.checkEntries(e, outcome)
	w.checkWayForward(e, effects, now)
	w.checkSaid(e, effects, outcome, now)
	return w.breaches
}

// mustBeStale reports whether an answer belongs to nothing that is current.
func (w *Watch) mustBeStale(e Event) bool {
	gone := w.facts.leave == LeaveGone
	switch e.Kind {
	case EventLoaded, EventLoadFailed:
		return gone || e.Request != w.load
	case EventChecked, EventCheckFailed:
		_, out := w.checks[e.Request]
		return gone || !out
	case EventElapsed:
		_, armed := w.timers[e.Timer]
		return gone || !armed
	case EventReplied:
		if gone || e.Attempt != w.attempt || w.settled {
			return true
		}
		if e.Try == w.inFlight && w.inFlight != 0 {
			return false
		}
		return !w.tries[e.Try] || e.Reply == nil || e.Reply.Kind != ReplyAccepted
	default:
		return false
	}
}

func (w *Watch) checkUnchanged(e Event, effects []Effect) {
	if len(effects) > 0 {
		w.broken(StaleIgnored, "", "an event that changes nothing had effects")
	}
	if e.Kind.FromApplicant() {
		return
	}
	w.scratch = w.session.AppendExact(w.scratch[:0])
	if string(w.scratch) != string(w.exact) {
		w.broken(StaleIgnored, "", "a stale answer changed the session")
	}
}

// outcomes are what a step has learnt of the newest attempt.
type outcomes struct {
	kind      ReplyKind
	learnt    bool // an outcome that settles
	replied   bool // a reply counted
	unsettled bool // an attempt has become unsettled
	waiting   bool // a reply asks to wait
	timer     TimerKind
}

// settleFrom draws from the event what is known of the newest attempt now.
func (w *Watch) settleFrom(e Event) outcomes {
	var o outcomes
	switch e.Kind {
	case EventReplied:
		o.replied, o.kind = true, e.Reply.Kind
		current := e.Try == w.inFlight && w.inFlight != 0
		delete(w.tries, e.Try)
		if current {
			w.inFlight = 0
		}
		switch e.Reply.Kind {
		case ReplyAccepted, ReplyRefused, ReplyOutdated:
			o.learnt = true
		case ReplyDenied:
			o.learnt = e.Try == 1 && !w.adopted
			o.unsettled = !o.learnt
		case ReplyUnderway, ReplyUnavailable:
			o.waiting = true
		default:
			o.unsettled = true
		}
		if o.learnt {
			w.settled = true
			w.accepted = e.Reply.Kind == ReplyAccepted
			w.resetAt = false
			w.missing = w.missing || e.Reply.Kind == ReplyOutdated && w.session.Form().Prefill.URL != ""
		}
	case EventElapsed:
		o.timer = w.timers[e.Timer]
		if w.timers[e.Timer] == TimerSend {
			w.tries[w.inFlight] = true
			w.inFlight = 0
			o.unsettled = true
		}
		delete(w.timers, e.Timer)
	case EventCancel:
		if w.facts.activity == ActivitySending {
			w.tries[w.inFlight] = true
			w.inFlight = 0
		}
		o.unsettled = w.facts.activity == ActivitySending || w.facts.activity == ActivityWaiting
	case EventReturned:
		o.unsettled = w.facts.activity == ActivitySending || w.facts.activity == ActivityWaiting
		if w.inFlight != 0 {
			w.tries[w.inFlight] = true
			w.inFlight = 0
		}
	case EventRestored:
		if e.Restored != nil && e.Restored.Attempt != nil {
			kept := e.Restored.Attempt
			w.attempt, w.settled, w.adopted, w.accepted = 1, false, true, false
			w.key = kept.Key
			w.content = ""
			w.tries = map[int32]bool{1: true}
			o.unsettled = true
		}
	case EventReset:
		w.resetAt = true
	case EventChecked, EventCheckFailed:
		delete(w.checks, e.Request)
	case EventLoaded:
		w.load, w.missing = 0, false
	case EventLoadFailed:
		w.load = 0
	}
	return o
}

// follow keeps what is out and armed.
func (w *Watch) follow(effects []Effect) {
	for _, f := range effects {
		switch f.Kind {
		case EffectLoad:
			w.load = f.Request
		case EffectCheck:
			id := -1
			if x, ok := w.session.Field(w.session.Form().Path(f.Place)); ok {
				id = x.ID()
			}
			w.checks[f.Request] = id
		case EffectAbort:
			if f.Request != 0 {
				delete(w.checks, f.Request)
				if f.Request == w.load {
					w.load = 0
				}
			} else if f.Attempt == w.attempt && f.Try == w.inFlight {
				w.tries[f.Try] = true
				w.inFlight = 0
			}
		case EffectArm:
			w.timers[f.Timer] = f.Of
		case EffectDisarm:
			delete(w.timers, f.Timer)
		}
	}
}

// contentOf writes down what a key carries.
func contentOf(f *Form, e Effect) string {
	text := e.Button
	for _, a := range e.Values {
		text += "\x00" + f.Path(a.Place) + "=" + strconv.Itoa(int(a.Value.Kind)) + ":" + a.Value.String()
		if a.Changed {
			text += " changed"
		}
	}
	return text
}

// CopyFrom makes w the same watch as v, of a session that is a copy of v's.
func (w *Watch) CopyFrom(v *Watch, s *Session) {
	own := *w
	*w = *v
	w.session = s
	w.before = own.before[:0]
	w.kept = append(own.kept[:0], v.kept...)
	w.exact, w.scratch, w.breaches = own.exact[:0], own.scratch[:0], own.breaches[:0]
	w.values = append(own.values[:0], v.values...)
	w.checks = copyMap(own.checks, v.checks)
	w.timers = copyMap(own.timers, v.timers)
	w.tries = copyMap(own.tries, v.tries)
	w.keys = copyMap(own.keys, v.keys)
	w.sent = copyMap(own.sent, v.sent)
}

func copyMap[K comparable, V any](to, from map[K]V) map[K]V {
	if to == nil {
		to = make(map[K]V, len(from))
	}
	clear(to)
	maps.Copy(to, from)
	return to
}

// AppendCanonical appends what the watch remembers and the session does not
// show: it makes a difference to what will be a breach.
func (w *Watch) AppendCanonical(to []byte) []byte {
	late := 0
	for range w.tries {
		late++
	}
	set := byte(0)
	for k, on := range [...]bool{w.inFlight != 0, w.settled, w.adopted, w.accepted, w.resetAt, w.missing, w.paused} {
		if on {
			set |= 1 << k
		}
	}
	return append(to, set, byte(late))
}
