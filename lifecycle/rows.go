package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// rowsOf are the lists of a group.
func (s *Session) rowsOf(group form.FieldID) *state.Group { return &s.groups[s.form.GroupIndex(group)] }

// countedRows are those of a group's rows that count, by one side: of a list those that are not blank.
func (s *Session) countedRows(group form.FieldID, of side) []int32 {
	rows := *s.rowsOf(group).List([...]state.ListSet{sideNow: state.InNow, sideBase: state.InBase, sideSent: state.InSent}[of])
	if !s.form.IsList(group) {
		return rows
	}
	return slices.DeleteFunc(slices.Clone(rows), func(r int32) bool { return s.isBlank(r, of) })
}

// isBlank reports whether a row is an item of a list that holds nothing, by one side: it is not sent, and makes no difference.
func (s *Session) isBlank(r int32, of side) bool {
	item := &s.cells[s.rows[r].First]
	return s.form.IsBlank(item.Field, [...]form.Value{sideNow: item.Value, sideBase: item.Baseline, sideSent: item.Sent}[of])
}

// setRowList replaces one of a group's lists of rows.
func (s *Session) setRowList(group form.FieldID, which state.ListSet, list []int32) {
	s.rowsOf(group).SetList(s.rows, which, list)
}

func (s *Session) rowIn(r int32, which state.ListSet) bool { return s.rows[r].In&which != 0 }

// rowsAt finds the group of a path, and with a row number the row's position.
func (s *Session) rowsAt(path string, wantRow bool) (*state.Group, form.Place, error) {
	p, ok := s.form.Lookup(path)
	what := "rows"
	if wantRow {
		what = "row"
		p, ok = s.form.RowAt(path)
	}
	if !ok || s.form.Fields[p.Field].Kind != form.KindRows || (p.Row >= 0) != wantRow {
		return nil, p, &UnknownError{what, path}
	}
	g := s.rowsOf(p.Field)
	if wantRow && int(p.Row) >= len(g.Now) {
		return nil, p, ErrNoRow
	}
	if s.locked() || s.awaits(p.Field) {
		return nil, p, ErrLocked
	}
	return g, p, nil
}

func (s *Session) addRow(path string) error {
	g, p, err := s.rowsAt(path, false)
	if err != nil {
		return err
	}
	s.beginEdit()
	s.editedNow = int32(p.Field)
	r := s.newRow(p.Field)
	g.Now = append(g.Now, r)
	state.Index(s.rows, g.Now, state.InNow)
	s.enliven(r)
	s.editedRows(p.Field)
	return nil
}

func (s *Session) removeRow(path string) error {
	g, p, err := s.rowsAt(path, true)
	if err != nil {
		return err
	}
	s.beginEdit()
	s.editedNow = int32(p.Field)
	r := g.Now[p.Row]
	g.Now = slices.Delete(g.Now, int(p.Row), int(p.Row)+1)
	s.rows[r].In &^= state.InNow
	state.Index(s.rows, g.Now, state.InNow)
	s.bury(r)
	s.editedRows(p.Field)
	s.freeRows(p.Field)
	return nil
}

func (s *Session) moveRow(path, to string) error {
	g, p, err := s.rowsAt(path, true)
	if err != nil {
		return err
	}
	q, ok := s.form.RowAt(to)
	if !ok || q.Field != p.Field {
		return &UnknownError{"row", to}
	}
	if int(q.Row) >= len(g.Now) {
		return ErrNoRow
	}
	s.beginEdit()
	s.editedNow = int32(p.Field)
	r := g.Now[p.Row]
	g.Now = slices.Delete(g.Now, int(p.Row), int(p.Row)+1)
	g.Now = slices.Insert(g.Now, int(q.Row), r)
	state.Index(s.rows, g.Now, state.InNow)
	s.editedRows(p.Field)
	return nil
}

// editedRows draws the consequences of an edit of a group; changed rows count
// as touched.
func (s *Session) editedRows(group form.FieldID) {
	i := int32(group)
	s.noteChanged(i)
	s.mark(i, state.BitTouched)
	if s.attempt.number > 0 {
		s.mark(i, state.BitRowsEdited)
	}
	s.edited(i)
}

// newRow makes a row whose fields hold their declared defaults and have no
// baseline. It is in none of the group's lists yet.
func (s *Session) newRow(group form.FieldID) int32 {
	members := s.form.RowFields(group)
	g, r := s.rowsOf(group), int32(len(s.rows))
	if last := len(g.Free) - 1; last >= 0 {
		r, g.Free = g.Free[last], g.Free[:last]
	} else {
		s.rows = append(s.rows, state.Row{Group: group, First: int32(len(s.cells))})
		for range members {
			s.cells = append(s.cells, state.Cell{})
		}
	}
	s.rows[r].Used = true
	for k, id := range members {
		s.cells[s.rows[r].First+int32(k)] = state.Cell{Field: id, Row: r, Bits: state.BitAsked | state.BitBaseAsked}
	}
	for _, a := range s.form.Defaults {
		if a.Row < 0 && s.form.GroupOf(a.Field) == group { // a default of any row
			s.cells[s.rows[r].First+s.form.Offset(a.Field)].Value = a.Value
		}
	}
	return r
}

