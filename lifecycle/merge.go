package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// merging is how incoming values meet what the applicant has typed. One
// operation serves a load, an outdated form's load, adoption and acceptance.
type merging struct {
	spareDirty  bool // a dirty field keeps its value, not only one edited since
	ask         bool // a newer value that meets an edit contests the field
	wholeForm   bool // what an earlier answer mentioned and this one does not is absent
	spareEdited bool // edits since the newest attempt stay even if they are clean
}

// absorb merges one incoming value into a cell. What follows from it is for the
// end of the merge, when all values are there.
func (s *Session) absorb(i int32, incoming form.Value, m merging) {
	keeps, old := s.isMine(i, m), s.cells[i].Baseline
	s.setBaseline(i, incoming)
	s.cells[i].Bits &^= state.BitUnknown
	if !keeps {
		s.take(i, incoming)
	} else if m.ask && incoming != old && !s.wasSent(i, incoming) {
		s.cells[i].Bits |= state.BitMeets
	}
}

// isMine reports whether a cell has what a merge leaves to the applicant: a value
// that differs from the baseline, one that was edited in this very step, or one that
// was edited since. Removed rows hold no edits.
func (s *Session) isMine(i int32, m merging) bool {
	c := &s.cells[i]
	if c.Bits&state.BitLive == 0 {
		return false
	}
	return m.spareDirty && (c.Value != c.Baseline || c.Bits&state.BitStays != 0 || i == s.editedNow) || m.spareEdited && c.Bits&state.BitEdited != 0
}

// setBaseline makes a value the one that was last known to be saved.
func (s *Session) setBaseline(i int32, v form.Value) {
	if c := &s.cells[i]; c.Baseline != v {
		c.Baseline = v
		s.noteChanged(i)
	}
}

// isSentUnsure reports whether a try of the newest attempt ended with an unknown
// outcome, and no other was accepted: the office may have what was sent.
func (s *Session) isSentUnsure() bool {
	return s.attempt.unsure && s.attempt.outcome != OutcomeAccepted
}

// wasSent reports whether an incoming value is what an attempt of unknown
// outcome had sent: the applicant's own, and no news.
func (s *Session) wasSent(i int32, incoming form.Value) bool {
	return s.isSentUnsure() && s.has(i, state.BitSent) && s.cells[i].Sent == incoming
}

// mergeAnswers merges a body into the form: plain values first, then rows, then
// the answers in rows; then what is asked is decided, and last what is contested.
func (s *Session) mergeAnswers(answers []form.Answer, m merging) {
	s.byEdit = false // what a merge brings back is not brought back by an edit of the same step
	s.mergeCells(answers, m, false)
	var contested []form.FieldID
	for _, group := range s.form.Groups() {
		if s.mergeRows(group, answers, m) {
			contested = append(contested, group)
		}
	}
	s.mergeCells(answers, m, true)
	s.reviseAll()
	s.contestMet(contested)
	s.landIssues()
	for _, group := range s.form.Groups() {
		s.freeRows(group)
	}
}

// mergeCells merges the plain values of a body, or those in rows.
func (s *Session) mergeCells(answers []form.Answer, m merging, inRows bool) {
	for len(s.scratch) < len(s.cells) {
		s.scratch = append(s.scratch, form.Value{})
	}
	for _, a := range answers {
		if i, ok := s.incomingCell(a.Place); ok && (a.Row >= 0) == inRows {
			s.scratch[i] = a.Value
			s.cells[i].Bits |= state.BitIncoming
		}
	}
	for i := range s.allCells() {
		c := &s.cells[i]
		if s.form.Fields[c.Field].Kind == form.KindRows || (c.Row >= 0) != inRows {
			continue
		}
		incoming := form.Value{}
		switch {
		case c.Bits&state.BitIncoming != 0:
			incoming = s.scratch[i]
			c.Bits = c.Bits&^state.BitIncoming | state.BitMentioned
		case !m.wholeForm || !s.wasMentioned(i) || !s.inBaseline(i):
			continue
		}
		s.absorb(i, incoming, m)
	}
}

// wasMentioned reports whether an answer has said anything of a cell. A row that an
// answer brings is said as a whole.
func (s *Session) wasMentioned(i int32) bool {
	if group := s.form.GroupOf(s.cells[i].Field); group >= 0 && s.has(int32(group), state.BitMentioned) {
		return true
	}
	return s.has(i, state.BitMentioned)
}

// contestMet contests the groups that are contested as a whole, and each other
// field where a newer value has met an edit. A field that is clean is contested no
// more, nor is one in a group that is contested as a whole.
func (s *Session) contestMet(groups []form.FieldID) {
	for _, group := range groups {
		s.mark(int32(group), state.BitContested)
	}
	for i := range s.allCells() {
		met := s.has(i, state.BitMeets)
		s.cells[i].Bits &^= state.BitMeets
		c := &s.cells[i]
		switch {
		case s.isAsSaved(i), c.Bits&(state.BitAsked|state.BitDirty) == state.BitAsked, c.Row >= 0 && s.has(int32(s.form.GroupOf(c.Field)), state.BitContested):
			s.unmark(i, state.BitContested)
		case met:
			s.mark(i, state.BitContested)
		}
	}
}

// incomingCell finds where a value of a body goes. mergeRows has brought the baseline in step with
// the body.
func (s *Session) incomingCell(p form.Place) (int32, bool) {
	return state.Incoming(s.form, p, s.rows, s.groups)
}

func (s *Session) inBaseline(i int32) bool {
	r := s.cells[i].Row
	return r < 0 || s.rowIn(r, state.InBase)
}
