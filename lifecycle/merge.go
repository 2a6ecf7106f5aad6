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

// absorb merges one incoming value into a cell. What follows from it is for the
// end of the merge, when all values are there.
func (s *Session) absorb(i int32, incoming Value, m merging) {
	keeps, old := s.isMine(i, m), s.cells[i].baseline
	s.setBaseline(i, incoming)
	s.cells[i].bits &^= bitUnknown
	if !keeps {
		s.take(i, incoming)
	} else if m.ask && incoming != old && !s.wasSent(i, incoming, m) {
		s.cells[i].bits |= bitMeets
	}
}

// isMine reports whether a cell has what a merge leaves to the applicant: a value
// that differs from the baseline, one that was edited in this very step, or one that
// was edited since.
func (s *Session) isMine(i int32, m merging) bool {
	c := &s.cells[i]
	return m.keepDirty && (c.value != c.baseline || c.bits&bitStays != 0 || i == s.editedNow) || m.keepEdited && c.bits&bitEdited != 0
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

// mergeAnswers merges a body into the form: plain values first, then rows, then
// the answers in rows; then what is asked is decided, and last what is contested.
func (s *Session) mergeAnswers(answers []Answer, m merging) {
	s.mergeCells(answers, m, false)
	var contested []FieldID
	for _, group := range s.form.groups {
		if s.mergeRows(group, answers, m) {
			contested = append(contested, group)
		}
	}
	s.mergeCells(answers, m, true)
	s.reviseAll()
	s.contestMet(contested)
	for _, group := range s.form.groups {
		s.freeRows(group)
	}
}

// mergeCells merges the plain values of a body, or those in rows.
func (s *Session) mergeCells(answers []Answer, m merging, inRows bool) {
	for len(s.scratch) < len(s.cells) {
		s.scratch = append(s.scratch, Value{})
	}
	for _, a := range answers {
		if i, ok := s.incomingCell(a.Place); ok && (a.Row >= 0) == inRows {
			s.scratch[i] = a.Value
			s.cells[i].bits |= bitIncoming
		}
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		if s.form.Fields[c.field].Kind == KindRows || (c.row >= 0) != inRows {
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
}

// contestMet contests the groups that are contested as a whole, and each other
// field where a newer value has met an edit. A field that is clean is contested no
// more, nor is one in a group that is contested as a whole.
func (s *Session) contestMet(groups []FieldID) {
	for _, group := range groups {
		s.mark(int32(group), bitContested)
	}
	for i := range s.allCells() {
		met := s.has(i, bitMeets)
		s.cells[i].bits &^= bitMeets
		c := &s.cells[i]
		same := c.value == c.baseline
		if s.form.Fields[c.field].Kind == KindRows {
			g := s.rowsOf(c.field)
			same = slices.Equal(g.now, g.base)
		}
		switch {
		case same, c.bits&(bitAsked|bitDirty) == bitAsked, c.row >= 0 && s.has(int32(s.form.group[c.field]), bitContested):
			s.unmark(i, bitContested)
		case met:
			s.mark(i, bitContested)
		}
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

// mergeRows brings a group's baseline rows in step with those of a body, matching
// by position. It reports whether the group is contested as a whole.
func (s *Session) mergeRows(group FieldID, answers []Answer, m merging) (contested bool) {
	head, g := int32(group), s.rowsOf(group)
	count, mentioned := rowCount(group, answers)
	if mentioned {
		s.mark(head, bitMentioned)
	} else if !m.wholeForm || !s.has(head, bitMentioned) {
		return false
	}
	in := s.incomingRows(group, count, answers, m)
	own := s.hasOwnRows(group, m)
	switch {
	case !s.has(head, bitBased) && !in.asSent:
		s.firstRows(group, count, m)
	case !own && (in.equal || !s.anyRowMine(g.now, m)):
		s.setBaseRows(group, s.upTo(group, in.matched, count))
		s.setRows(group, g.base)
	default:
		contested = in.differ && (m.ask || !own) && !(in.asSent && m.sentUnsure)
		if count != len(in.matched) { // by position alone an answer would come to stand in another's row
			s.leaveChangedRows(&in)
		}
		s.setBaseRows(group, s.upTo(group, in.matched, count))
	}
	s.mark(head, bitBased)
	return contested
}

// incoming are the rows of a body, beside those that they are matched with.
type incoming struct {
	matched []int32 // -1: a row that is none of the group's
	asSent  bool    // the body brings the rows as they were sent
	changed []bool  // beside matched: the body's row is not the one of the baseline
	differ  bool    // in number or in a value from the baseline
	equal   bool    // every row of the group as saved is matched
}

// incomingRows compares a body's rows with those of the baseline.
func (s *Session) incomingRows(group FieldID, count int, answers []Answer, m merging) incoming {
	g := s.rowsOf(group)
	in := incoming{matched: slices.Clone(g.base), changed: make([]bool, len(g.base)), differ: count != len(g.base)}
	met := make([]int, len(g.base))
	for _, a := range answers {
		if s.form.group[a.Field] != group || a.Row < 0 || int(a.Row) >= len(g.base) {
			continue
		}
		i := s.rows[g.base[a.Row]].first + s.form.offset[a.Field]
		switch old := s.cells[i].baseline; {
		case s.has(i, bitUnknown):
		case old != a.Value:
			in.changed[a.Row] = true
		case !old.Absent():
			met[a.Row]++
		}
	}
	for k, r := range g.base {
		for i := range s.cellsOf(r) {
			if m.wholeForm && !s.cells[i].baseline.Absent() {
				met[k]--
			}
		}
		in.changed[k] = in.changed[k] || m.wholeForm && met[k] != 0 || k >= count
		in.differ = in.differ || in.changed[k]
	}
	if s.bringsSentRows(group, count, answers) {
		in.matched, in.asSent = slices.Clone(g.sent), true
	}
	in.equal = count == len(in.matched) && (!in.asSent || !slices.ContainsFunc(g.now, func(r int32) bool { return !s.rowIn(r, inSent) }))
	return in
}

// leaveChangedRows takes the rows out of a match that the body has changed: they
// keep what they hold, and the body's rows become new ones beside them.
func (s *Session) leaveChangedRows(in *incoming) {
	for k := range in.matched {
		if in.changed[k] {
			in.matched[k] = -1
		}
	}
}

// upTo is a list of so many rows: those that are matched, and new ones.
func (s *Session) upTo(group FieldID, matched []int32, count int) []int32 {
	list := append(make([]int32, 0, count), matched[:min(count, len(matched))]...)
	for k := range count {
		if k == len(list) {
			list = append(list, -1)
		}
		if list[k] < 0 {
			list[k] = s.blankRow(group)
		}
	}
	return list
}

// firstRows takes the rows of the first body that brings any: the group had no
// baseline. Rows that the applicant added or typed in stand behind them.
func (s *Session) firstRows(group FieldID, count int, m merging) {
	g := s.rowsOf(group)
	base := s.upTo(group, nil, count)
	now := slices.Clone(base)
	for _, r := range g.now {
		if !s.rowIn(r, inBase) || s.anyRowMine([]int32{r}, m) {
			now = append(now, r)
		}
	}
	s.setBaseRows(group, base)
	s.setRows(group, now)
}

// setBaseRows makes a list the rows of the baseline. What leaves it has none any
// more.
func (s *Session) setBaseRows(group FieldID, base []int32) {
	before := slices.Clone(s.rowsOf(group).base)
	s.setRowList(group, inBase, base)
	for _, r := range before {
		if !s.rowIn(r, inBase) {
			for i := range s.cellsOf(r) {
				s.setBaseline(i, Value{})
				s.unmark(i, bitMentioned)
			}
		}
	}
	s.noteChanged(int32(group))
}

// hasOwnRows reports whether the applicant has added, removed or moved rows of a
// group. Being asked, or not, is no change of it.
func (s *Session) hasOwnRows(group FieldID, m merging) bool {
	g, head := s.rowsOf(group), int32(group)
	return !slices.Equal(g.now, g.base) || m.keepEdited && s.has(head, bitRowsEdited) ||
		m.keepDirty && (s.has(head, bitStays) || head == s.editedNow)
}

// anyRowMine reports whether the applicant has typed in one of the rows.
func (s *Session) anyRowMine(list []int32, m merging) bool {
	for _, r := range list {
		for i := range s.cellsOf(r) {
			if s.isMine(i, m) {
				return true
			}
		}
	}
	return false
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
// its value. One that was not asked when the values were copied keeps what was typed
// in it over an absent baseline; where nobody typed in it, it follows the loads.
func (s *Session) acceptSent() {
	for _, group := range s.form.groups {
		s.acceptSentRows(group)
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		switch {
		case s.form.Fields[c.field].Kind == KindRows, !s.wasInBody(i):
		case c.bits&bitSent != 0 && s.inBaseline(i):
			s.absorb(i, c.sent, merging{keepEdited: true})
		case s.inBaseline(i) && !s.isMine(i, merging{keepDirty: true, keepEdited: true}):
		default:
			s.setBaseline(i, Value{})
			s.unmark(i, bitContested)
		}
	}
	s.reviseAll()
	s.contestMet(nil)
	for _, group := range s.form.groups {
		s.freeRows(group)
		s.unmark(int32(group), bitContested)
	}
}

// wasInBody reports whether what was sent said anything of a cell: a merge patch
// says only what had changed (RFC 7396), the rest stays as it was saved.
func (s *Session) wasInBody(i int32) bool {
	if s.form.Submit.Method != "PATCH" {
		return true
	}
	if group := s.form.group[s.cells[i].field]; group >= 0 {
		i = int32(group)
	}
	return s.has(i, bitSentChanged)
}

func (s *Session) acceptSentRows(group FieldID) {
	head, g := int32(group), s.rowsOf(group)
	if !s.wasInBody(head) {
		return
	}
	sent, typed := s.has(head, bitSent), merging{keepDirty: true, keepEdited: true}
	if !sent && !s.hasOwnRows(group, typed) && !s.anyRowMine(g.now, typed) {
		return
	}
	s.setBaseRows(group, g.sent)
	if !sent || s.has(head, bitRowsEdited) {
		return
	}
	s.mark(head, bitBased)
	now := slices.Clone(g.sent)
	for _, r := range g.now {
		if !s.rowIn(r, inSent) && s.rowEdited(r) {
			now = append(now, r)
		}
	}
	s.setRows(group, now)
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
		s.unmark(i, bitEdited|bitRowsEdited|bitTouched|bitTyped|bitContested|bitRaw|bitRestored|bitStays)
		s.dropIssuesOf(i)
		s.dropCheck(i)
	}
	s.reviseAll()
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
