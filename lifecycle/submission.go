package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// receivedMark remembers that the newest attempt was accepted on a form that
// creates: the same answers are not sent as a second record.
type receivedMark struct {
	on      bool
	cleared bool // the form was cleared since: only what was sent counts as the same
}

func (s *Session) submit(name string) error {
	button, ok := s.form.ButtonAt(name)
	if !ok {
		return &UnknownError{"button", name}
	}
	s.press(int32(button), false)
	return nil
}

// press takes a submit with one of the buttons. fromLeave says that the submit answers the question at
// leaving, and so is no second click.
func (s *Session) press(button int32, fromLeave bool) {
	if s.activity != ActivityIdle || !fromLeave && s.justAccepted(button) {
		s.ignored++
		return
	}
	s.pressed = button
	if s.form.Show == form.ShowSubmit {
		s.reveal()
	}
	if holds := s.holds(button) &^ Holds(HoldChecking); holds != 0 {
		s.block(holds, false)
		return
	}
	if s.unsettled() {
		s.markDifferences()
	}
	if len(s.checks) > 0 {
		s.activity = ActivityChecking
		s.sendDelayedChecks()
		return
	}
	s.proceed()
}

// justAccepted reports whether a click is the second one of an acceptance that
// came fast.
func (s *Session) justAccepted(button int32) bool {
	return s.form.Submit.Creates() && (s.timers[TimerSecondClick] != 0 ||
		s.newestOutcome == OutcomeAccepted && s.holds(button).Has(HoldReceived))
}

// resumeSubmit goes on with a submit whose checks are in.
func (s *Session) resumeSubmit() {
	s.activity = ActivityIdle
	if holds := s.holds(s.pressed); holds != 0 {
		s.block(holds, false)
		return
	}
	s.proceed()
}

// proceed sends what nothing holds: an unsettled attempt is settled first.
func (s *Session) proceed() {
	if s.unsettled() {
		s.settleFirst(s.pressed)
		return
	}
	s.begin(s.pressed)
}

// holds are the reasons why a submit with a button would not send now.
func (s *Session) holds(button int32) Holds {
	var hs Holds
	add := func(h Hold, when bool) {
		if when {
			hs |= Holds(h)
		}
	}
	needed := s.load.needs != 0
	add(HoldGone, s.leave == LeaveGone)
	onItsWay := s.load.request != 0 || s.deferred.present // an answer has arrived, and is not merged yet
	add(HoldLoading, needed && onItsWay)
	add(HoldPrefillMissing, needed && !onItsWay)
	add(HoldSending, s.activity == ActivitySending || s.activity == ActivityWaiting)
	add(HoldChecking, len(s.checks) > 0)
	add(HoldContested, s.tally[state.ClassContested] > 0)
	add(HoldInvalid, s.tally[state.ClassInvalid] > 0)
	add(HoldUnchanged, s.form.Submit.HoldUnchanged && s.dirty() == 0)
	add(HoldReceived, s.holdsReceived(button))
	return hs
}

// holdsReceived reports whether these answers have been received already. What
// a reply or a load brought since counts as the same, except after clear.
func (s *Session) holdsReceived(button int32) bool {
	if !s.received.on || s.attempt.button != button {
		return false
	}
	if !s.received.cleared && s.dirty() == 0 {
		return true
	}
	for g, group := range s.form.Groups() {
		if !s.sameRowsAsSent(int32(g), int32(group)) {
			return false
		}
	}
	for id := range s.form.Declared() {
		i := int32(id)
		if s.form.GroupOf(form.FieldID(id)) < 0 && s.form.Fields[id].Kind != form.KindRows &&
			s.effective(i, sideNow) != s.cells[i].Sent && !s.countsAsSent(i) {
			return false
		}
	}
	return true
}

// countsAsSent reports whether a value that differs from the one sent was
// brought since by a reply or a load.
func (s *Session) countsAsSent(i int32) bool {
	return !s.received.cleared && !s.has(i, state.BitDirty)
}

// sameRowsAsSent compares rows by place and values: new rows with the old
// answers are the same application.
func (s *Session) sameRowsAsSent(g, head int32) bool {
	group := &s.groups[g]
	now := s.countedRows(form.FieldID(head), sideNow)
	if !s.has(head, state.BitAsked) {
		now = nil
	}
	brought := s.countsAsSent(head)
	if !brought && len(now) != len(group.Sent) {
		return false
	}
	for k, r := range now {
		for i := range s.cellsOf(r) {
			if brought && s.countsAsSent(i) || s.isBeyond(s.cells[i].Field) {
				continue
			}
			was := form.Value{}
			if k < len(group.Sent) {
				was = s.cells[s.rows[group.Sent[k]].First+s.form.Offset(s.cells[i].Field)].Sent
			}
			if s.effective(i, sideNow) != was {
				return false
			}
		}
	}
	return true
}

