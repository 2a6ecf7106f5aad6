package lifecycle

import (
	"cmp"
	"slices"
)

// The normal form of a watched session is what can still make a difference:
// rows, requests, timers and attempts are renamed in the order of the form,
// counters and what was said are left out. Two sessions with one normal form
// have the same future, and so have their watches.

// normalise brings a watched session into its normal form.
func (p *Packer) normalise(w *Watch) {
	s := w.session
	s.clearChanged()
	p.forget(w)
	if len(s.rows) > 0 {
		p.renameRows(w)
	}
	if !p.options.Whole {
		for _, fields := range p.options.Alike {
			p.orderAlike(w, fields)
		}
	}
	p.renumber(w)
	if !p.options.Whole {
		p.renameTries(w)
	}
}

// renameTries keeps of the tries of an open attempt the newest, and one for all
// before it: whether there was any, and whether one may still bring an
// acceptance.
func (p *Packer) renameTries(w *Watch) {
	s := w.session
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
	renamed := func(try int32) int32 {
		if try == newest {
			return s.currentTry()
		}
		return 1
	}
	if w.inFlight != 0 {
		w.inFlight = renamed(w.inFlight)
	}
	for k := range w.late {
		w.late[k] = renamed(w.late[k])
	}
	slices.Sort(w.late)
	w.late = slices.Compact(w.late)
}

// knownVersion stands for any version: what follows depends on whether one is known.
const knownVersion = "v"

// forget drops what has no future.
func (p *Packer) forget(w *Watch) {
	s := w.session
	s.notice, s.focus, s.ignored, s.applied = notice{}, WholeForm, 0, min(s.applied, 1)
	for _, version := range [...]*string{&s.version, &s.attempt.version, &s.kept.version} {
		if *version != "" && !s.form.Submit.Creates() && s.form.Prefill.URL != "" {
			*version = knownVersion
		} else {
			*version = ""
		}
	}
	s.adoptedKey = Key{}
	s.receipt = Receipt{Values: s.receipt.Values[:0]}
	if !s.kept.present {
		s.dropKept()
	}
	if s.leave != LeaveAsking && s.leave != LeaveDeparting {
		s.leaveTo, s.leaveKind, s.asked = "", 0, AskNothing
	}
	lost, gained := bitRaw, cellBits(0)
	if !p.options.Whole {
		p.forgetSettled(w)
		lost |= s.withoutFuture()
		// The marks of what is shown change nothing else, and can be set at any time
		// by leaving the fields, and by a blocked submit: the state with the marks
		// stands for those without.
		s.revealed = true
		if s.form.Leave.When != LeaveDirtyAndTouched {
			gained = bitTouched
		}
	}
	for i := range s.cells {
		p.forgetCell(s, &s.cells[i], lost, gained)
	}
}

func (p *Packer) forgetCell(s *Session, c *cell, lost, gained cellBits) {
	bits := c.bits &^ lost
	if c.bits&bitLive != 0 && s.form.Fields[c.field].Kind != KindRows {
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
		c.sent = Value{}
	}
}

