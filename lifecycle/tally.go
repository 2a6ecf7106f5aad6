package lifecycle

import "leanwicket.dev/form"

// tally counts the live cells of each class, so that no question about the
// whole form looks at every field.
type tally [classCount]int32

type class uint8

const (
	classDirty class = iota
	classDirtyTouched
	classDirtyEdited
	classDirtyTouchedEdited
	classInvalid
	classContested
	classRestingEdited // not asked, and edited since
	classCount
)

// classes is the set of classes that a cell is in.
func (c *cell) classes() uint8 {
	if c.bits&bitLive == 0 {
		return 0
	}
	set := c.dirtyClasses()
	if c.bits&bitAsked == 0 {
		if c.bits&bitEdited != 0 {
			set |= 1 << classRestingEdited
		}
		return set
	}
	if c.rules != 0 || c.bits&bitCheckIssue != 0 {
		set |= 1 << classInvalid
	}
	if c.bits&bitContested != 0 {
		set |= 1 << classContested
	}
	return set
}

func (c *cell) dirtyClasses() uint8 {
	if c.bits&bitDirty == 0 {
		return 0
	}
	set := uint8(1 << classDirty)
	if c.bits&bitTouched != 0 {
		set |= 1 << classDirtyTouched
	}
	if c.bits&bitEdited != 0 {
		set |= 1 << classDirtyEdited
		if c.bits&bitTouched != 0 {
			set |= 1 << classDirtyTouchedEdited
		}
	}
	return set
}

// change alters a cell's bits and rules, and keeps the counts and the list of
// changed cells in step. Nothing else writes them.
func (s *Session) change(i int32, set, clear cellBits, rules form.Codes) {
	c := &s.cells[i]
	bitsBefore, rulesBefore := c.bits, c.rules
	before := c.classes()
	c.bits = c.bits&^clear | set
	c.rules = rules
	if difference := before ^ c.classes(); difference != 0 {
		for k := range classCount {
			if difference&(1<<k) != 0 {
				if before&(1<<k) != 0 {
					s.tally[k]--
				} else {
					s.tally[k]++
				}
			}
		}
	}
	if c.bits != bitsBefore || c.rules != rulesBefore {
		s.noteChanged(i)
	}
}

// dirty counts what is dirty, and what waits for its row.
func (s *Session) dirty() int32 { return s.tally[classDirty] + int32(len(s.waiting)) }

// count adds a cell to the counts, or takes it away: by 1 or -1.
func (t *tally) count(c *cell, by int32) {
	for k, set := 0, c.classes(); set != 0; k, set = k+1, set>>1 {
		t[k] += int32(set&1) * by
	}
}

func (s *Session) mark(i int32, set cellBits)   { s.change(i, set, 0, s.cells[i].rules) }
func (s *Session) unmark(i int32, set cellBits) { s.change(i, 0, set, s.cells[i].rules) }

func (s *Session) has(i int32, b cellBits) bool { return s.cells[i].bits&b != 0 }

func (s *Session) noteChanged(i int32) {
	if c := &s.cells[i]; c.bits&bitChanged == 0 {
		c.bits |= bitChanged
		s.changed = append(s.changed, i)
	}
}

func (s *Session) clearChanged() {
	for _, i := range s.changed {
		s.cells[i].bits &^= bitChanged
	}
	s.changed = s.changed[:0]
}