// block refuses to send, shows every issue and says why. With keepOutcome, the outcome that has just
// been settled stays on view.
func (s *Session) block(holds Holds, keepOutcome bool) {
	if s.newestOutcome != OutcomeOutdated && !keepOutcome {
		s.endAccepted()
		s.newestOutcome = OutcomeOpen
	}
	if !s.open() {
		s.mergeDeferred()
	}
	s.reveal()
	if first := s.firstTrouble(); first != WholeForm || len(s.issues) > 0 {
		s.focusOn(first)
	}
	s.say(s.HoldMessage(holds), Assertive)
	s.thenHeld()
}

// HoldMessage is what a submit would say that these hold, going by the first of them. It is
// MessageNone where a submit would say nothing: nothing holds, or work is on its way.
func (s *Session) HoldMessage(holds Holds) form.Message {
	switch holds.First() {
	case HoldLoading:
		return form.Message{ID: form.MessageBlockedLoading}
	case HoldPrefillMissing:
		return form.Message{ID: form.MessageBlockedPrefillMissing}
	case HoldContested:
		return form.Message{ID: form.MessageBlockedContested, Count: s.tally[state.ClassContested]}
	case HoldInvalid:
		return form.Message{ID: form.MessageBlockedInvalid, Count: s.countIssues()}
	case HoldUnchanged:
		return form.Message{ID: form.MessageBlockedUnchanged}
	case HoldReceived:
		return form.Message{ID: form.MessageBlockedReceived}
	default:
		return form.Message{}
	}
}

// reveal shows every issue from now on.
func (s *Session) reveal() {
	if s.revealed {
		return
	}
	s.revealed = true
	s.noteRuleIssues()
}

// conceal shows issues by policy again.
func (s *Session) conceal() {
	if !s.revealed {
		return
	}
	s.revealed = false
	s.noteRuleIssues()
}

// noteRuleIssues notes every field whose issues are shown by policy.
func (s *Session) noteRuleIssues() {
	if s.tally[state.ClassInvalid] == 0 {
		return
	}
	for i := range s.inOrder() {
		if s.cells[i].Rules != 0 || s.has(i, state.BitCheckIssue) {
			s.noteChanged(i)
		}
	}
}

// cancel gives up a wait.
func (s *Session) cancel() error {
	switch s.activity {
	case ActivityChecking:
		s.activity = ActivityIdle
		if !s.open() {
			s.mergeDeferred()
		}
		s.thenHeld()
	case ActivitySending:
		s.tries[s.currentTry()-1] = state.TryCancelled
		s.emit(Effect{Kind: EffectAbort, Attempt: s.attempt.number, Try: s.currentTry()})
		s.disarm(TimerSend)
		s.unsettle(form.Message{ID: form.MessageUnsettled})
	case ActivityWaiting:
		s.disarm(TimerWait)
		s.unsettle(form.Message{ID: form.MessageUnsettled})
	default:
		return ErrNoCancel
	}
	return nil
}

// endAccepted ends the success state.
func (s *Session) endAccepted() {
	s.disarm(TimerAccepted)
	if s.newestOutcome == OutcomeAccepted {
		s.newestOutcome = OutcomeOpen
	}
}

// reset returns to the baseline. An attempt in flight or unsettled stays what
// it is.
func (s *Session) reset() error {
	if s.activity == ActivityChecking {
		s.activity = ActivityIdle // and a departure that waited for it ends with this step
	}
	s.follow = false
	s.endAccepted()
	s.newestOutcome = OutcomeOpen
	s.disarm(TimerSecondClick)
	s.received = receivedMark{}
	s.receipt, s.receiptValues = receipt{}, s.receiptValues[:0]
	s.conceal()
	s.dropWaiting()
	if !s.open() {
		s.mergeDeferred() // what has come is saved, and a clear takes it too
	}
	clears := s.clearNext || s.thenDue && s.form.Accepted.Then == form.ThenClear
	s.clearNext, s.thenDue = false, false
	if clears {
		s.toDefaults()
	} else {
		s.toBaseline()
	}
	return nil
}