// forgetSettled drops what is of interest only while an attempt is open.
func (p *Packer) forgetSettled(w *Watch) {
	s := w.session
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
	if !w.settled {
		return
	}
	w.paused, w.adopted, w.late = false, false, w.late[:0]
	if !w.accepted || w.resetAt || !p.form.Submit.Creates() {
		w.sent, w.sentIDs, w.resetAt = nil, w.sentIDs[:0], false
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
	open := a.number > 0 && a.outcome == OutcomeOpen
	settledOtherwise := a.number > 0 && a.outcome != OutcomeOpen && a.outcome != OutcomeAccepted
	set(bitTyped, s.form.Show == ShowInput)
	set(bitTouched, s.form.Show != ShowSubmit || s.form.Leave.When == LeaveDirtyAndTouched)
	set(bitMentioned|bitBased|bitUnknown|bitRestored|bitStays, loads)
	set(bitEdited|bitRowsEdited, open || settledOtherwise && loads)
	// Of what was sent: to repeat it, to recognise it in a load, or to hold it as
	// received; rows are matched with it at any time.
	set(bitSent, open || s.received.on || settledOtherwise && loads && a.unsure || len(s.groups) > 0)
	set(bitSentChanged, open)
	return ignored
}

// renameRows stores rows in a fixed order: group by group those that are there
// now, then those only in the baseline, then those only as sent.
func (p *Packer) renameRows(w *Watch) {
	s := w.session
	cells, list := append(p.cellsToo[:0], s.cells[:len(p.form.Fields)]...), p.rowsToo[:0]
	p.moved = p.moved[:0]
	for i := range s.cells {
		p.moved = append(p.moved, int32(i))
	}
	p.rowMoved = p.rowMoved[:0]
	for range s.rows {
		p.rowMoved = append(p.rowMoved, -1)
	}
	for g, group := range p.form.groups {
		for _, rs := range [...][]int32{s.groups[g].now, s.groups[g].base, s.groups[g].sent} {
			for k, r := range rs {
				if p.rowMoved[r] < 0 {
					p.rowMoved[r] = int32(len(list))
					first := s.rows[r].first
					list = append(list, row{group: group, first: int32(len(cells)), used: true})
					for m := range int32(len(p.form.Members(group))) {
						p.moved[first+m] = int32(len(cells))
						cells = append(cells, s.cells[first+m])
						cells[len(cells)-1].row = p.rowMoved[r]
					}
				}
				rs[k] = p.rowMoved[r]
			}
		}
	}
	p.cellsToo, s.cells = s.cells, cells
	p.rowsToo, s.rows = s.rows, list
	for g := range s.groups {
		s.groups[g].free = s.groups[g].free[:0]
		s.indexGroup(g)
	}
	p.rename(w)
}

// rename follows p.moved wherever cells are referred to.
func (p *Packer) rename(w *Watch) {
	s := w.session
	to := func(i *int32) {
		if *i >= 0 {
			*i = p.moved[*i]
		}
	}
	for k := range s.checks {
		to(&s.checks[k].cell)
	}
	for k := range s.issues {
		to(&s.issues[k].cell)
		to(&s.issues[k].from)
	}
	for k := range w.checks {
		to(&w.checks[k].field)
	}
	for k := range w.sentIDs {
		to(&w.sentIDs[k])
	}
}

// orderAlike sorts the cells of fields that are interchangeable, and all that
// speaks of them.
func (p *Packer) orderAlike(w *Watch, fields []FieldID) {
	s := w.session
	p.order = append(p.order[:0], fields...)
	slices.SortStableFunc(p.order, func(a, b FieldID) int { return compareCells(&s.cells[a], &s.cells[b]) })
	if slices.Equal(p.order, fields) {
		return
	}
	p.moved = p.moved[:0]
	for i := range s.cells {
		p.moved = append(p.moved, int32(i))
	}
	p.cellsToo = p.cellsToo[:0]
	for k, id := range p.order {
		p.moved[id] = int32(fields[k])
		p.cellsToo = append(p.cellsToo, s.cells[id])
	}
	for k, id := range fields {
		s.cells[id] = p.cellsToo[k]
		s.cells[id].field = id
	}
	p.rename(w)
	slices.SortStableFunc(s.issues, func(a, b issue) int { return cmp.Compare(a.cell, b.cell) })
	p.renameAnswers(s.keptValues)
	if w.sent != nil {
		values := slices.Clone(w.sent.values)
		p.renameAnswers(values)
		w.sent = w.workOf(w.sent.button, values)
		w.sentIDs = w.sentIDs[:0]
		for _, a := range w.sent.present { // no row is alike another's: forms with rows have no alike fields
			w.sentIDs = append(w.sentIDs, int32(a.Field))
		}
	}
}

func (p *Packer) renameAnswers(values []Answer) {
	for k := range values {
		values[k].Field = FieldID(p.moved[values[k].Field])
	}
	slices.SortStableFunc(values, func(a, b Answer) int { return cmp.Compare(a.Field, b.Field) })
}

func compareCells(a, b *cell) int {
	return cmp.Or(
		cmp.Compare(a.bits, b.bits), cmp.Compare(a.rules, b.rules),
		compareExactly(a.value, b.value), compareExactly(a.baseline, b.baseline), compareExactly(a.sent, b.sent),
	)
}

func compareExactly(v, w Value) int {
	return cmp.Or(cmp.Compare(v.Kind, w.Kind), cmp.Compare(v.Coef, w.Coef), cmp.Compare(v.Exp, w.Exp), cmp.Compare(v.Text, w.Text))
}

// SpentRequest is, in the normal form, a request that has been answered or given
// up: whatever still answers it is stale.
const SpentRequest RequestID = 1

// renumber gives new numbers to timers, requests and attempts. What only one of
// session and watch knows is numbered behind the rest.
func (p *Packer) renumber(w *Watch) {
	s := w.session
	p.timers, p.requests = p.timers[:0], append(p.requests[:0], 0)
	for k := range w.timers {
		w.timers[k].ID = TimerID(numberOf(&p.timers, uint32(w.timers[k].ID)))
	}
	for k := range s.timers {
		s.timers[k] = TimerID(numberOf(&p.timers, uint32(s.timers[k])))
	}
	s.load.request = RequestID(numberOf(&p.requests, uint32(s.load.request)))
	if !p.options.Whole && len(s.checks) > 1 {
		slices.SortFunc(s.checks, func(a, b check) int { return cmp.Compare(a.cell, b.cell) })
	}
	for k := range s.checks {
		s.checks[k].request = RequestID(numberOf(&p.requests, uint32(s.checks[k].request)))
		s.checks[k].timer = TimerID(numberOf(&p.timers, uint32(s.checks[k].timer)))
	}
	w.load = RequestID(numberOf(&p.requests, uint32(w.load)))
	for k := range w.checks {
		w.checks[k].request = RequestID(numberOf(&p.requests, uint32(w.checks[k].request)))
	}
	if len(w.checks) > 1 {
		slices.SortFunc(w.checks, func(a, b checkOut) int { return cmp.Compare(a.request, b.request) })
	}
	s.nextTimer, s.nextRequest = TimerID(len(p.timers)), RequestID(len(p.requests))

	over := s.attempt.number - min(s.attempt.number, 1)
	s.attempt.number -= over
	w.attempt -= over
	if s.attempt.number > 0 {
		key := p.key(s.attempt.number)
		if w.key == s.attempt.key {
			w.key = key
		}
		s.attempt.key = key
		w.keys = append(w.keys[:0], w.key)
	}
}

// key is the key of an attempt in the normal form, whose number is 1 or 2.
func (p *Packer) key(number int32) Key {
	if p.keys[number] == (Key{}) {
		p.keys[number] = Seed{}.key(number)
	}
	return p.keys[number]
}

// numberOf is the place of an old number in a list, counted from 1; one that is
// not there is added. 0 stays 0.
func numberOf(list *[]uint32, old uint32) uint32 {
	if old == 0 {
		return 0
	}
	k := slices.Index(*list, old)
	if k < 0 {
		k = len(*list)
		*list = append(*list, old)
	}
	return uint32(k) + 1
}
