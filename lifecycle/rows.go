package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
)

// rowsOf are the lists of a group.
func (s *Session) rowsOf(group form.FieldID) *rows { return &s.groups[s.form.GroupIndex(group)] }

// setRowList replaces one of a group's lists of rows.
func (s *Session) setRowList(group form.FieldID, which rowLists, list []int32) {
	old := s.rowsOf(group).list(which)
	for _, r := range *old {
		s.rows[r].in &^= which
	}
	*old = append((*old)[:0], list...)
	s.indexRows(*old, which)
}

// indexRows tells rows which list they are in, and where.
func (s *Session) indexRows(list []int32, which rowLists) {
	for position, r := range list {
		s.rows[r].in |= which
		if which == inNow {
			s.rows[r].at = int32(position)
		}
	}
}

// indexGroup tells the rows of a group which lists they are in.
func (s *Session) indexGroup(g int) {
	for _, which := range [...]rowLists{inNow, inBase, inSent} {
		s.indexRows(*s.groups[g].list(which), which)
	}
}

func (s *Session) rowIn(r int32, which rowLists) bool { return s.rows[r].in&which != 0 }

// rowsAt finds the group of a path, and with a row number the row's position.
func (s *Session) rowsAt(path string, wantRow bool) (*rows, form.Place, error) {
	p, ok := s.form.Lookup(path)
	if !ok || s.form.Fields[p.Field].Kind != form.KindRows || (p.Row >= 0) != wantRow {
		what := "rows"
		if wantRow {
			what = "row"
		}
		return nil, p, &UnknownError{what, path}
	}
	g := s.rowsOf(p.Field)
	if wantRow && int(p.Row) >= len(g.now) {
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
	g.now = append(g.now, r)
	s.indexRows(g.now, inNow)
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
	r := g.now[p.Row]
	g.now = slices.Delete(g.now, int(p.Row), int(p.Row)+1)
	s.rows[r].in &^= inNow
	s.indexRows(g.now, inNow)
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
	q, ok := s.form.Lookup(to)
	if !ok || q.Field != p.Field || q.Row < 0 {
		return &UnknownError{"row", to}
	}
	if int(q.Row) >= len(g.now) {
		return ErrNoRow
	}
	s.beginEdit()
	s.editedNow = int32(p.Field)
	r := g.now[p.Row]
	g.now = slices.Delete(g.now, int(p.Row), int(p.Row)+1)
	g.now = slices.Insert(g.now, int(q.Row), r)
	s.indexRows(g.now, inNow)
	s.editedRows(p.Field)
	return nil
}

// editedRows draws the consequences of an edit of a group; changed rows count
// as touched.
func (s *Session) editedRows(group form.FieldID) {
	i := int32(group)
	s.noteChanged(i)
	s.mark(i, bitTouched)
	if s.attempt.number > 0 {
		s.mark(i, bitRowsEdited)
	}
	s.edited(i)
}

// newRow makes a row whose fields hold their declared defaults and have no
// baseline. It is in none of the group's lists yet.
func (s *Session) newRow(group form.FieldID) int32 {
	members := s.form.Members(group)
	g, r := s.rowsOf(group), int32(len(s.rows))
	if last := len(g.free) - 1; last >= 0 {
		r, g.free = g.free[last], g.free[:last]
	} else {
		s.rows = append(s.rows, row{group: group, first: int32(len(s.cells))})
		for range members {
			s.cells = append(s.cells, cell{})
		}
	}
	s.rows[r].used = true
	for k, id := range members {
		s.cells[s.rows[r].first+int32(k)] = cell{field: id, row: r, bits: bitAsked | bitBaseAsked}
	}
	for _, a := range s.form.Defaults {
		if a.Row < 0 && s.form.GroupOf(a.Field) == group { // a default of any row
			s.cells[s.rows[r].first+s.form.Offset(a.Field)].value = a.Value
		}
	}
	return r
}

// blankRow makes a row that holds nothing, for answers that come from elsewhere.
func (s *Session) blankRow(group form.FieldID) int32 {
	r := s.newRow(group)
	for i := range s.cellsOf(r) {
		s.cells[i].value = form.Value{}
	}
	return r
}

// enliven makes a row's cells count; bury takes them out of every count.
func (s *Session) enliven(r int32) {
	for i := range s.cellsOf(r) {
		s.mark(i, bitLive)
	}
}

func (s *Session) bury(r int32) {
	for i := range s.cellsOf(r) {
		s.dropIssuesOf(i)
		s.dropCheck(i)
		s.unmark(i, bitLive)
	}
}

// cellsOf goes through the cells of a row.
func (s *Session) cellsOf(r int32) func(yield func(int32) bool) {
	first := s.rows[r].first
	return func(yield func(int32) bool) {
		for k := range s.form.Members(s.rows[r].group) {
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
	for _, r := range group.now {
		do(r)
	}
	for _, r := range group.base {
		if !s.rowIn(r, inNow) {
			do(r)
		}
	}
}

// setRows replaces the rows that are there now. A row that comes back is as it was saved, for what
// stood in it went when it was removed; what of it is asked is to be revised then.
func (s *Session) setRows(group form.FieldID, now []int32) {
	g := s.rowsOf(group)
	if slices.Equal(g.now, now) {
		return
	}
	before := slices.Clone(g.now)
	s.setRowList(group, inNow, now)
	for _, r := range before {
		if !s.rowIn(r, inNow) {
			s.bury(r)
		}
	}
	for _, r := range g.now {
		for i := range s.cellsOf(r) {
			if !s.has(i, bitLive) {
				s.take(i, s.cells[i].baseline)
				s.change(i, bitAsked, bitEdited|bitTouched|bitTyped|bitContested, s.cells[i].rules)
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
		if r := &s.rows[id]; r.group == group && r.used && r.in == 0 {
			r.used = false
			g.free = append(g.free, int32(id))
		}
	}
}

// rowsDirty compares the order and identity of a group's rows with those of
// its baseline. A group that is not asked is absent on that side.
func (s *Session) rowsDirty(i int32) bool {
	g := s.rowsOf(s.cells[i].field)
	now, base := g.now, g.base
	if !s.has(i, bitAsked) {
		now = nil
	}
	if !s.has(i, bitBaseAsked) {
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
			for _, r := range s.rowsOf(form.FieldID(id)).now {
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
			if c.row >= 0 && s.rows[c.row].used || c.row < 0 && s.form.GroupOf(c.field) < 0 {
				if !yield(int32(i)) {
					return
				}
			}
		}
	}
}