// blankRow makes a row that holds nothing, for answers that come from elsewhere.
func (s *Session) blankRow(group form.FieldID) int32 {
	r := s.newRow(group)
	for i := range s.cellsOf(r) {
		s.cells[i].Value = form.Value{}
	}
	return r
}

// enliven makes a row's cells count; bury takes them out of every count.
func (s *Session) enliven(r int32) {
	for i := range s.cellsOf(r) {
		s.mark(i, state.BitLive)
	}
}

func (s *Session) bury(r int32) {
	for i := range s.cellsOf(r) {
		s.dropIssuesOf(i)
		s.dropCheck(i)
		s.unmark(i, state.BitLive)
	}
}

// cellsOf goes through the cells of a row.
func (s *Session) cellsOf(r int32) func(yield func(int32) bool) {
	first := s.rows[r].First
	return func(yield func(int32) bool) {
		for k := range s.form.RowFields(s.rows[r].Group) {
			if !yield(first + int32(k)) {
				return
			}
		}
	}
}

// eachRow goes through the rows of a group that are there now, and those of its
// baseline.
func (s *Session) eachRow(g int32, do func(r int32)) {
	group := &s.groups[g]
	for _, r := range group.Now {
		do(r)
	}
	for _, r := range group.Base {
		if !s.rowIn(r, state.InNow) {
			do(r)
		}
	}
}

// setRows replaces the rows that are there now. A row that comes back is as it was saved, for what
// stood in it went when it was removed; what of it is asked is to be revised then.
func (s *Session) setRows(group form.FieldID, now []int32) {
	g := s.rowsOf(group)
	if slices.Equal(g.Now, now) {
		return
	}
	before := slices.Clone(g.Now)
	s.setRowList(group, state.InNow, now)
	for _, r := range before {
		if !s.rowIn(r, state.InNow) {
			s.bury(r)
		}
	}
	for _, r := range g.Now {
		for i := range s.cellsOf(r) {
			if !s.has(i, state.BitLive) {
				s.take(i, s.cells[i].Baseline)
				s.change(i, state.BitAsked, state.BitEdited|state.BitTouched|state.BitTyped|state.BitContested, s.cells[i].Rules)
			}
		}
		s.enliven(r)
	}
	s.noteChanged(int32(group))
}

// freeRows gives back the rows that are in no list any more.
func (s *Session) freeRows(group form.FieldID) {
	g := s.rowsOf(group)
	for id := range s.rows {
		if r := &s.rows[id]; r.Group == group && r.Used && r.In == 0 {
			r.Used = false
			g.Free = append(g.Free, int32(id))
		}
	}
}

// rowsDirty compares the order and identity of a group's rows with those of
// its baseline. A group that is not asked is absent on that side.
func (s *Session) rowsDirty(i int32) bool {
	group := s.cells[i].Field
	now, base := s.countedRows(group, sideNow), s.countedRows(group, sideBase)
	if !s.has(i, state.BitAsked) {
		now = nil
	}
	if !s.has(i, state.BitBaseAsked) {
		base = nil
	}
	return !slices.Equal(now, base)
}

// inOrder goes through the cells of the form in its order: each field, and
// behind the head of a group the fields of its rows as they are now.
func (s *Session) inOrder() func(yield func(int32) bool) {
	return func(yield func(int32) bool) {
		for id := range s.form.Fields {
			if s.form.GroupOf(form.FieldID(id)) >= 0 {
				continue
			}
			if !yield(int32(id)) {
				return
			}
			if s.form.Fields[id].Kind != form.KindRows {
				continue
			}
			for _, r := range s.rowsOf(form.FieldID(id)).Now {
				for i := range s.cellsOf(r) {
					if !yield(i) {
						return
					}
				}
			}
		}
	}
}

// allCells goes through every cell that has a meaning: those in order, and
// those of rows that are only in a baseline or in what was sent.
func (s *Session) allCells() func(yield func(int32) bool) {
	return func(yield func(int32) bool) {
		for i := range s.cells {
			c := &s.cells[i]
			if c.Row >= 0 && s.rows[c.Row].Used || c.Row < 0 && s.form.GroupOf(c.Field) < 0 {
				if !yield(int32(i)) {
					return
				}
			}
		}
	}
}

// rowOrder lists the rows of a group, each once: those that are there now, then
// those only in the baseline, then those only as sent.
func (s *Session) rowOrder(g int) []int32 {
	group := &s.groups[g]
	order := append(make([]int32, 0, len(group.Now)+len(group.Base)), group.Now...)
	for _, r := range group.Base {
		if !s.rowIn(r, state.InNow) {
			order = append(order, r)
		}
	}
	for _, r := range group.Sent {
		if !s.rowIn(r, state.InNow|state.InBase) {
			order = append(order, r)
		}
	}
	return order
}
