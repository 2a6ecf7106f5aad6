package lifecycle

import (
	"cmp"
	"slices"

	"leanwicket.dev/form"
)

// The normal form of a session is what can still make a difference: rows, requests,
// timers and attempts are renamed in the order of the form, counters and what was said
// are left out. Two sessions with one normal form have the same future.

// Normalise brings a session into its normal form. It returns what rows, tries, requests,
// timers and attempts are called now, for those who remember them by their old names;
// that is valid until the next call.
func (p *Packer) Normalise(s *Session, ahead Ahead) *Names {
	s.clearChanged()
	p.names = Names{session: s, moved: p.names.moved[:0], timers: p.names.timers[:0], requests: append(p.names.requests[:0], 0)}
	p.forget(s, ahead)
	if len(s.rows) > 0 {
		p.renameRows(s)
	}
	if !p.options.Whole {
		p.orderAlike(s)
	}
	p.renumber(s)
	if !p.options.Whole {
		p.renameTries(s)
	}
	return &p.names
}

// renameTries keeps of the tries of an open attempt the newest, and one for all
// before it: whether there was any, and whether one may still bring an
// acceptance.
func (p *Packer) renameTries(s *Session) {
	newest := s.currentTry()
	if newest == 0 || s.attempt.outcome != OutcomeOpen {
		return
	}
	for k, t := range s.tries {
		if t == tryCancelled {
			s.tries[k] = tryTimedOut
		}
	}
	if newest > 2 {
		older := tryReplied
		if slices.Contains(s.tries[:newest-1], tryTimedOut) {
			older = tryTimedOut
		}
		s.tries = append(s.tries[:0], older, s.tries[newest-1])
	}
	p.names.newestTry = newest
}

// knownVersion stands for any version: what follows depends on whether one is known.
const knownVersion = "v"

// forget drops what has no future.
func (p *Packer) forget(s *Session, ahead Ahead) {
	s.notice, s.focus, s.ignored, s.applied = notice{}, WholeForm, 0, min(s.applied, 1)
	for _, version := range [...]*string{&s.version, &s.attempt.version, &s.deferred.version} {
		if *version != "" && !s.form.Submit.Creates() {
			*version = knownVersion
		} else {
			*version = ""
		}
	}
	s.adoptedKey = Key{}
	s.receipt = Receipt{Values: s.receipt.Values[:0]}
	if !s.deferred.present {
		s.dropDeferred()
	}
	if s.leave != LeaveAsking && s.leave != LeaveDeparting {
		s.leaveTo, s.leaveKind, s.asked = "", 0, AskNothing
	}
	lost, gained := bitRaw, cellBits(0)
	if !p.options.Whole {
		s.forgetSettled()
		p.forgetDead(s, ahead)
		lost |= s.withoutFuture()
		// The marks of what is shown change nothing else, and can be set at any time
		// by leaving the fields, and by a blocked submit: the state with the marks
		// stands for those without.
		s.revealed = true
		if s.form.Leave.When != form.LeaveDirtyAndTouched {
			gained = bitTouched
		}
	}
	sentDead := !p.options.Whole && s.isSentDead()
	for i := range s.cells {
		p.forgetCell(s, &s.cells[i], lost, gained, sentDead)
	}
}

func (p *Packer) forgetCell(s *Session, c *cell, lost, gained cellBits, sentDead bool) {
	switch {
	case c.row >= 0 && !p.options.Whole:
		lost |= bitSentChanged // a body says a group as a whole
	case sentDead && c.row < 0:
		lost |= bitSent
	}
	bits := c.bits &^ lost
	if c.bits&bitLive != 0 {
		bits |= gained
	}
	if (bits^c.bits)&(bitTouched|bitEdited) != 0 { // the counts look at these
		s.tally.count(c, -1)
		c.bits = bits
		s.tally.count(c, 1)
	}
	c.bits = bits
	c.raw = ""
	if lost&bitSent != 0 {
		c.sent = form.Value{}
	}
}

// forgetSettled drops what is of interest only while an attempt is open.
func (s *Session) forgetSettled() {
	if s.activity != ActivityChecking && !s.follow {
		s.pressed = 0
	}
	if a := &s.attempt; a.number > 0 && a.outcome != OutcomeOpen {
		outcome := a.outcome
		if outcome != OutcomeAccepted {
			outcome = OutcomeRefused
		}
		*a = attempt{number: a.number, key: a.key, button: a.button, outcome: outcome, unsure: a.unsure}
		s.tries = append(s.tries[:0], tryReplied)
	}
}

// withoutFuture are the bits of cells that can make no difference any more: not
// on this form, or not after what has become of the newest attempt.
func (s *Session) withoutFuture() cellBits {
	ignored := bitRaw
	set := func(b cellBits, matters bool) {
		if !matters {
			ignored |= b
		}
	}
	a, loads := &s.attempt, s.form.Prefill.URL != ""
	open := a.isOpen()
	settledOtherwise := a.number > 0 && a.outcome != OutcomeOpen && a.outcome != OutcomeAccepted
	set(bitTyped, s.form.Show == form.ShowInput)
	set(bitTouched, s.form.Show != form.ShowSubmit || s.form.Leave.When == form.LeaveDirtyAndTouched)
	set(bitMentioned|bitBased|bitUnknown|bitRestored|bitStays, loads)
	set(bitEdited|bitRowsEdited, open || settledOtherwise && loads)
	// Of what was sent: to repeat it, to recognise it in a load, or to hold it as
	// received; rows are matched with it at any time.
	set(bitSent, !s.isSentDead() || len(s.groups) > 0)
	set(bitSentChanged, open)
	return ignored
}

