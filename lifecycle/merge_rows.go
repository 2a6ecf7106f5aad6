package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
)

// mergeRows brings a group's baseline rows in step with those of a body, matching
// by position. It reports whether the group is contested as a whole.
func (s *Session) mergeRows(group form.FieldID, answers []form.Answer, m merging) (contested bool) {
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
		contested = in.differ && (m.ask || s.isAsSaved(head)) && !(in.asSent && s.isSentUnsure())
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
func (s *Session) incomingRows(group form.FieldID, count int, answers []form.Answer, m merging) incoming {
	g := s.rowsOf(group)
	in := incoming{matched: slices.Clone(g.base), changed: make([]bool, len(g.base)), differ: count != len(g.base)}
	met := make([]int, len(g.base))
	for _, a := range answers {
		if s.form.GroupOf(a.Field) != group || a.Row < 0 || int(a.Row) >= len(g.base) {
			continue
		}
		i := s.rows[g.base[a.Row]].first + s.form.Offset(a.Field)
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
func (s *Session) upTo(group form.FieldID, matched []int32, count int) []int32 {
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
// baseline. Rows that the applicant added or typed in stand behind them. Where an
// earlier page sent the rows as they were saved, they are those rows.
func (s *Session) firstRows(group form.FieldID, count int, m merging) {
	g := s.rowsOf(group)
	var sent []int32
	if !slices.ContainsFunc(g.sent, func(r int32) bool { return s.rowIn(r, inNow|inBase) }) {
		sent = g.sent
	}
	base := s.upTo(group, sent, count)
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
func (s *Session) setBaseRows(group form.FieldID, base []int32) {
	before := slices.Clone(s.rowsOf(group).base)
	s.setRowList(group, inBase, base)
	for _, r := range before {
		if !s.rowIn(r, inBase) {
			for i := range s.cellsOf(r) {
				s.setBaseline(i, form.Value{})
				s.unmark(i, bitMentioned)
			}
		}
	}
	s.noteChanged(int32(group))
}

// hasOwnRows reports whether the rows of a group stay as they are: the applicant has
// added, removed or moved some, or wants what is on the screen, which differs from what
// was sent. Being asked, or not, is no change of them.
func (s *Session) hasOwnRows(group form.FieldID, m merging) bool {
	head := int32(group)
	return !s.isAsSaved(head) || m.spareDirty && (s.has(head, bitStays) || head == s.editedNow) || m.spareEdited && s.has(head, bitRowsEdited)
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
func rowCount(group form.FieldID, answers []form.Answer) (int, bool) {
	for _, a := range answers {
		if a.Field == group && a.Row < 0 {
			return int(a.Value.Integer()), true
		}
	}
	return 0, false
}

// bringsSentRows reports whether a body brings the rows of a group as the
// newest attempt sent them. Those of an accepted attempt have been the baseline.
func (s *Session) bringsSentRows(group form.FieldID, count int, answers []form.Answer) bool {
	g := &s.groups[s.form.GroupIndex(group)]
	if count == 0 || s.attempt.outcome == OutcomeAccepted || len(g.sent) != count || slices.Equal(g.sent, g.base) {
		return false
	}
	same := 0
	for _, a := range answers {
		if s.form.GroupOf(a.Field) != group || a.Row < 0 || int(a.Row) >= count {
			continue
		}
		c := &s.cells[s.rows[g.sent[a.Row]].first+s.form.Offset(a.Field)]
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
