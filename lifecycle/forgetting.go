package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
)

// What can make no difference any more is left out of the normal form: it is written anew
// before it is read, or nothing reads it. Whoever walks over normal forms has to compare, now
// and then, what follows a session with what follows its normal form: a fault of the core can
// be that it reads what it should not.

// isOpen reports whether the outcome of an attempt is still to come.
func (a *attempt) isOpen() bool { return a.number > 0 && a.outcome == OutcomeOpen }

// forgetDead drops all that is dead in a session.
func (p *Packer) forgetDead(s *Session, ahead Ahead) {
	p.forgetDeferred(s)
	s.forgetSubmission(ahead)
	a := &s.attempt
	if a.unsure && (a.outcome == OutcomeAccepted || a.outcome != OutcomeOpen && s.form.Prefill.URL == "") {
		a.unsure = false // no load will bring what was sent
	}
	for g, group := range s.form.Groups() {
		p.forgetSentRows(s, g, group)
		s.forgetRemovedRows(group)
	}
	if a.unsure && p.options.Brings != nil && !p.mayBringSent(s) {
		a.unsure = false
	}
	p.forgetBrought(s)
}

// forgetBrought drops what can matter only where loads bring one thing and then another: that
// an answer has mentioned a field, and that one was edited since, where it stays what it is
// whatever a load brings.
func (p *Packer) forgetBrought(s *Session) {
	open := s.attempt.isOpen()
	for _, x := range p.options.Brings {
		if x.Row >= 0 || s.form.Fields[x.Field].Kind == form.KindRows {
			continue
		}
		c := &s.cells[x.Field]
		c.bits &^= bitMentioned
		if follows := c.bits&bitDirty == 0 && c.baseline != x.Value; !open && !follows && c.bits&bitEdited != 0 && len(s.form.Fields[x.Field].Asked) == 0 {
			s.tally.count(c, -1)
			c.bits &^= bitEdited
			s.tally.count(c, 1)
		}
	}
}

// forgetDeferred drops an answer that waits for the attempt, where it brings what is there.
func (p *Packer) forgetDeferred(s *Session) {
	if s.deferred.present && p.deferredChangesNothing(s) {
		s.dropDeferred()
	}
}

func (p *Packer) deferredChangesNothing(s *Session) bool {
	if s.load.needs != 0 || s.deferred.version != s.version || len(s.waiting) > 0 {
		return false
	}
	for _, group := range s.form.Groups() {
		if _, mentioned := rowCount(group, s.deferredValues); mentioned || s.has(int32(group), bitMentioned) {
			return false
		}
	}
	in := 0
	for _, v := range s.deferredValues {
		i, ok := s.incomingCell(v.Place)
		if !ok || s.cells[i].baseline != v.Value || s.cells[i].bits&(bitRestored|bitStays|bitUnknown) != 0 {
			return false
		}
		in++
	}
	for i := range s.cells { // what an earlier answer mentioned, and this one does not, would be absent
		if c := &s.cells[i]; c.bits&(bitRestored|bitStays) != 0 || c.bits&bitMentioned != 0 && !slices.ContainsFunc(s.deferredValues, func(v form.Answer) bool { return v.Field == c.field }) {
			return false
		}
	}
	return in > 0
}

// forgetSubmission drops what an attempt has counted and pressed, where the next begins anew.
func (s *Session) forgetSubmission(ahead Ahead) {
	a := &s.attempt
	open := a.isOpen()
	if ahead.NoAttempt && !open && s.activity == ActivityIdle {
		a.button, s.received = 0, receivedMark{}
	}
	if ahead.NoAttempt && ahead.NoTry && open && !s.follow {
		a.button, s.pressed = 0, 0
	}
	if s.activity != ActivitySending && s.activity != ActivityWaiting {
		a.repeats, a.waited = 0, false
	}
	if a.number > 0 && !open && !s.received.on && s.newestOutcome != OutcomeDenied {
		a.button = 0
	}
}

// mayBringSent reports whether a load may bring what was sent over another baseline: then it
// is no news.
func (p *Packer) mayBringSent(s *Session) bool {
	for i := range s.cells {
		if c := &s.cells[i]; c.row >= 0 && s.rowIn(c.row, inSent) && c.bits&bitSent != 0 {
			return true
		}
	}
	for _, x := range p.options.Brings {
		if x.Row >= 0 || s.form.Fields[x.Field].Kind == form.KindRows {
			continue
		}
		if c := &s.cells[x.Field]; c.bits&bitSent != 0 && c.sent == x.Value && c.baseline != x.Value {
			return true
		}
	}
	return false
}

// isSentDead reports whether what was sent of fields that are in no row is looked at no more.
func (s *Session) isSentDead() bool {
	a := &s.attempt
	return !a.isOpen() && !s.received.on && !(a.number > 0 && a.outcome != OutcomeAccepted && s.form.Prefill.URL != "" && a.unsure)
}

// forgetSentRows drops the rows as they were sent, where no body can bring them.
func (p *Packer) forgetSentRows(s *Session, g int, group form.FieldID) {
	if s.attempt.isOpen() || s.received.on || len(s.groups[g].sent) == 0 || s.form.Accepted.Then == form.ThenAdopt {
		return
	}
	if s.form.Prefill.URL != "" {
		if p.options.Brings == nil {
			return
		}
		if s.attempt.unsure && slices.ContainsFunc(s.groups[g].base, func(r int32) bool { return s.rowIn(r, inSent) }) {
			return // what was sent of a row is no news
		}
		count, mentioned := rowCount(group, p.options.Brings)
		if !mentioned || s.maySentRowsBe(g, group, count, p.options.Brings) || !s.has(int32(group), bitBased) {
			return
		}
	}
	s.setRowList(group, inSent, nil)
	for i := range s.cells {
		if c := &s.cells[i]; c.row >= 0 && s.rows[c.row].group == group {
			c.sent = form.Value{}
			c.bits &^= bitSent
		}
	}
}

// maySentRowsBe reports whether a body may ever be taken to bring the rows as they were sent.
func (s *Session) maySentRowsBe(g int, group form.FieldID, count int, answers []form.Answer) bool {
	base := s.groups[g].base
	s.groups[g].base = nil
	brings := s.bringsSentRows(group, count, answers)
	s.groups[g].base = base
	return brings
}

// forgetRemovedRows drops what stood in rows that are not there now.
func (s *Session) forgetRemovedRows(group form.FieldID) {
	for r := range s.rows {
		if s.rows[r].group != group || s.rows[r].in&inNow != 0 || !s.rows[r].used {
			continue
		}
		for i := range s.cellsOf(int32(r)) {
			c := &s.cells[i]
			s.tally.count(c, -1)
			c.value, c.rules = c.baseline, 0
			c.bits &^= bitAsked | bitEdited | bitTouched | bitTyped | bitContested | bitDirty
			s.tally.count(c, 1)
		}
	}
}
