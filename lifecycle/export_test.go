package lifecycle

import (
	"fmt"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// Recount compares the kept counts and bits with what a look at every cell
// gives.
func Recount(s *Session) string {
	var fresh state.Tally
	for i := range s.cells {
		fresh.Count(&s.cells[i], 1)
	}
	if fresh != s.tally {
		return fmt.Sprintf("counts %v, recounted %v", s.tally, fresh)
	}
	for i := range s.inOrder() {
		c := s.cells[i]
		if asked := s.isAsked(i, sideNow); asked != s.has(i, state.BitAsked) {
			return fmt.Sprintf("cell %d: asked is out of date", i)
		}
		if base := s.isAsked(i, sideBase); base != s.has(i, state.BitBaseAsked) && s.inBaseline(i) {
			return fmt.Sprintf("cell %d: asked in the baseline is out of date", i)
		}
		s.recompute(i)
		if s.cells[i].Bits != c.Bits || s.cells[i].Rules != c.Rules {
			return fmt.Sprintf("cell %d (%s): bits %b rules %b, recomputed %b %b", i, s.form.Fields[c.Field].Path, c.Bits, c.Rules, s.cells[i].Bits, s.cells[i].Rules)
		}
	}
	return ""
}

// CopiedValues are the values of an attempt that begins in a copy of a session.
func CopiedValues(s *Session) []form.Answer {
	var copied Session
	copied.CopyFrom(s)
	copied.copyValues()
	return copied.appendSent(nil)
}
