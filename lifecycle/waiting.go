package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// awaits reports whether restored answers of a field's group wait for their rows.
func (s *Session) awaits(id form.FieldID) bool {
	if len(s.waiting) == 0 {
		return false
	}
	if group := s.form.GroupOf(id); group >= 0 {
		id = group
	}
	return slices.ContainsFunc(s.waiting, func(v state.Waiting) bool { return s.form.GroupOf(v.Place.Field) == id })
}

// editWaiting replaces an answer that waits for its row; it reports whether there is
// one at the path.
func (s *Session) editWaiting(e *Event) bool {
	k := slices.IndexFunc(s.waiting, func(v state.Waiting) bool { return v.Path == e.Path })
	if k < 0 {
		return false
	}
	v := &s.waiting[k]
	v.Raw, v.Redacted, v.Clean, v.Since = readable(e.Raw), form.Value{}, false, s.attempt.number > 0
	if e.Redacted.Kind == form.ValueRedacted {
		v.Redacted = e.Redacted
	}
	if i, there := s.cellAt(v.Place); there { // the answer of a default row gives way
		s.dropIssuesOf(i)
		s.dropCheck(i)
	}
	return true
}

// dropWaiting forgets the answers that wait for their rows.
func (s *Session) dropWaiting() {
	s.waiting = s.waiting[:0]
	s.load.needs &^= needRows
}

// meetRestored ends the restoring, because a load or an acceptance has met it.
func (s *Session) meetRestored() {
	for i := range s.allCells() {
		s.unmark(i, state.BitRestored|state.BitStays)
	}
}

// placeWaiting gives the answers that waited to the rows that have come. Each meets
// what came as an edit does. The answers of a row that is gone share one at the end.
func (s *Session) placeWaiting(ask bool) {
	waiting := slices.Clone(s.waiting)
	s.dropWaiting()
	if len(waiting) == 0 {
		return
	}
	made := map[form.Place]int32{} // by group and place
	var placed []int32
	for k := range waiting {
		v := &waiting[k]
		group := s.form.GroupOf(v.Place.Field)
		g := s.rowsOf(group)
		r, isMade := made[form.Place{Field: group, Row: v.Place.Row}]
		switch {
		case v.Clean: // it follows what has come
			continue
		case isMade:
		case int(v.Place.Row) < len(g.Base) && s.rowIn(g.Base[v.Place.Row], state.InNow):
			r = g.Base[v.Place.Row]
		case v.Redacted.Kind != form.ValueRedacted && s.form.Parse(v.Place.Field, v.Raw).Absent():
			continue // nothing is lost with it
		default:
			r = s.rowForWaiting(group, ask)
			made[form.Place{Field: group, Row: v.Place.Row}] = r
		}
		i := s.rows[r].First + s.form.Offset(v.Place.Field)
		s.placeAnswer(i, v, ask)
		placed = append(placed, i)
	}
	s.reviseAll()
	s.contestMet(nil)
	for _, i := range placed {
		s.startCheck(i)
	}
}

// rowForWaiting adds a row for the answers of one that is gone.
func (s *Session) rowForWaiting(group form.FieldID, ask bool) int32 {
	head, g := int32(group), s.rowsOf(group)
	r := s.blankRow(group)
	g.Now = append(g.Now, r)
	state.Index(s.rows, g.Now, state.InNow)
	s.enliven(r)
	s.mark(head, state.BitTouched|state.BitTyped)
	s.noteChanged(head)
	if ask {
		s.mark(head, state.BitContested)
	}
	return r
}

func (s *Session) placeAnswer(i int32, v *state.Waiting, ask bool) {
	incoming := s.cells[i].Baseline
	placed := DraftAnswer(v.DraftAnswer)
	placed.Baseline = incoming
	s.takeKept(i, &placed)
	s.unmark(i, state.BitRestored|state.BitStays)
	if c := &s.cells[i]; s.unsettled() && s.has(i, state.BitSent) && c.Value != c.Sent {
		s.mark(i, state.BitEdited)
	}
	if ask && s.inBaseline(i) && incoming != v.Baseline && !s.wasSent(i, incoming) {
		s.cells[i].Bits |= state.BitMeets
	}
}

// Waiting lists what an earlier page kept and what waits for the load that brings
// its rows: crew/2/name, and what was typed there.
func (s *Session) Waiting() []DraftAnswer {
	list := make([]DraftAnswer, len(s.waiting))
	for k := range s.waiting {
		list[k] = DraftAnswer(s.waiting[k].DraftAnswer)
	}
	return list
}
