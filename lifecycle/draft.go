package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// Draft is what outlives a page: see the section "What an earlier page
// kept" of the lifecycle.
type Draft struct {
	Values  []DraftAnswer // of fields by their path; of rows that were as saved by the place of the row
	Groups  []DraftGroup  // those that are kept whole
	Attempt *DraftAttempt
	Version string // the version that was known, of a form that replaces; empty means that none was
}

// DraftAnswer is one answer of a draft: what was typed, and the value
// that it was typed over.
type DraftAnswer struct {
	Path      string // within a DraftGroup the declared path: crew/*/name
	Raw       string
	Baseline  form.Value
	Redacted  form.Value // in a replay: stands for what was typed at a private field
	Since     bool       // edited after the newest attempt was sent
	Contested bool
	Clean     bool // nobody typed it: it follows the loads
}

// DraftGroup is a repeated group that is kept whole: its rows, those of its baseline
// and those that the kept attempt sent, each once. The numbers in Base and Sent are
// places in Rows.
type DraftGroup struct {
	Path      string
	Rows      [][]DraftAnswer // the answers of each row; first come the rows that are there now, in their order
	Now       int32           // how many of them are there now
	Base      []int32
	Sent      []int32
	Since     bool // rows were added, removed or moved after the newest attempt was sent
	Contested bool
	Clean     bool // nobody added, removed or moved rows: they follow the loads
	Based     bool // a load or an acceptance had brought the baseline
	Private   bool // a private answer was typed in a row, and is not kept
}

// DraftAttempt is an attempt that was open when an earlier page ended.
type DraftAttempt struct {
	Key     Key
	Button  string
	Version string
	Values  []form.Answer
	Body    string // the body that whoever sent it has made of the values; empty: the form's own. No session looks at it
}

// Draft returns what a page keeps of the session, so that the next page can go on. It returns nil
// where nothing would be lost. Private answers are not kept, and neither is an attempt that sent one.
// Where such an attempt is open, more is true.
func (s *Session) Draft() (kept *Draft, more bool) {
	if s.leave == LeaveGone {
		return nil, false
	}
	kept = &Draft{}
	if !s.form.Submit.Creates() {
		kept.Version = s.version
	}
	if s.attempt.number > 0 && s.attempt.outcome == OutcomeOpen {
		if more = s.sentPrivate(); !more {
			a := s.Attempt()
			kept.Attempt = &DraftAttempt{Key: a.Key, Button: a.Button, Version: a.Version, Values: s.appendSent(nil)}
		}
	}
	for id := range s.form.Fields {
		i, field := int32(id), &s.form.Fields[id]
		switch {
		case s.form.GroupOf(form.FieldID(id)) >= 0:
		case field.Kind == form.KindRows:
			s.keepRows(kept, form.FieldID(id))
			for k := range s.waiting {
				if s.form.GroupOf(s.waiting[k].Place.Field) == form.FieldID(id) {
					kept.Values = append(kept.Values, DraftAnswer(s.waiting[k].DraftAnswer))
				}
			}
		case s.isKept(i):
			kept.Values = append(kept.Values, s.keptCell(i, field.Path, kept.Attempt != nil))
		}
	}
	if kept.Attempt == nil && kept.Values == nil && kept.Groups == nil {
		return nil, more
	}
	return kept, more
}

func (s *Session) sentPrivate() bool {
	for i := range s.allCells() {
		if s.form.Fields[s.cells[i].Field].Private && !s.cells[i].Sent.Absent() {
			return true
		}
	}
	return false
}

// isKept reports whether a page keeps an answer: it is dirty, edited since,
// contested, or was kept by an earlier page and no load has met it. What is dirty
// only because it is asked now, over a baseline that nobody loaded, is a default
// that the next page has as well.
func (s *Session) isKept(i int32) bool {
	c := &s.cells[i]
	if s.form.Fields[c.Field].Private || s.isBeyond(c.Field) {
		return false
	}
	return c.Bits&(state.BitRestored|state.BitContested) != 0 || c.Value != c.Baseline || s.isSince(i) ||
		c.Bits&(state.BitDirty|state.BitMentioned) == state.BitDirty|state.BitMentioned
}

