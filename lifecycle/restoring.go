package lifecycle

import "slices"

// restored brings back what an earlier page kept: its values as edits, its
// open attempt as unsettled.
func (s *Session) restored(r *Restored) error {
	if r == nil {
		return errNothingKept
	}
	if s.applied > 0 {
		return errNotFirst
	}
	places := make([]Place, len(r.Values))
	for k, v := range r.Values {
		p, ok := s.form.Lookup(v.Path)
		if !ok || s.form.Fields[p.Field].Kind == KindRows {
			return &UnknownError{"field", v.Path}
		}
		places[k] = p
	}
	button := 0
	if r.Attempt != nil {
		var ok bool
		if button, ok = s.form.button(r.Attempt.Button); !ok {
			return &UnknownError{"button", r.Attempt.Button}
		}
	}
	for k, v := range r.Values {
		s.restoreValue(places[k], v)
	}
	s.reviseAll()
	if r.Attempt != nil {
		s.restoreAttempt(r.Attempt, int32(button))
		for _, p := range places { // what had not loaded yet is blank, and no edit
			if i, _ := s.cellAt(p); s.cells[i].value != s.cells[i].sent {
				s.mark(i, bitEdited)
			}
		}
	}
	for k := range r.Values {
		if i, ok := s.cellAt(places[k]); ok {
			s.startCheck(i)
		}
	}
	return nil
}

// restoreValue takes a value over the baseline that it was typed over. Missing
// rows are added.
func (s *Session) restoreValue(p Place, v Kept) {
	if p.Row >= 0 {
		s.growRows(s.form.group[p.Field], int(p.Row)+1)
	}
	i, _ := s.cellAt(p)
	s.setTyped(i, v.Raw)
	if v.Veiled.Kind == ValueVeiled {
		s.cells[i].value = v.Veiled
	}
	s.setBaseline(i, v.Baseline)
	s.mark(i, bitTouched|bitTyped)
	s.revise(i)
}

func (s *Session) growRows(group FieldID, count int) {
	g := s.form.groupIndex[group]
	for len(s.groups[g].now) < count {
		r := s.newRow(group)
		s.groups[g].now = append(s.groups[g].now, r)
		s.indexRows(s.groups[g].now, inNow)
		s.enliven(r)
		s.mark(int32(group), bitTouched)
	}
	s.revise(int32(group))
}

// restoreAttempt takes an attempt that was open on an earlier page.
func (s *Session) restoreAttempt(kept *KeptAttempt, button int32) {
	for _, a := range kept.Values {
		if a.Field >= 0 && int(a.Field) < len(s.form.Fields) && s.form.Fields[a.Field].Kind == KindRows && a.Row < 0 {
			s.growRows(a.Field, int(a.Value.Integer()))
		}
	}
	s.copyValues()
	for i := range s.allCells() {
		s.cells[i].sent = Value{}
		s.unmark(i, bitSentChanged)
	}
	for g, group := range s.form.groups {
		count, _ := rowCount(group, kept.Values)
		s.setRowList(group, inSent, slices.Clone(s.groups[g].sent[:min(count, len(s.groups[g].sent))]))
	}
	for _, a := range kept.Values {
		i, ok := s.cellAt(a.Place)
		if !ok {
			continue
		}
		if s.form.Fields[a.Field].Kind != KindRows {
			s.cells[i].sent = a.Value
			s.mark(i, bitSent)
		}
		if a.Changed {
			s.mark(i, bitSentChanged)
		}
	}
	s.attempt = attempt{
		number: 1, key: kept.Key, button: button, version: kept.Version,
		unsure: true, adopted: true,
	}
	s.tries = append(s.tries[:0], tryCancelled)
	if s.form.Prefill.URL != "" && !s.load.arrived {
		s.load.needs |= needRestored
	}
	s.unsettle(Message{ID: MessageUnsettledRestored})
}
