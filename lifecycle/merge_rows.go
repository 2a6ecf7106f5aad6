package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// mergeRows brings a group's baseline rows in step with those of a body, matching
// by position. It reports whether the group is contested as a whole.
func (s *Session) mergeRows(group form.FieldID, answers []form.Answer, m merging) (contested bool) {
	head, g := int32(group), s.rowsOf(group)
	count, mentioned := state.RowCount(group, answers)
	if mentioned {
		s.mark(head, state.BitMentioned)
	} else if !m.wholeForm || !s.has(head, state.BitMentioned) {
		return false
	}
	in := s.incomingRows(group, count, answers, m)
	own := s.hasOwnRows(group, m)
	switch {
	case !s.has(head, state.BitBased) && !in.asSent:
		s.firstRows(group, count, m)
	case !own && (in.equal || !s.anyRowMine(g.Now, m)):
		s.setBaseRows(group, s.upTo(group, in.matched, count))
		now := slices.Clone(g.Base)
		for _, r := range g.Now {
			if s.isBlank(r, sideNow) && !s.rowIn(r, state.InBase) { // somebody may be about to type there
				now = append(now, r)
			}
		}
		s.setRows(group, now)
	default:
		contested = in.differ && (m.ask || s.isAsSaved(head)) && !(in.asSent && s.isSentUnsure())
		if count != len(in.matched) { // by position alone an answer would come to stand in another's row
			s.leaveChangedRows(&in)
		}
		s.setBaseRows(group, s.upTo(group, in.matched, count))
	}
	s.mark(head, state.BitBased)
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
	in := incoming{matched: slices.Clone(g.Base), changed: make([]bool, len(g.Base)), differ: count != len(g.Base)}
	met := make([]int, len(g.Base))
	for _, a := range answers {
		if s.form.GroupOf(a.Field) != group || a.Row < 0 || int(a.Row) >= len(g.Base) {
			continue
		}
		i := s.rows[g.Base[a.Row]].First + s.form.Offset(a.Field)
		switch old := s.cells[i].Baseline; {
		case s.has(i, state.BitUnknown), s.isBeyond(a.Field):
		case old != a.Value:
			in.changed[a.Row] = true
		case !old.Absent():
			met[a.Row]++
		}
	}
	for k, r := range g.Base {
		for i := range s.cellsOf(r) {
			if m.wholeForm && !s.cells[i].Baseline.Absent() && !s.isBeyond(s.cells[i].Field) {
				met[k]--
			}
		}
		in.changed[k] = in.changed[k] || m.wholeForm && met[k] != 0 || k >= count
		in.differ = in.differ || in.changed[k]
	}
	if s.bringsSentRows(group, count, answers) {
		in.matched, in.asSent = slices.Clone(g.Sent), true
	}
	in.equal = count == len(in.matched) && (!in.asSent || !slices.ContainsFunc(g.Now, func(r int32) bool { return !s.rowIn(r, state.InSent) }))
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
	if !slices.ContainsFunc(g.Sent, func(r int32) bool { return s.rowIn(r, state.InNow|state.InBase) }) {
		sent = g.Sent
	}
	base := s.upTo(group, sent, count)
	now := slices.Clone(base)
	for _, r := range g.Now {
		if !s.rowIn(r, state.InBase) || s.anyRowMine([]int32{r}, m) {
			now = append(now, r)
		}
	}
	s.setBaseRows(group, base)
	s.setRows(group, now)
}

// setBaseRows makes a list the rows of the baseline. What leaves it has none any
// more.
func (s *Session) setBaseRows(group form.FieldID, base []int32) {
	before := slices.Clone(s.rowsOf(group).Base)
	s.setRowList(group, state.InBase, base)
	for _, r := range before {
		if !s.rowIn(r, state.InBase) {
			for i := range s.cellsOf(r) {
				s.setBaseline(i, form.Value{})
				s.unmark(i, state.BitMentioned)
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
	return !s.isAsSaved(head) || m.spareDirty && (s.has(head, state.BitStays) || head == s.editedNow) || m.spareEdited && s.has(head, state.BitRowsEdited)
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
// bringsSentRows reports whether a body brings the rows of a group as the
// newest attempt sent them. Those of an accepted attempt have been the baseline.
func (s *Session) bringsSentRows(group form.FieldID, count int, answers []form.Answer) bool {
	g := s.rowsOf(group)
	return s.attempt.outcome != OutcomeAccepted && state.BringsSent(s.form, group, count, answers, s.cells, s.rows, g.Sent, g.Base)
}
