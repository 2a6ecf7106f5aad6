package lifecycle

import "slices"

// merging is how incoming values meet what the applicant has typed. One
// operation serves a load, an outdated form's load, adoption and acceptance.
type merging struct {
	keepDirty  bool // a dirty field keeps its value, not only one edited since
	ask        bool // a newer value that meets an edit contests the field
	wholeForm  bool // what an earlier answer mentioned and this one does not is absent
	sentUnsure bool // a try of the newest attempt ended unknown, and it was not accepted
	keepEdited bool // edits since the newest attempt stay even if they are clean
}

// absorb merges one incoming value into a cell.
func (s *Session) absorb(i int32, incoming Value, m merging) {
	c := &s.cells[i]
	keeps := m.keepDirty && c.value != c.baseline || m.keepEdited && c.bits&bitEdited != 0
	old := c.baseline
	s.setBaseline(i, incoming)
	if !keeps {
		s.take(i, incoming)
	}
	s.revise(i)
	switch {
	case s.cells[i].value == incoming:
		s.unmark(i, bitContested)
	case keeps && m.ask && incoming != old && !s.wasSent(i, incoming, m):
		s.mark(i, bitContested)
	}
}

// setBaseline makes a value the one that was last known to be saved.
func (s *Session) setBaseline(i int32, v Value) {
	if c := &s.cells[i]; c.baseline != v {
		c.baseline = v
		s.noteChanged(i)
	}
}

// wasSent reports whether an incoming value is what an attempt of unknown
// outcome had sent: the applicant's own, and no news.
func (s *Session) wasSent(i int32, incoming Value, m merging) bool {
	return m.sentUnsure && s.has(i, bitSent) && s.cells[i].sent == incoming
}

// mergeAnswers merges a body into the form.
func (s *Session) mergeAnswers(answers []Answer, m merging) {
	for _, group := range s.form.groups {
		s.mergeRows(group, answers, m)
	}
	for len(s.scratch) < len(s.cells) {
		s.scratch = append(s.scratch, Value{})
	}
	for _, a := range answers {
		if i, ok := s.incomingCell(a.Place); ok {
			s.scratch[i] = a.Value
			s.cells[i].bits |= bitIncoming
		}
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		if s.form.Fields[c.field].Kind == KindRows {
			continue
		}
		incoming := Value{}
		switch {
		case c.bits&bitIncoming != 0:
			incoming = s.scratch[i]
			c.bits = c.bits&^bitIncoming | bitMentioned
		case !m.wholeForm || c.bits&bitMentioned == 0 || !s.inBaseline(i):
			continue
		}
		s.absorb(i, incoming, m)
	}
	for _, group := range s.form.groups {
		s.freeRows(group)
		s.revise(int32(group))
	}
}

// incomingCell finds where a value of a body goes: rows by their position in
// the baseline, which mergeRows has brought in step with the body.
func (s *Session) incomingCell(p Place) (int32, bool) {
	if p.Field < 0 || int(p.Field) >= len(s.form.Fields) || s.form.Fields[p.Field].Kind == KindRows {
		return 0, false
	}
	group := s.form.group[p.Field]
	if group < 0 {
		return int32(p.Field), true
	}
	base := s.groups[s.form.groupIndex[group]].base
	if p.Row < 0 || int(p.Row) >= len(base) {
		return 0, false
	}
	return s.rows[base[p.Row]].first + s.form.offset[p.Field], true
}

func (s *Session) inBaseline(i int32) bool {
	r := s.cells[i].row
	return r < 0 || s.rowIn(r, inBase)
}

// mergeRows brings a group's baseline rows in step with the number of rows in a
// body, matching by position.
func (s *Session) mergeRows(group FieldID, answers []Answer, m merging) {
	head := int32(group)
	count, mentioned := rowCount(group, answers)
	if mentioned {
		s.mark(head, bitMentioned)
	} else if !m.wholeForm || !s.has(head, bitMentioned) {
		return
	}
	g := &s.groups[s.form.groupIndex[group]]
	matched := g.base
	if s.bringsSentRows(group, count, answers) {
		matched = g.sent
	}
	follows := slices.Equal(g.now, g.base) && !(m.keepEdited && s.has(head, bitEdited))
	grows := count != len(matched)
	if grows && !s.rowsClean(group, m) {
		follows = false
	}
	base := make([]int32, 0, count)
	base = append(base, matched[:min(count, len(matched))]...)
	for len(base) < count {
		r := s.newRow(group)
		for i := range s.cellsOf(r) {
			s.cells[i].value = Value{}
		}
		base = append(base, r)
	}
	changed, before := !slices.Equal(g.base, base), slices.Clone(g.base)
	s.setRowList(group, inBase, base)
	for _, r := range before {
		if !s.rowIn(r, inBase) {
			for i := range s.cellsOf(r) {
				s.setBaseline(i, Value{})
				s.unmark(i, bitMentioned)
			}
		}
	}
	if follows {
		s.setRows(group, base)
	}
	s.revise(head) // and with it all in the rows
	switch {
	case !s.has(head, bitDirty):
		s.unmark(head, bitContested)
	case changed && grows && m.ask:
		s.mark(head, bitContested)
	}
}

