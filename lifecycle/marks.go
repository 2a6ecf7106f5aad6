package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// change alters a cell's bits and rules, and keeps the counts and the list of
// changed cells in step. Nothing else writes them.
func (s *Session) change(i int32, set, clear state.Bits, rules form.Codes) {
	c := &s.cells[i]
	bitsBefore, rulesBefore := c.Bits, c.Rules
	before := c.Classes()
	c.Bits = c.Bits&^clear | set
	c.Rules = rules
	if difference := before ^ c.Classes(); difference != 0 {
		for k := range state.ClassCount {
			if difference&(1<<k) != 0 {
				if before&(1<<k) != 0 {
					s.tally[k]--
				} else {
					s.tally[k]++
				}
			}
		}
	}
	if c.Bits != bitsBefore || c.Rules != rulesBefore {
		s.noteChanged(i)
	}
}

// dirty counts what is dirty, and what waits for its row.
func (s *Session) dirty() int32 { return s.tally[state.ClassDirty] + int32(len(s.waiting)) }

func (s *Session) mark(i int32, set state.Bits)   { s.change(i, set, 0, s.cells[i].Rules) }
func (s *Session) unmark(i int32, set state.Bits) { s.change(i, 0, set, s.cells[i].Rules) }

func (s *Session) has(i int32, b state.Bits) bool { return s.cells[i].Bits&b != 0 }

// noteChanged lists a cell among those that the step changes.
func (s *Session) noteChanged(i int32) {
	for len(s.isChanged) <= int(i) {
		s.isChanged = append(s.isChanged, false)
	}
	if !s.isChanged[i] {
		s.isChanged[i] = true
		s.changed = append(s.changed, i)
	}
}

func (s *Session) clearChanged() {
	for _, i := range s.changed {
		s.isChanged[i] = false
	}
	s.changed = s.changed[:0]
}
