package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// mostRows bounds the row numbers of what an earlier page kept.
const mostRows = 1 << 16

// restored brings back what an earlier page kept: its values as edits, the groups
// that it kept whole, its open attempt as unsettled. What does not fit is left out,
// and said.
func (s *Session) restored(r *Draft) error {
	if r == nil {
		return ErrNothingKept
	}
	if s.applied > 0 {
		return ErrNotFirst
	}
	t := taking{session: s, whole: make([]bool, s.form.GroupCount())}
	s.version = r.Version
	for k := range r.Groups {
		t.group(&r.Groups[k])
	}
	for k := range r.Values {
		t.value(&r.Values[k])
	}
	s.reviseAll()
	if r.Attempt != nil {
		t.attempt(r.Attempt)
	}
	if !s.form.Prefill.Loads() {
		s.placeWaiting(false)
		s.meetRestored()
	} else if len(s.waiting) > 0 {
		s.load.needs |= needRows
	}
	for i := range s.inOrder() {
		if s.has(i, state.BitTyped) && s.form.Fields[s.cells[i].Field].Kind != form.KindRows {
			s.startCheck(i)
		}
	}
	t.tell()
	return nil
}

// taking is the taking over of what an earlier page kept.
type taking struct {
	session *Session
	whole   []bool // beside Form.groups
	leftOut int32
	private bool // a private answer was typed that is not kept
	lost    bool // an attempt does not fit
}

// tell says what was restored and cannot be seen.
func (t *taking) tell() {
	s := t.session
	if t.lost {
		s.say(form.Message{ID: form.MessageUnsettledPrivate}, Assertive)
	}
	switch {
	case t.leftOut > 0:
		s.say(form.Message{ID: form.MessageRestoredLeftOut, Count: t.leftOut}, Assertive)
	case t.private:
		s.say(form.Message{ID: form.MessageRestoredPrivate}, Assertive)
	case len(s.waiting) > 0:
		s.say(form.Message{ID: form.MessageRestoredWaiting, Count: int32(len(s.waiting))}, Polite)
	}
}

// value takes a field's value over the baseline that it was typed over, or lets it
// wait for its row.
func (t *taking) value(v *DraftAnswer) {
	s := t.session
	p, ok := s.form.Lookup(v.Path)
	if !ok || s.form.Fields[p.Field].Kind == form.KindRows || p.Row >= mostRows || !s.form.CanHold(p.Field, v.Baseline) {
		t.leftOut++
		return
	}
	if group := s.form.GroupOf(p.Field); group >= 0 && !t.whole[s.form.GroupIndex(group)] {
		s.waiting = append(s.waiting, state.Waiting{DraftAnswer: state.DraftAnswer(*v), Place: p})
		return
	}
	i, there := s.cellAt(p)
	if !there {
		t.leftOut++
		return
	}
	if v.Baseline != s.cells[i].Baseline {
		s.mark(i, state.BitMentioned) // an answer brought it to the earlier page
	}
	s.takeKept(i, v)
	s.mark(i, state.BitRestored)
}

// takeKept takes what a cell held and the value that it was typed over. It decides nothing yet.
func (s *Session) takeKept(i int32, v *DraftAnswer) {
	s.setTyped(i, v.Raw)
	if v.Redacted.Kind == form.ValueRedacted {
		s.cells[i].Value = v.Redacted
	}
	s.setBaseline(i, v.Baseline)
	if v.Clean {
		return
	}
	marks := state.BitTouched | state.BitTyped | state.BitRestored | state.BitStays
	if v.Since {
		marks |= state.BitEdited
	}
	if v.Contested {
		marks |= state.BitContested
	}
	s.mark(i, marks)
}

// group makes the rows of a group that was kept whole.
func (t *taking) group(kept *DraftGroup) {
	s := t.session
	p, ok := s.form.Lookup(kept.Path)
	if !ok || s.form.Fields[p.Field].Kind != form.KindRows || p.Row >= 0 || t.whole[s.form.GroupIndex(p.Field)] || !kept.sound() {
		t.leftOut++
		return
	}
	group, head := p.Field, int32(p.Field)
	t.whole[s.form.GroupIndex(group)] = true
	t.private = t.private || kept.Private
	s.setRows(group, nil)
	s.setRowList(group, state.InBase, nil)
	s.freeRows(group)
	made := make([]int32, len(kept.Rows))
	for k := range kept.Rows {
		made[k] = s.blankRow(group)
	}
	list := func(places []int32) (rows []int32) {
		for _, place := range places {
			rows = append(rows, made[place])
		}
		return rows
	}
	s.setRowList(group, state.InBase, list(kept.Base))
	s.setRowList(group, state.InSent, list(kept.Sent))
	s.setRows(group, made[:kept.Now])
	for k := range kept.Rows {
		t.row(group, made[k], kept.Rows[k])
	}
	if _, has := s.form.BeyondOf(group); has && len(kept.Base) > 0 && s.form.Prefill.Loads() {
		s.load.needs |= needBeyond
	}
	marks := state.Bits(0)
	if kept.Based {
		marks |= state.BitBased | state.BitMentioned
	}
	if kept.Since {
		marks |= state.BitEdited | state.BitRowsEdited
	}
	if kept.Contested {
		marks |= state.BitContested
	}
	if !kept.Clean {
		marks |= state.BitTouched | state.BitTyped | state.BitRestored | state.BitStays
	}
	s.mark(head, marks)
	s.noteChanged(head)
}

