package state

// Tally counts the live cells of each class, so that no question about the
// whole form looks at every field.
type Tally [ClassCount]int32

// Class is a class of cells that is counted.
type Class uint8

// The classes.
const (
	ClassDirty Class = iota
	ClassDirtyTouched
	ClassDirtyEdited
	ClassDirtyTouchedEdited
	ClassInvalid
	ClassContested
	ClassRestingEdited // not asked, and edited since
	ClassCount
)

// Classes is the set of classes that a cell is in.
func (c *Cell) Classes() uint8 {
	if c.Bits&BitLive == 0 {
		return 0
	}
	set := c.dirtyClasses()
	if c.Bits&BitAsked == 0 {
		if c.Bits&BitEdited != 0 {
			set |= 1 << ClassRestingEdited
		}
		return set
	}
	if c.Rules != 0 || c.Bits&BitCheckIssue != 0 {
		set |= 1 << ClassInvalid
	}
	if c.Bits&BitContested != 0 {
		set |= 1 << ClassContested
	}
	return set
}

func (c *Cell) dirtyClasses() uint8 {
	if c.Bits&BitDirty == 0 {
		return 0
	}
	set := uint8(1 << ClassDirty)
	if c.Bits&BitTouched != 0 {
		set |= 1 << ClassDirtyTouched
	}
	if c.Bits&BitEdited != 0 {
		set |= 1 << ClassDirtyEdited
		if c.Bits&BitTouched != 0 {
			set |= 1 << ClassDirtyTouchedEdited
		}
	}
	return set
}

// Count adds a cell to the counts, or takes it away: by 1 or -1.
func (t *Tally) Count(c *Cell, by int32) {
	for k, set := 0, c.Classes(); set != 0; k, set = k+1, set>>1 {
		t[k] += int32(set&1) * by
	}
}
