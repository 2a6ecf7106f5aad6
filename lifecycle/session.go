package lifecycle

import (
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// Session is one applicant's work on one form, from opening to leaving. It is
// changed by Apply alone, and by one goroutine at a time.
type Session struct {
	form *form.Form
	seed Seed
	memory
	step
}

// memory is what a session remembers: all of it, and nothing else. [Session.Visit] lists it.
type memory struct {
	cells  []state.Cell // one for each declared field, then those of the rows
	rows   []state.Row
	groups []state.Group // beside Form.groups
	checks []state.Check
	issues []state.Issue // of checks and of the server, as they came
	tries  []state.Try   // of the newest attempt

	deferredValues []form.Answer   // of scalars.deferred
	waiting        []state.Waiting // what an earlier page kept of rows that a load has to bring
	receiptValues  []form.Answer   // of scalars.receipt
	scalars
}

// step is what belongs to the step that is being taken.
type step struct {
	effects   []Effect
	answers   []form.Answer
	changed   []int32
	isChanged []bool // beside cells, as far as it goes: whether a cell is among those that are changed
	scratch   []form.Value
	byEdit    bool // the applicant's own edit is at work
	// The cell that the step's own event edits, or -1.
	editedNow int32
	accepted  bool // an acceptance happened in this step
	said      int32
	visitor   *state.Visitor // see compares
}

// scalars are all of a session's state that is in no list.
type scalars struct {
	tally state.Tally

	prefill       Prefill
	load          load
	deferred      deferred
	version       string
	revealed      bool // every issue is shown
	activity      Activity
	pressed       int32 // the button of the submit under way
	follow        bool  // newer values go once the older attempt is settled
	ignored       int32
	attempt       attempt
	newestOutcome Outcome // open once it is over: with an edit, a reset, a new attempt or in time
	received      receivedMark
	// The key of the attempt that an earlier page left open, if there was one.
	adoptedKey Key
	clearNext  bool                          // clear waits for the next reset
	thenDue    bool                          // what follows an acceptance waits for newer values, which are checked
	timers     [TimerSecondClick + 1]TimerID // armed timers, except those of checks

	leave     Leave
	leaveTo   string
	leaveKind LeaveKind
	asked     AskReason
	guard     bool
	notice    notice
	receipt   receipt
	focus     form.Place

	changes     uint32 // acceptances and outdated replies so far
	nextRequest RequestID
	nextTimer   TimerID
	applied     uint64 // events so far; 0 means that the first is still to come
}

// receipt is what an accepted submission returned, but for its values.
type receipt struct{ to, version, text string }

type notice struct {
	message form.Message
	level   Level
	count   int32
}

// Open begins a session. With a prefill source it returns the effects of the opening: the
// Load and its timer.
func Open(f *form.Form, seed Seed) (*Session, []Effect) {
	s := &Session{form: f, seed: seed}
	s.focus, s.editedNow = WholeForm, -1
	s.cells = make([]state.Cell, len(f.Fields))
	for i := range s.cells {
		s.cells[i] = state.Cell{Field: form.FieldID(i), Row: -1, Bits: state.BitAsked | state.BitBaseAsked}
		if f.GroupOf(form.FieldID(i)) < 0 {
			s.cells[i].Bits |= state.BitLive
		}
	}
	s.groups = make([]state.Group, f.GroupCount())
	s.toDefaults()
	s.clearChanged()
	if f.Prefill.Loads() {
		if f.Prefill.Needed {
			s.load.needs = needDeclared
		}
		s.startLoad()
	}
	return s, s.effects
}

// Apply takes one event. The effects are valid until the next Apply. An error says why nothing has
// changed: it is an UnknownError, a TurnedAwayError or ErrStale.
func (s *Session) Apply(e Event) ([]Effect, error) {
	s.effects = s.effects[:0]
	s.clearChanged()
	s.byEdit, s.accepted, s.said, s.editedNow = false, false, -1, -1
	err := s.dispatch(&e)
	if err != nil {
		return nil, err
	}
	s.finish()
	s.applied++
	return s.effects, nil
}

func (s *Session) dispatch(e *Event) error {
	if s.leave == LeaveGone && e.Kind != EventReturned {
		if e.Kind.FromApplicant() {
			return ErrGone
		}
		return ErrStale
	}
	switch e.Kind {
	case EventEdit:
		return s.edit(e)
	case EventBlur:
		return s.blur(e.Path)
	case EventAddRow:
		return s.addRow(e.Path)
	case EventRemoveRow:
		return s.removeRow(e.Path)
	case EventMoveRow:
		return s.moveRow(e.Path, e.To)
	case EventSubmit:
		return s.submit(e.Button)
	case EventCancel:
		return s.cancel()
	case EventRetry:
		return s.retry()
	case EventReset:
		return s.reset()
	case EventRefresh:
		return s.refresh()
	case EventResolve:
		return s.resolve(e.Path, e.Choice)
	case EventLeaveAsked:
		return s.leaveAsked(e.To, e.LeaveKind)
	case EventLeaveDecided:
		return s.leaveDecided(e.Decision)
	case EventReturned:
		return s.returned()
	case EventRestored:
		return s.restored(e.Draft)
	case EventLoaded:
		return s.loaded(e)
	case EventLoadFailed:
		return s.loadFailed(e.Request, e.Denied)
	case EventSupplied:
		return s.supplied(e)
	case EventChecked:
		return s.checked(e.Request, e.Issues)
	case EventCheckFailed:
		return s.checkFailed(e.Request)
	case EventReplied:
		return s.replied(e)
	case EventElapsed:
		return s.elapsed(e.Timer)
	default:
		return &UnknownError{"event", e.Kind.String()}
	}
}

// finish applies what follows from the state alone, whatever the event was.
func (s *Session) finish() {
	if s.activity == ActivityChecking && len(s.checks) == 0 {
		s.resumeSubmit()
	}
	s.finishLeaving()
	s.setGuard(s.askReason() != AskNothing)
}

func (s *Session) emit(e Effect) { s.effects = append(s.effects, e) }

// say tells the applicant something. A step says one thing, so that a second message of the same
// step joins the first.
func (s *Session) say(m form.Message, level Level) {
	if s.said >= 0 {
		first := &s.effects[s.said]
		first.Message.And, first.Message.AndCount = m.ID, m.Count
		first.Level = max(first.Level, level)
		s.notice.message, s.notice.level = first.Message, first.Level
		return
	}
	s.said = int32(len(s.effects))
	s.notice = notice{m, level, s.notice.count + 1}
	s.emit(Effect{Kind: EffectSay, Message: m, Level: level})
}

// focusOn moves the focus, once a step. A later call of the same step has the newer reason, and wins.
func (s *Session) focusOn(p form.Place) {
	s.focus = p
	for i := range s.effects {
		if s.effects[i].Kind == EffectFocus {
			s.effects[i].Place = p
			return
		}
	}
	s.emit(Effect{Kind: EffectFocus, Place: p})
}

func (s *Session) elapsed(t TimerID) error {
	if t == 0 || t > s.nextTimer {
		return &UnknownError{"timer", ""}
	}
	for i := range s.checks {
		if TimerID(s.checks[i].Timer) == t {
			s.checkElapsed(i)
			return nil
		}
	}
	for kind, armed := range s.timers {
		if armed != t {
			continue
		}
		s.timers[kind] = 0
		switch TimerKind(kind) {
		case TimerLoad:
			s.loadTimedOut()
		case TimerSend:
			s.sendTimedOut()
		case TimerWait:
			s.again()
		case TimerAccepted:
			s.endAccepted()
		}
		return nil
	}
	return ErrStale
}

// arm starts the session's one timer of a kind. No timer of this kind may be running: the judge
// would take the end of the old one for a current answer.
func (s *Session) arm(kind TimerKind, after time.Duration) {
	s.nextTimer++
	s.timers[kind] = s.nextTimer
	s.emit(Effect{Kind: EffectArm, Timer: s.nextTimer, Of: kind, After: after})
}

func (s *Session) disarm(kind TimerKind) {
	if s.timers[kind] != 0 {
		s.emit(Effect{Kind: EffectDisarm, Timer: s.timers[kind], Of: kind})
		s.timers[kind] = 0
	}
}
