package lifecycle

import "time"

// secondClick is how long after an acceptance a click is taken for the second
// click of the submit that was accepted, on a form that creates.
const secondClick = time.Second

// settleAccepted makes what was sent the baseline; then the form is kept,
// cleared, adopts what the reply brought, or is left.
func (s *Session) settleAccepted(r *Reply) {
	s.accepted = true
	s.attempt.outcome, s.standing = OutcomeAccepted, OutcomeAccepted
	creates := s.form.Submit.Creates()
	s.dropKept()
	if !creates && s.load.request != 0 {
		s.startLoad() // the answer on its way may be older than what was accepted
	}
	s.acceptSent()
	s.clearMarks()
	s.version = r.Version
	s.keepReceipt(r)
	s.received = receivedMark{on: creates}

	newer := s.follow && !creates && (s.tally[classDirty] > 0 || s.pressed != s.attempt.button)
	s.follow = false
	if s.activity == ActivityChecking && !newer {
		s.activity = ActivityIdle
	}
	said := Message{ID: MessageAccepted, Words: r.Text}
	if s.form.Accepted.Then == ThenAdopt {
		s.adopt(r.Values)
	}
	if unsent := s.tally[classDirty]; unsent > 0 && !newer {
		said.And, said.AndCount = MessageAcceptedUnsent, unsent
	}
	s.say(said, Polite)
	if creates {
		s.arm(TimerSettle, secondClick)
	}
	if s.form.Accepted.Lasts > 0 {
		s.arm(TimerAccepted, s.form.Accepted.Lasts)
	}
	switch {
	case !newer:
		s.thenPolicy(r)
	case s.activity != ActivityChecking:
		s.followUp()
	}
}

// clearMarks takes away what belonged to the accepted work.
func (s *Session) clearMarks() {
	s.dropIssues(func(x *issue) bool { return x.source == SourceServer })
	s.conceal()
	for i := range s.allCells() {
		if !s.has(i, bitDirty) {
			s.unmark(i, bitTouched|bitTyped)
		}
	}
}

func (s *Session) keepReceipt(r *Reply) {
	values := append(s.receipt.Values[:0], r.Values...)
	s.receipt = Receipt{Values: values, To: r.To, Version: r.Version, Text: r.Text}
}

// adopt merges the values that the reply mentions, like those of a refresh.
func (s *Session) adopt(values []Answer) {
	s.mergeAnswers(values, merging{keepDirty: true, ask: s.form.Prefill.Ask})
}

// thenPolicy clears or leaves the form, where nothing of it is unsent.
func (s *Session) thenPolicy(r *Reply) {
	unsent := s.tally[classDirty] > 0 || s.tally[classRestingEdited] > 0
	switch s.form.Accepted.Then {
	case ThenClear:
		if unsent {
			s.clearNext = true
			return
		}
		s.toDefaults()
		s.received.cleared = true
	case ThenNavigate:
		if unsent || s.leave == LeaveDeparting {
			return
		}
		to := r.To
		if to == "" {
			to = s.form.Accepted.To
		}
		s.emit(Effect{Kind: EffectNavigate, To: to})
		s.goneTo(to)
	}
}
