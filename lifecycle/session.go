package lifecycle

import (
	"slices"
	"time"

	"leanwicket.dev/form"
)

// Session is one applicant's work on one form, from opening to leaving. It is
// changed by Apply alone, and by one goroutine at a time.
type Session struct {
	form *form.Form
	seed Seed

	cells  []cell // one for each declared field, then those of the rows
	rows   []row
	groups []rows // beside Form.groups
	checks []check
	issues []issue    // of checks and of the server, as they came
	tries  []tryState // of the newest attempt

	deferredValues []form.Answer   // of scalars.deferred
	waiting        []waitingAnswer // what an earlier page kept of rows that a load has to bring
	receipt        Receipt
	scalars

	// What belongs to the step that is being taken.
	effects []Effect
	answers []form.Answer
	changed []int32
	scratch []form.Value
	byEdit  bool // the applicant's own edit is at work
	// The cell that the step's own event edits, or -1.
	editedNow int32
	accepted  bool // an acceptance happened in this step
	said      int32
}

// scalars are all of a session's state that is in no list.
type scalars struct {
	tally tally

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
	focus     form.Place

	nextRequest RequestID
	nextTimer   TimerID
	applied     uint64 // events so far; 0 means that the first is still to come
}

// cell is one answer.
type cell struct {
	value    form.Value
	baseline form.Value
	sent     form.Value
	raw      string // as typed, with bitRaw
	field    form.FieldID
	row      int32 // into Session.rows, or -1
	bits     cellBits
	rules    form.Codes
}

type cellBits uint32

const (
	bitLive      cellBits = 1 << iota // not in a removed row
	bitAsked                          // by the values
	bitBaseAsked                      // by the baselines
	bitDirty
	bitEdited // after the newest attempt was sent
	bitTouched
	bitTyped // since the last reset or acceptance
	bitContested
	bitMentioned // an answer mentioned it
	bitIncoming  // the answer being merged mentions it
	bitRaw
	bitSent // asked when the values were copied
	bitCheckIssue
	bitServerIssue
	bitIssuesElsewhere // its check has placed some on other cells
	bitChecking
	bitSentChanged // what was sent differed from the baseline then
	bitRestored    // an earlier page kept it, and no load has met it
	bitStays       // restored, and typed: it stays through the first load
	bitUnknown     // its baseline is private, and was not kept
	bitBased       // of a group: a load or an acceptance has brought it its baseline
	bitRowsEdited  // of a group: rows were added, removed or moved after the newest attempt was sent
	bitMeets       // in a merge: a newer value has met an edit
	bitChanged     // already in Session.changed
)

// row is a row of a group. Its identity outlives its place.
type row struct {
	group form.FieldID
	first int32 // its first cell
	used  bool
	in    rowLists // the lists that it is in
	at    int32    // its place among those that are there now
}

// rows are the rows of one group: now, in the baseline, and as sent; indexes
// into Session.rows. Session.setRowList writes them, and with them what each row
// knows of its lists.
type rows struct {
	now, base, sent []int32
	free            []int32 // rows in none of them, to be used again
}

// rowLists is a set of a group's lists.
type rowLists uint8

const (
	inNow rowLists = 1 << iota
	inBase
	inSent
)

// list is one of the lists.
func (g *rows) list(which rowLists) *[]int32 {
	switch which {
	case inNow:
		return &g.now
	case inBase:
		return &g.base
	default:
		return &g.sent
	}
}

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
	s.cells = make([]cell, len(f.Fields))
	for i := range s.cells {
		s.cells[i] = cell{field: form.FieldID(i), row: -1, bits: bitAsked | bitBaseAsked}
		if f.GroupOf(form.FieldID(i)) < 0 {
			s.cells[i].bits |= bitLive
		}
	}
	s.groups = make([]rows, f.GroupCount())
	s.toDefaults()
	s.clearChanged()
	if f.Prefill.URL != "" {
		if f.Prefill.Needed {
			s.load.needs = needDeclared
		}
		s.startLoad()
	}
	return s, s.effects
}

