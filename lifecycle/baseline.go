package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// acceptSent makes the values as sent the baseline. A field edited since keeps
// its value. One that was not asked when the values were copied keeps what was typed
// in it over an absent baseline; where nobody typed in it, it follows the loads.
func (s *Session) acceptSent() {
	for _, group := range s.form.Groups() {
		s.acceptSentRows(group)
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		switch {
		case s.form.Fields[c.Field].Kind == form.KindRows, !s.wasInBody(i):
		case s.isBeyond(c.Field) && c.Sent.Absent(): // whoever took it in may have given it something, and a load may have told
		case c.Bits&state.BitSent != 0 && s.inBaseline(i):
			s.absorb(i, c.Sent, merging{spareEdited: true})
		case s.inBaseline(i) && !s.isMine(i, merging{spareDirty: true, spareEdited: true}):
		default:
			s.setBaseline(i, form.Value{})
			s.unmark(i, state.BitContested)
		}
	}
	s.reviseAll()
	s.contestMet(nil)
	for _, group := range s.form.Groups() {
		s.freeRows(group)
		s.unmark(int32(group), state.BitContested)
	}
}

// wasInBody reports whether what was sent said anything of a cell: a merge patch
// says only what had changed (RFC 7396), the rest stays as it was saved.
func (s *Session) wasInBody(i int32) bool {
	if s.form.Submit.Method != "PATCH" {
		return true
	}
	if group := s.form.GroupOf(s.cells[i].Field); group >= 0 {
		i = int32(group)
	}
	return s.has(i, state.BitSentChanged)
}

func (s *Session) acceptSentRows(group form.FieldID) {
	head, g := int32(group), s.rowsOf(group)
	if !s.wasInBody(head) {
		return
	}
	sent, typed := s.has(head, state.BitSent), merging{spareDirty: true, spareEdited: true}
	if !sent && !s.hasOwnRows(group, typed) && !s.anyRowMine(g.Now, typed) {
		return
	}
	s.setBaseRows(group, g.Sent)
	if sent {
		s.mark(head, state.BitBased)
	}
	if !sent || s.has(head, state.BitRowsEdited) {
		return
	}
	now := slices.Clone(g.Sent)
	for _, r := range g.Now {
		if !s.rowIn(r, state.InSent) && s.anyRowMine([]int32{r}, merging{spareEdited: true}) {
			now = append(now, r)
		}
	}
	s.setRows(group, now)
}

// toBaseline returns every value to its baseline and takes every mark away.
func (s *Session) toBaseline() {
	s.dropIssues(func(*state.Issue) bool { return true })
	for _, group := range s.form.Groups() {
		s.setRows(group, s.rowsOf(group).Base)
		s.freeRows(group)
	}
	for i := range s.allCells() {
		s.take(i, s.cells[i].Baseline)
		if c := &s.cells[i]; c.Bits&state.BitRaw != 0 {
			c.Raw = ""
		}
		s.unmark(i, state.BitEdited|state.BitRowsEdited|state.BitTouched|state.BitTyped|state.BitContested|state.BitRaw|state.BitRestored|state.BitStays)
		s.dropCheck(i)
	}
	s.reviseAll()
}

// toDefaults makes the declared defaults both value and baseline.
func (s *Session) toDefaults() {
	for _, group := range s.form.Groups() {
		count, _ := state.RowCount(group, s.form.Defaults)
		base := make([]int32, 0, count)
		for range count {
			base = append(base, s.newRow(group))
		}
		s.setRowList(group, state.InBase, base)
	}
	for i := range s.allCells() {
		if c := &s.cells[i]; c.Row >= 0 || !s.isBeyond(c.Field) { // a form that is cleared replaces the same record
			s.setBaseline(i, form.Value{})
		}
	}
	for _, a := range s.form.Defaults {
		if i, ok := s.incomingCell(a.Place); ok {
			s.setBaseline(i, a.Value)
		}
	}
	s.toBaseline()
}