// isSince reports whether the mark that a cell was edited since still counts. It does until what was
// sent is accepted.
func (s *Session) isSince(i int32) bool {
	return s.has(i, state.BitEdited) && s.attempt.outcome != OutcomeAccepted
}

// keptCell is an answer as it is kept. Beside a kept attempt, an answer that differs from what was
// sent counts as edited since, because the next page takes it so.
func (s *Session) keptCell(i int32, path string, attempt bool) DraftAnswer {
	c := &s.cells[i]
	k := DraftAnswer{Path: path, Raw: s.rawOf(i), Baseline: c.Baseline, Since: s.isSince(i), Contested: c.Bits&state.BitContested != 0}
	k.Clean = c.Value == c.Baseline && c.Bits&state.BitStays == 0 && !k.Since && !k.Contested
	k.Since = k.Since || attempt && !k.Clean && c.Bits&state.BitSent != 0 && c.Value != c.Sent
	return k
}

// rawOf is the text in a cell's control: what was typed, else the value written
// out.
func (s *Session) rawOf(i int32) string {
	if s.has(i, state.BitRaw) {
		return s.cells[i].Raw
	}
	return s.form.Format(s.cells[i].Value)
}

// keepRows keeps a group whole where its own rows are not those of the baseline,
// where an attempt is kept, and where no load will bring its rows. Of another group
// it keeps single answers, with the places of their rows.
func (s *Session) keepRows(kept *Draft, group form.FieldID) {
	head, g := int32(group), s.rowsOf(group)
	var values []DraftAnswer
	for position, r := range s.countedRows(group, sideNow) {
		for i := range s.cellsOf(r) {
			if s.isKept(i) {
				values = append(values, s.keptCell(i, s.form.Path(form.Place{Field: s.cells[i].Field, Row: int32(position)}), kept.Attempt != nil))
			}
		}
	}
	w := DraftGroup{
		Path: s.form.Fields[group].Path, Now: int32(len(g.Now)),
		Since: s.has(head, state.BitRowsEdited) && s.attempt.outcome != OutcomeAccepted, Contested: s.has(head, state.BitContested), Based: s.has(head, state.BitBased),
	}
	w.Clean = s.isAsSaved(head) && !w.Since && !w.Contested && !s.has(head, state.BitStays)
	if w.Clean && kept.Attempt == nil && (s.form.Prefill.Loads() || values == nil) {
		kept.Values = append(kept.Values, values...)
		return
	}
	places := make(map[int32]int32, len(g.Now))
	for place, r := range s.rowOrder(int(s.form.GroupIndex(group))) {
		if kept.Attempt == nil && !s.rowIn(r, state.InNow|state.InBase) {
			continue
		}
		places[r] = int32(place)
		w.Rows = append(w.Rows, s.keptRow(r, &w, kept.Attempt != nil))
	}
	for _, r := range g.Base {
		w.Base = append(w.Base, places[r])
	}
	if kept.Attempt != nil {
		for _, r := range g.Sent {
			w.Sent = append(w.Sent, places[r])
		}
	}
	kept.Groups = append(kept.Groups, w)
}

// keptRow lists the answers of a row that say anything.
func (s *Session) keptRow(r int32, w *DraftGroup, attempt bool) []DraftAnswer {
	row := []DraftAnswer{}
	for i := range s.cellsOf(r) {
		c := &s.cells[i]
		field := &s.form.Fields[c.Field]
		if field.Private {
			w.Private = w.Private || s.rowIn(r, state.InNow) && c.Value != c.Baseline && !c.Value.Absent()
			continue
		}
		if s.isBeyond(c.Field) && !attempt {
			continue // the load brings it again
		}
		k := s.keptCell(i, field.Path, attempt)
		if !s.rowIn(r, state.InNow) { // nobody sees what the row holds
			k = DraftAnswer{Path: field.Path, Raw: s.form.Format(c.Baseline), Baseline: c.Baseline, Clean: true}
		}
		if k != (DraftAnswer{Path: field.Path, Clean: true}) {
			row = append(row, k)
		}
	}
	return row
}