// Apply takes one event. The effects are valid until the next Apply. The error
// is nil, or tells why nothing has changed: an UnknownError, a TurnedAwayError
// or ErrStale.
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
	case EventLeaveAnswered:
		return s.leaveAnswered(e.Answer)
	case EventReturned:
		return s.returned()
	case EventRestored:
		return s.restored(e.Restored)
	case EventLoaded:
		return s.loaded(e)
	case EventLoadFailed:
		return s.loadFailed(e.Request, e.Denied)
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

// finish draws the consequences that follow from the state alone, whatever the
// event was.
func (s *Session) finish() {
	if s.activity == ActivityChecking && len(s.checks) == 0 {
		s.resumeSubmit()
	}
	s.finishLeaving()
	s.setGuard(s.askReason() != AskNothing)
}

func (s *Session) emit(e Effect) { s.effects = append(s.effects, e) }

// say tells the applicant something: once a step, so that a second message of
// the same step joins the first.
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

// focusOn moves the focus, once a step: what comes later is the newer reason.
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
		if s.checks[i].timer == t {
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

// arm starts the session's one timer of a kind. None of that kind runs: the judge takes the
// end of one that was left behind for an answer that is current.
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

// CopyFrom makes s the same session as t, reusing what s has allocated.
func (s *Session) CopyFrom(t *Session) {
	s.form, s.seed, s.scalars = t.form, t.seed, t.scalars
	s.cells = append(s.cells[:0], t.cells...)
	s.rows = append(s.rows[:0], t.rows...)
	if len(s.groups) != len(t.groups) {
		s.groups = make([]rows, len(t.groups))
	}
	for i := range t.groups {
		s.groups[i].copyFrom(&t.groups[i])
	}
	s.checks = append(s.checks[:0], t.checks...)
	s.issues = append(s.issues[:0], t.issues...)
	s.tries = append(s.tries[:0], t.tries...)
	s.deferredValues = append(s.deferredValues[:0], t.deferredValues...)
	s.waiting = append(s.waiting[:0], t.waiting...)
	values := append(s.receipt.Values[:0], t.receipt.Values...)
	s.receipt = t.receipt
	s.receipt.Values = values
	s.effects, s.answers = s.effects[:0], s.answers[:0]
	s.changed = append(s.changed[:0], t.changed...)
}

func (g *rows) copyFrom(h *rows) {
	g.now = append(g.now[:0], h.now...)
	g.base = append(g.base[:0], h.base...)
	g.sent = append(g.sent[:0], h.sent...)
	g.free = append(g.free[:0], h.free...)
}

// Same reports whether two sessions of one form have the same state: all but
// what belongs to the newest step.
func (s *Session) Same(t *Session) bool {
	if s.scalars != t.scalars || len(s.cells) != len(t.cells) ||
		!slices.Equal(s.rows, t.rows) || !slices.Equal(s.checks, t.checks) ||
		!slices.Equal(s.issues, t.issues) || !slices.Equal(s.tries, t.tries) || !slices.Equal(s.deferredValues, t.deferredValues) || !slices.Equal(s.waiting, t.waiting) {
		return false
	}
	if a, b := &s.receipt, &t.receipt; a.To != b.To || a.Version != b.Version || a.Text != b.Text || !slices.Equal(a.Values, b.Values) {
		return false
	}
	for i := range s.groups {
		a, b := &s.groups[i], &t.groups[i]
		if !slices.Equal(a.now, b.now) || !slices.Equal(a.base, b.base) || !slices.Equal(a.sent, b.sent) || !slices.Equal(a.free, b.free) {
			return false
		}
	}
	for i := range s.cells {
		a, b := &s.cells[i], &t.cells[i]
		if (a.bits^b.bits)&^bitChanged != 0 || a.rules != b.rules || a.value != b.value || a.baseline != b.baseline ||
			a.sent != b.sent || a.raw != b.raw || a.field != b.field || a.row != b.row {
			return false
		}
	}
	return true
}