// noCell is the new name of a cell whose row is in no list any more.
const noCell = -1

// renameRows stores rows in a fixed order: group by group those that are there
// now, then those only in the baseline, then those only as sent. Rows in no list are left out.
func (p *Packer) renameRows(s *Session) {
	cells, list := append(p.otherCells[:0], s.cells[:len(p.form.Fields)]...), p.otherRows[:0]
	moved := p.unmoved(len(s.cells))
	for i := len(cells); i < len(moved); i++ {
		moved[i] = noCell // unless its row is in a list
	}
	p.rowMoved = p.rowMoved[:0]
	for range s.rows {
		p.rowMoved = append(p.rowMoved, -1)
	}
	for g, group := range p.form.Groups() {
		for _, rs := range [...][]int32{s.groups[g].now, s.groups[g].base, s.groups[g].sent} {
			for k, r := range rs {
				if p.rowMoved[r] < 0 {
					p.rowMoved[r] = int32(len(list))
					first := s.rows[r].first
					list = append(list, row{group: group, first: int32(len(cells)), used: true})
					for m := range int32(len(p.form.Members(group))) {
						moved[first+m] = int32(len(cells))
						cells = append(cells, s.cells[first+m])
						cells[len(cells)-1].row = p.rowMoved[r]
					}
				}
				rs[k] = p.rowMoved[r]
			}
		}
	}
	p.otherCells, s.cells = s.cells, cells
	p.otherRows, s.rows = s.rows, list
	for g := range s.groups {
		s.groups[g].free = s.groups[g].free[:0]
		s.indexGroup(g)
	}
	p.rename(s)
}

// unmoved is the list of new names for cells of which each keeps its own.
func (p *Packer) unmoved(cells int) []int32 {
	for i := range cells {
		p.names.moved = append(p.names.moved, int32(i))
	}
	return p.names.moved
}

// rename follows the new names wherever the session refers to cells.
func (p *Packer) rename(s *Session) {
	to := func(i *int32) { *i = p.names.cell(*i) }
	for k := range s.checks {
		to(&s.checks[k].cell)
	}
	for k := range s.issues {
		to(&s.issues[k].cell)
		to(&s.issues[k].from)
	}
}

// orderAlike sorts the cells of fields that are interchangeable, and all that
// speaks of them.
func (p *Packer) orderAlike(s *Session) {
	for _, fields := range p.options.Alike {
		p.order = append(p.order[:0], fields...)
		slices.SortStableFunc(p.order, func(a, b form.FieldID) int { return compareCells(&s.cells[a], &s.cells[b]) })
		if slices.Equal(p.order, fields) {
			continue
		}
		if !p.names.reordered {
			p.unmoved(len(s.cells))
			p.names.reordered = true
		}
		p.otherCells = p.otherCells[:0]
		for k, id := range p.order {
			p.names.moved[id] = int32(fields[k])
			p.otherCells = append(p.otherCells, s.cells[id])
		}
		for k, id := range fields {
			s.cells[id] = p.otherCells[k]
			s.cells[id].field = id
		}
	}
	if p.names.reordered {
		p.rename(s)
		p.names.Reorder(s.deferredValues)
	}
	if len(p.options.Alike) > 0 { // issues stand as the server said them, which tells the fields apart
		slices.SortStableFunc(s.issues, func(a, b issue) int { return cmp.Compare(a.cell, b.cell) })
	}
}

func compareCells(a, b *cell) int {
	return cmp.Or(
		cmp.Compare(a.bits, b.bits), cmp.Compare(a.rules, b.rules),
		compareExactly(a.value, b.value), compareExactly(a.baseline, b.baseline), compareExactly(a.sent, b.sent),
	)
}

func compareExactly(v, w form.Value) int {
	return cmp.Or(cmp.Compare(v.Kind, w.Kind), cmp.Compare(v.Coef, w.Coef), cmp.Compare(v.Exp, w.Exp), cmp.Compare(v.Text, w.Text))
}

// SpentRequest is, in the normal form, a request that has been answered or given
// up: whatever still answers it is stale.
const SpentRequest RequestID = 1

// renumber gives new numbers to timers, requests and attempts.
func (p *Packer) renumber(s *Session) {
	names := &p.names
	for k := range s.timers {
		s.timers[k] = names.Timer(s.timers[k])
	}
	s.load.request = names.Request(s.load.request)
	for k := range s.checks {
		s.checks[k].request = names.Request(s.checks[k].request)
		s.checks[k].timer = names.Timer(s.checks[k].timer)
	}
	s.nextTimer, s.nextRequest = TimerID(len(names.timers)), RequestID(len(names.requests))
	names.attempts = s.attempt.number - min(s.attempt.number, 1)
	s.attempt.number -= names.attempts
	if s.attempt.number > 0 {
		names.oldKey, names.newKey = s.attempt.key, p.key(s.attempt.number)
		s.attempt.key = names.newKey
	}
}

// key is the key of an attempt in the normal form, whose number is 1 or 2.
func (p *Packer) key(number int32) Key {
	if p.keys[number] == (Key{}) {
		p.keys[number] = Seed{}.key(number)
	}
	return p.keys[number]
}