// sound reports whether the numbers of a kept group name rows that it has.
func (g *DraftGroup) sound() bool {
	if len(g.Rows) > mostRows || g.Now < 0 || int(g.Now) > len(g.Rows) {
		return false
	}
	for _, list := range [...][]int32{g.Base, g.Sent} {
		seen := make([]bool, len(g.Rows))
		for _, place := range list {
			if place < 0 || int(place) >= len(seen) || seen[place] {
				return false
			}
			seen[place] = true
		}
	}
	return true
}

// row takes the answers of one row. What is private in a row of the baseline is not
// known until a load brings it.
func (t *taking) row(group form.FieldID, r int32, answers []DraftAnswer) {
	s := t.session
	for k := range answers {
		v := answers[k]
		id, ok := s.form.FieldAt(v.Path)
		if !ok || s.form.GroupOf(id) != group || !s.form.CanHold(id, v.Baseline) {
			t.leftOut++
			continue
		}
		if !s.rowIn(r, state.InBase) { // a row that nobody saved has no baseline
			v.Baseline = form.Value{}
		}
		i := s.rows[r].First + s.form.Offset(id)
		s.takeKept(i, &v)
		if !v.Baseline.Absent() {
			s.mark(i, state.BitMentioned)
		}
	}
	if s.rowIn(r, state.InBase) {
		for i := range s.cellsOf(r) {
			if s.form.Fields[s.cells[i].Field].Private {
				s.mark(i, state.BitUnknown)
			}
		}
	}
}

// attempt takes an attempt that was open on an earlier page, cell by cell.
func (t *taking) attempt(kept *DraftAttempt) {
	s := t.session
	button, ok := s.form.ButtonAt(kept.Button)
	if !ok || !t.takeSent(kept.Values) {
		t.lost = true
		for i := range s.allCells() {
			s.cells[i].Sent = form.Value{}
			s.unmark(i, state.BitSent|state.BitSentChanged)
		}
		for _, group := range s.form.Groups() {
			s.setRowList(group, state.InSent, nil)
			s.freeRows(group)
		}
		return
	}
	s.decideSent()
	s.attempt = attempt{
		number: 1, key: kept.Key, button: int32(button), version: kept.Version,
		unsure: true, adopted: true,
	}
	if s.version == "" {
		s.version = kept.Version
	}
	s.adoptedKey, s.seed = kept.Key, s.seed.after(kept.Key)
	s.tries = append(s.tries[:0], state.TryCancelled)
	if s.form.Prefill.Loads() {
		s.load.needs |= needRestored
	}
	for i := range s.inOrder() { // what had not loaded yet is blank, and no edit
		if c := &s.cells[i]; s.form.Fields[c.Field].Kind != form.KindRows && s.has(i, state.BitStays) && s.has(i, state.BitSent) && c.Value != c.Sent {
			s.mark(i, state.BitEdited)
		}
	}
	s.unsettle(form.Message{ID: form.MessageUnsettledRestored})
}

// takeSent takes what an attempt sent. Rows that are not kept with their group are
// rows as sent, and nothing else. It reports whether everything fits.
func (t *taking) takeSent(values []form.Answer) bool {
	s := t.session
	for g, group := range s.form.Groups() {
		count, mentioned := state.RowCount(group, values)
		if count < 0 || count > mostRows || t.whole[g] && count != len(s.groups[g].Sent) {
			return false
		}
		if mentioned && !t.whole[g] {
			s.setRowList(group, state.InSent, s.upTo(group, nil, count))
		}
	}
	for _, a := range values {
		if a.Field < 0 || int(a.Field) >= len(s.form.Fields) || !s.form.CanHold(a.Field, a.Value) {
			return false
		}
		i := int32(a.Field)
		if group := s.form.GroupOf(a.Field); group >= 0 {
			sent := s.rowsOf(group).Sent
			if a.Row < 0 || int(a.Row) >= len(sent) {
				return false
			}
			i = s.rows[sent[a.Row]].First + s.form.Offset(a.Field)
		}
		if s.form.Fields[a.Field].Kind != form.KindRows {
			s.cells[i].Sent = a.Value
		}
		if a.Changed {
			s.mark(i, state.BitSentChanged)
		}
	}
	return true
}

// decideSent marks what was asked by the values as sent, whatever is asked now.
func (s *Session) decideSent() {
	for id := range s.form.AskedOrder() {
		s.eachCell(id, func(i int32) {
			if r := s.cells[i].Row; (r < 0 || s.rowIn(r, state.InSent)) && s.isAsked(i, sideSent) {
				s.mark(i, state.BitSent)
			}
		})
	}
}
