package lifecycle

import "fmt"

// Recount compares the kept counts and bits with what a look at every cell
// gives.
func Recount(s *Session) string {
	var fresh tally
	for i := range s.cells {
		fresh.count(&s.cells[i], 1)
	}
	if fresh != s.tally {
		return fmt.Sprintf("counts %v, recounted %v", s.tally, fresh)
	}
	for i := range s.inOrder() {
		c := s.cells[i]
		if asked := s.isAsked(i, sideNow); asked != s.has(i, bitAsked) {
			return fmt.Sprintf("cell %d: asked is out of date", i)
		}
		if base := s.isAsked(i, sideBase); base != s.has(i, bitBaseAsked) && s.inBaseline(i) {
			return fmt.Sprintf("cell %d: asked in the baseline is out of date", i)
		}
		s.recompute(i)
		if s.cells[i].bits&^bitChanged != c.bits&^bitChanged || s.cells[i].rules != c.rules {
			return fmt.Sprintf("cell %d (%s): bits %b rules %b, recomputed %b %b", i, s.form.Fields[c.field].Path, c.bits, c.rules, s.cells[i].bits, s.cells[i].rules)
		}
	}
	return ""
}
