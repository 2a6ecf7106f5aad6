package lifecycle

import (
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// secondClick is how long after an acceptance a click is taken for the second
// click of the submit that was accepted, on a form that creates.
const secondClick = time.Second

// settleAccepted makes what was sent the baseline; then the form is kept,
// cleared, adopts what the reply brought, or is left.
func (s *Session) settleAccepted(r *Reply) {
	s.accepted = true
	s.changes++
	s.attempt.outcome, s.newestOutcome = OutcomeAccepted, OutcomeAccepted
	creates := s.form.Submit.Creates()
	lost := s.losesVersion(r)
	droppedSupplied := s.deferred.supplied // nobody brings it again, unless it is asked for
	if s.deferred.present {
		s.load.needs = 0 // the accepted answers replace the load that is dropped
		s.dropDeferred()
	}
	s.load.needs &^= needRestored // what was accepted has no blanks that a load would fill
	if lost {
		s.load.needs |= needVersion
	}
	lacking := s.lacksBeyond(r)
	if lacking {
		s.load.needs |= needBeyond
	}
	if lost || lacking || droppedSupplied || !creates && s.load.request != 0 {
		s.startLoad() // the answer on its way may be older than what was accepted
	}
	s.acceptSent()
	s.meetRestored()
	s.placeWaiting(false)
	s.clearMarks()
	s.version = r.Version
	s.keepReceipt(r)
	s.received = receivedMark{on: creates}

	newer := s.follow && !creates && (s.dirty() > 0 || s.pressed != s.attempt.button)
	s.follow, s.activity = false, ActivityIdle
	said := form.Message{ID: form.MessageAccepted, Words: r.Text}
	if s.form.Accepted.Then == form.ThenAdopt {
		s.adopt(r.Values)
	}
	if unsent := s.dirty(); unsent > 0 && !newer {
		said.And, said.AndCount = form.MessageAcceptedUnsent, unsent
	}
	s.say(said, Polite)
	if creates {
		s.arm(TimerSecondClick, secondClick)
	}
	if s.form.Accepted.Lasts > 0 {
		s.arm(TimerAccepted, s.form.Accepted.Lasts)
	}
	if newer {
		s.followUp()
		return
	}
	s.thenPolicy()
}

// losesVersion reports whether a form that replaces knew a version, and does not
// after this acceptance. The next save would go over somebody else's work.
func (s *Session) losesVersion(r *Reply) bool {
	known := s.attempt.version != "" || s.version != "" || s.deferred.version != ""
	// A merge patch without a version may have met anything, beside what it changed.
	met := s.form.Submit.Method == "PATCH" && s.attempt.version == ""
	return known && (r.Version == "" || met) && !s.form.Submit.Creates() && s.form.Prefill.Loads()
}

// lacksBeyond reports whether rows were sent that were not in the saved record, whose rows have something beyond the form, or
// may have, and the reply does not say what it is now. The next body would bring them as new ones again.
func (s *Session) lacksBeyond(r *Reply) bool {
	if s.form.Submit.Creates() || !s.form.Prefill.Loads() {
		return false
	}
	for g, group := range s.form.Groups() {
		id, has := s.form.BeyondOf(group)
		if !has || s.plainRows(g, id) {
			continue
		}
		for position, row := range s.groups[g].Sent {
			if s.rowIn(row, state.InBase) {
				continue
			}
			place := form.Place{Field: id, Row: int32(position)}
			told := s.form.Accepted.Then == form.ThenAdopt && slices.ContainsFunc(r.Values, func(a form.Answer) bool { return a.Place == place && !a.Value.Absent() })
			if !told {
				return true
			}
		}
	}
	return false
}

// plainRows reports whether the saved record has rows in a group, and none of them has anything beyond the form: rows that
// are added have nothing either.
func (s *Session) plainRows(g int, beyond form.FieldID) bool {
	base := s.groups[g].Base
	return len(base) > 0 && !slices.ContainsFunc(base, func(row int32) bool {
		return !s.cells[s.rows[row].First+s.form.Offset(beyond)].Baseline.Absent()
	})
}

// clearMarks takes away what belonged to the accepted work.
func (s *Session) clearMarks() {
	s.dropIssues(func(x *state.Issue) bool { return Source(x.Source) == SourceServer })
	s.conceal()
	for i := range s.allCells() {
		if !s.has(i, state.BitDirty) {
			s.unmark(i, state.BitTouched|state.BitTyped)
		}
	}
}

func (s *Session) keepReceipt(r *Reply) {
	s.receiptValues = append(s.receiptValues[:0], r.Values...)
	s.receipt = receipt{to: r.To, version: r.Version, text: r.Text}
}

// adopt merges the values that the reply mentions, like those of a refresh.
func (s *Session) adopt(values []form.Answer) {
	values = slices.Clone(values)
	for k := range values {
		a := &values[k]
		if s.isBeyond(a.Field) {
			if i, ok := s.incomingCell(a.Place); ok {
				a.Value = form.WithMembers(s.cells[i].Baseline, a.Value)
			}
		}
	}
	s.mergeAnswers(values, merging{spareDirty: true, spareEdited: true, ask: s.form.Prefill.Ask})
}

// unsent reports whether something of the form has not been sent.
func (s *Session) unsent() bool {
	return s.dirty() > 0 || s.tally[state.ClassRestingEdited] > 0
}

// thenPolicy clears or leaves the form, where nothing of it is unsent. While the
// question about leaving stands, or its answer is carried out, that decides where
// the applicant goes.
func (s *Session) thenPolicy() {
	switch s.form.Accepted.Then {
	case form.ThenClear:
		s.clearOrLater(s.unsent())
	case form.ThenNavigate:
		if s.unsent() || s.leave != LeavePresent {
			return
		}
		to := s.receipt.to
		if to == "" && strings.HasPrefix(s.form.Accepted.To, "/") && strings.IndexByte(s.form.Accepted.To, '{') < 0 {
			to = s.form.Accepted.To
		}
		if to == "" { // nobody tells where to: the applicant stays, and knows what was received
			return
		}
		s.emit(Effect{Kind: EffectNavigate, To: to})
		s.goneTo(to)
	}
}

// clearOrLater clears the form, or leaves that to the next reset.
func (s *Session) clearOrLater(later bool) {
	if later {
		s.clearNext = true
		return
	}
	s.conceal()
	s.toDefaults()
	s.received.cleared = true
}

// thenHeld does what follows an acceptance whose newer values are held, or were given up while they
// were checked. The applicant is still at the form: nobody navigates, and
// what was typed since and was not sent stays until the next reset, also where it
// has been saved elsewhere.
func (s *Session) thenHeld() {
	if s.thenDue {
		s.thenDue = false
		if s.form.Accepted.Then == form.ThenClear {
			notSent := s.eachDifference(func(i int32) bool { return !s.has(i, state.BitEdited) })
			s.clearOrLater(s.unsent() || notSent || s.pressed != s.attempt.button)
		}
	}
}