// rowCount is how many rows of a group a body brings, and whether it speaks of
// the group at all.
func rowCount(group FieldID, answers []Answer) (int, bool) {
	for _, a := range answers {
		if a.Field == group && a.Row < 0 {
			return int(a.Value.Integer()), true
		}
	}
	return 0, false
}

// rowsClean reports whether a body may replace a group's rows: nothing in it is
// the applicant's own.
func (s *Session) rowsClean(group FieldID, m merging) bool {
	mine := func(i int32) bool {
		c := &s.cells[i]
		return c.bits&bitDirty != 0 || c.value != c.baseline || m.keepEdited && c.bits&bitEdited != 0
	}
	if mine(int32(group)) {
		return false
	}
	for _, r := range s.groups[s.form.groupIndex[group]].now {
		for i := range s.cellsOf(r) {
			if mine(i) {
				return false
			}
		}
	}
	return true
}

// bringsSentRows reports whether a body brings the rows of a group as the
// newest attempt sent them.
func (s *Session) bringsSentRows(group FieldID, count int, answers []Answer) bool {
	g := &s.groups[s.form.groupIndex[group]]
	if count == 0 || len(g.sent) != count || slices.Equal(g.sent, g.base) {
		return false
	}
	same := 0
	for _, a := range answers {
		if s.form.group[a.Field] != group || a.Row < 0 || int(a.Row) >= count {
			continue
		}
		c := &s.cells[s.rows[g.sent[a.Row]].first+s.form.offset[a.Field]]
		if c.sent != a.Value {
			return false
		}
		if !a.Value.Absent() {
			same++
		}
	}
	sent := 0
	for _, r := range g.sent {
		for i := range s.cellsOf(r) {
			if !s.cells[i].sent.Absent() {
				sent++
			}
		}
	}
	return same == sent
}

// acceptSent makes the values as sent the baseline. A field edited since keeps
// its value; one that was not asked when the values were copied keeps what it
// holds over an absent baseline.
func (s *Session) acceptSent() {
	for _, group := range s.form.groups {
		g := &s.groups[s.form.groupIndex[group]]
		s.setRowList(group, inBase, g.sent)
		if s.has(int32(group), bitEdited) || !s.has(int32(group), bitSent) {
			continue
		}
		now := append([]int32(nil), g.sent...)
		for _, r := range g.now {
			if !s.rowIn(r, inSent) && s.rowEdited(r) {
				now = append(now, r)
			}
		}
		s.setRows(group, now)
	}
	for i := range s.allCells() {
		switch {
		case s.has(i, bitSent) && s.inBaseline(i):
			s.absorb(i, s.cells[i].sent, merging{keepEdited: true})
		default:
			s.setBaseline(i, Value{})
			s.revise(i)
			s.unmark(i, bitContested)
		}
	}
	for _, group := range s.form.groups {
		s.freeRows(group)
		s.revise(int32(group))
		s.unmark(int32(group), bitContested)
	}
}

func (s *Session) rowEdited(r int32) bool {
	for i := range s.cellsOf(r) {
		if s.has(i, bitEdited) {
			return true
		}
	}
	return false
}

// toBaseline returns every value to its baseline and takes every mark away.
func (s *Session) toBaseline() {
	for _, group := range s.form.groups {
		s.setRows(group, s.groups[s.form.groupIndex[group]].base)
		s.freeRows(group)
	}
	for i := range s.allCells() {
		s.take(i, s.cells[i].baseline)
		if c := &s.cells[i]; c.bits&bitRaw != 0 {
			c.raw = ""
		}
		s.unmark(i, bitEdited|bitTouched|bitTyped|bitContested|bitRaw)
		s.dropIssuesOf(i)
		s.dropCheck(i)
	}
	s.reviseAll()
}

// reviseAll recomputes every cell, those that others look at first.
func (s *Session) reviseAll() {
	for i := range s.allCells() {
		s.reviseDependent(i)
	}
}

// toDefaults makes the declared defaults both value and baseline.
func (s *Session) toDefaults() {
	for _, group := range s.form.groups {
		count, _ := rowCount(group, s.form.Defaults)
		base := make([]int32, 0, count)
		for range count {
			base = append(base, s.newRow(group))
		}
		s.setRowList(group, inBase, base)
	}
	for i := range s.allCells() {
		s.setBaseline(i, Value{})
	}
	for _, a := range s.form.Defaults {
		if i, ok := s.incomingCell(a.Place); ok {
			s.setBaseline(i, a.Value)
		}
	}
	s.toBaseline()
}
