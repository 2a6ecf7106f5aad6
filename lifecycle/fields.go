package lifecycle

import (
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// place finds the cell of a path: of a field, or of a rows field.
func (s *Session) place(path string) (int32, error) {
	p, ok := s.form.Lookup(path)
	if !ok || s.form.Fields[p.Field].Kind == form.KindRows && p.Row >= 0 {
		return 0, &UnknownError{"field", path}
	}
	i, ok := s.cellAt(p)
	if !ok {
		return 0, ErrNoRow
	}
	return i, nil
}

// isBeyond reports whether a field is what a saved record has beyond the declared ones: nobody sees or edits it, and it
// makes no difference.
func (s *Session) isBeyond(id form.FieldID) bool { return s.form.Fields[id].Kind == form.KindBeyond }

// cellAt finds the cell of a place among the rows as they are now.
func (s *Session) cellAt(p form.Place) (int32, bool) {
	group := s.form.GroupOf(p.Field)
	if group < 0 {
		return int32(p.Field), true
	}
	now := s.groups[s.form.GroupIndex(group)].Now
	if p.Row < 0 || int(p.Row) >= len(now) {
		return 0, false
	}
	return s.rows[now[p.Row]].First + s.form.Offset(p.Field), true
}

// where is the place of a cell now; false for one in a removed row.
func (s *Session) where(i int32) (form.Place, bool) {
	c := &s.cells[i]
	if c.Row < 0 {
		return form.Place{Field: c.Field, Row: -1}, c.Bits&state.BitLive != 0
	}
	if r := &s.rows[c.Row]; r.In&state.InNow != 0 {
		return form.Place{Field: c.Field, Row: r.At}, true
	}
	return form.Place{Field: c.Field, Row: -1}, false
}

func (s *Session) locked() bool {
	if s.activity == ActivitySending || s.activity == ActivityWaiting {
		return !s.form.Submit.Edit
	}
	return s.prefill == PrefillLoading && s.form.Prefill.Lock && !s.load.arrived
}

func (s *Session) edit(e *Event) error {
	if len(s.waiting) > 0 && !s.locked() && s.editWaiting(e) {
		s.beginEdit()
		return nil
	}
	i, err := s.place(e.Path)
	if err != nil {
		return err
	}
	c := &s.cells[i]
	if s.form.Fields[c.Field].Kind == form.KindRows {
		return &UnknownError{"field", e.Path}
	}
	if s.locked() || s.awaits(c.Field) {
		return ErrLocked
	}
	s.beginEdit()
	s.editedNow = i
	s.setTyped(i, e.Raw)
	if e.Redacted.Kind == form.ValueRedacted {
		s.cells[i].Value = e.Redacted
	}
	s.edited(i)
	return nil
}

// beginEdit ends what an edit ends: the success state, the second in which a
// click is a second click, and the issues of the whole form.
func (s *Session) beginEdit() {
	s.byEdit = true
	s.endAccepted()
	s.disarm(TimerSecondClick)
	s.dropFormIssues()
}

// setTyped takes over what was typed.
func (s *Session) setTyped(i int32, raw string) {
	c := &s.cells[i]
	c.Raw = readable(raw)
	c.Value = s.form.Parse(c.Field, c.Raw)
	s.noteChanged(i)
	s.mark(i, state.BitRaw)
}

// readable is a text as every later reader has it: what is not UTF-8 becomes
// U+FFFD.
func readable(raw string) string { return strings.ToValidUTF8(raw, "\uFFFD") }

// edited draws the consequences of an edit that has changed a cell.
func (s *Session) edited(i int32) {
	marks := state.BitTyped
	if s.attempt.number > 0 {
		marks |= state.BitEdited
	}
	if s.form.Fields[s.cells[i].Field].LeftBy(s.cells[i].Value) {
		marks |= state.BitTouched
	}
	s.change(i, marks, state.BitRestored|state.BitStays, s.cells[i].Rules)
	s.dropIssuesOf(i)
	s.dropCheck(i)
	s.revise(i)
	if s.isAsSaved(i) { // also where the saved answers do not ask it
		s.unmark(i, state.BitContested)
	}
	s.startCheck(i)
}

func (s *Session) blur(path string) error {
	i, err := s.place(path)
	if err != nil {
		return err
	}
	s.mark(i, state.BitTouched)
	return nil
}

// take makes a value that nobody typed the cell's value. What was typed stays
// where it says the same ("9.40" for 9.4).
func (s *Session) take(i int32, v form.Value) {
	c := &s.cells[i]
	if c.Value == v {
		return
	}
	c.Value, c.Raw = v, ""
	s.noteChanged(i)
	s.unmark(i, state.BitRaw)
	s.dropIssuesOf(i)
	s.dropCheck(i)
}

// side chooses between a cell's values: now, in the baseline, and as sent.
type side uint8

const (
	sideNow side = iota
	sideBase
	sideSent
)

// effective is a cell's value as the form sees it: absent where it is not
// asked.
func (s *Session) effective(i int32, of side) form.Value {
	c := &s.cells[i]
	if c.Bits&askedBit[of] == 0 {
		return form.Value{}
	}
	switch of {
	case sideNow:
		return c.Value
	case sideBase:
		return c.Baseline
	default:
		return c.Sent
	}
}

// askedBit is the mark of what is asked, by each side.
var askedBit = [...]state.Bits{sideNow: state.BitAsked, sideBase: state.BitBaseAsked, sideSent: state.BitSent}

// revise recomputes what follows from a cell's value and baseline, there and at
// the cells that depend on it.
func (s *Session) revise(i int32) {
	s.recompute(i)
	field := s.cells[i].Field
	for _, dependent := range s.form.Dependents(field) {
		if dependent == s.form.GroupOf(field) {
			s.reviseList(dependent)
		} else {
			s.reviseDependents(i, dependent)
		}
	}
}

// reviseList recomputes a list of which an item has changed, for blank ones do not count, and what looks at the list. Its items do
// not look at how many they are.
func (s *Session) reviseList(list form.FieldID) {
	s.recompute(int32(list))
	for _, dependent := range s.form.Dependents(list) {
		if s.form.GroupOf(dependent) != list {
			s.reviseDependents(int32(list), dependent)
		}
	}
}

// reviseDependents recomputes the cells of a field that looks at the field of another cell.
func (s *Session) reviseDependents(i int32, dependent form.FieldID) {
	group := s.form.GroupOf(dependent)
	switch {
	case group < 0:
		s.reviseDependent(int32(dependent))
	case s.cells[i].Row >= 0: // both in the same row
		s.reviseDependent(s.rows[s.cells[i].Row].First + s.form.Offset(dependent))
	default:
		s.eachRow(s.form.GroupIndex(group), func(r int32) {
			s.reviseDependent(s.rows[r].First + s.form.Offset(dependent))
		})
	}
}

// reviseDependent recomputes whether a cell is asked, and goes on to its own
// dependents only if that has changed. Asking has no cycles, so this ends.
func (s *Session) reviseDependent(i int32) {
	changed, comes := s.decideAsked(i)
	if !changed {
		s.recompute(i)
		return
	}
	s.revise(i)
	if comes && s.byEdit {
		s.startCheck(i)
	}
}

// reviseAll recomputes every cell: first what is asked, each after what decides
// about it, so that nothing is asked or not for a moment alone.
func (s *Session) reviseAll() {
	var came []int32
	for id := range s.form.AskedOrder() {
		s.eachCell(id, func(i int32) {
			if _, comes := s.decideAsked(i); comes && s.byEdit {
				came = append(came, i)
			}
		})
	}
	for i := range s.allCells() {
		s.recompute(i)
	}
	for _, i := range came {
		s.startCheck(i)
	}
}

// eachCell goes through the cells of a field: one, or one in each row.
func (s *Session) eachCell(id form.FieldID, do func(i int32)) {
	group := s.form.GroupOf(id)
	if group < 0 {
		do(int32(id))
		return
	}
	for r := range s.rows {
		if s.rows[r].Used && s.rows[r].Group == group {
			do(s.rows[r].First + s.form.Offset(id))
		}
	}
}

// decideAsked brings up to date whether a cell is asked, by the values and by the
// baselines. It reports whether that has changed, and whether the values ask it now
// and did not before.
func (s *Session) decideAsked(i int32) (changed, comes bool) {
	asked, baseAsked := s.isAsked(i, sideNow), s.isAsked(i, sideBase)
	if asked == s.has(i, state.BitAsked) && baseAsked == s.has(i, state.BitBaseAsked) {
		return false, false
	}
	comes = asked && !s.has(i, state.BitAsked)
	goes := !asked && s.has(i, state.BitAsked)
	var set, clear state.Bits
	for _, b := range [...]struct {
		bit state.Bits
		on  bool
	}{{state.BitAsked, asked}, {state.BitBaseAsked, baseAsked}} {
		if b.on {
			set |= b.bit
		} else {
			clear |= b.bit
		}
	}
	if comes && s.byEdit && s.attempt.number > 0 {
		set |= state.BitEdited
	}
	s.change(i, set, clear, s.cells[i].Rules)
	if goes {
		s.dropIssuesOf(i)
		s.dropCheck(i)
	}
	return true, comes
}

// recompute brings a cell's dirty bit and its rules up to date.
func (s *Session) recompute(i int32) {
	c := &s.cells[i]
	dirty := false
	if s.form.Fields[c.Field].Kind == form.KindRows {
		dirty = s.rowsDirty(i)
	} else if !s.isBeyond(c.Field) {
		dirty = s.effective(i, sideNow) != s.effective(i, sideBase)
	}
	var rules form.Codes
	if c.Bits.Counts() {
		rules = s.brokenRules(i)
	}
	if rules != 0 {
		s.noteChanged(i) // what the issue says may be another text of the same code
	}
	switch {
	case dirty:
		s.change(i, state.BitDirty, 0, rules)
	case c.Bits&state.BitAsked != 0 || s.isAsSaved(i): // clean, and no contest any more
		s.change(i, 0, state.BitDirty|state.BitContested, rules)
	default:
		s.change(i, 0, state.BitDirty, rules)
	}
}

// isAsSaved reports whether a cell holds its baseline, asked or not. A group does where its
// rows are the rows of the baseline.
func (s *Session) isAsSaved(i int32) bool {
	c := &s.cells[i]
	if s.form.Fields[c.Field].Kind == form.KindRows {
		return slices.Equal(s.countedRows(c.Field, sideNow), s.countedRows(c.Field, sideBase))
	}
	return c.Value == c.Baseline
}

// holdsHere evaluates conditions, any of which must hold, for a cell's row.
func (s *Session) holdsHere(conditions []form.Condition, i int32, of side) bool {
	for _, condition := range conditions {
		if s.conditionHolds(condition, i, of) {
			return true
		}
	}
	return len(conditions) == 0
}

func (s *Session) conditionHolds(condition form.Condition, i int32, of side) bool {
	for _, clause := range condition {
		any := false
		for _, literal := range clause {
			any = any || s.literalHolds(literal, i, of)
		}
		if !any {
			return false
		}
	}
	return true
}

func (s *Session) literalHolds(l form.Literal, i int32, of side) bool {
	other := int32(l.Field)
	if s.form.GroupOf(l.Field) >= 0 {
		other = s.rows[s.cells[i].Row].First + s.form.Offset(l.Field)
	}
	field := &s.form.Fields[l.Field]
	found := false
	if field.Kind == form.KindRows {
		found = len(s.countedRows(l.Field, of)) > 0 && s.has(other, askedBit[of])
		return found != l.Negate
	}
	v := s.effective(other, of)
	switch {
	case l.Present:
		found = !v.Absent()
	case v.Absent() && l.OrAbsent:
		found = true
	default:
		for _, w := range l.Values {
			found = found || v == w
		}
	}
	return found != l.Negate
}

// isAsked evaluates whether a cell is asked, by one side's values.
func (s *Session) isAsked(i int32, of side) bool {
	c := &s.cells[i]
	if group := s.form.GroupOf(c.Field); group >= 0 {
		if !s.has(int32(group), askedBit[of]) {
			return false
		}
	}
	return s.holdsHere(s.form.Fields[c.Field].Asked, i, of)
}
