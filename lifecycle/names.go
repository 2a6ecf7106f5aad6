package lifecycle

import (
	"cmp"
	"slices"

	"leanwicket.dev/form"
)

// Names are the new names that a normal form has given. Whoever remembers a session's
// fields, tries, requests, timers and attempts by their old names follows it with these.
type Names struct {
	session   *Session
	moved     []int32 // of each cell; empty means that each keeps its own
	reordered bool    // fields that are interchangeable have changed their places
	newestTry int32   // before; 0 means that tries keep their numbers
	attempts  int32   // those that are not counted any more
	timers    []uint32
	requests  []uint32

	oldKey, newKey Key
}

func (n *Names) cell(i int32) int32 {
	if i < 0 || len(n.moved) == 0 {
		return i
	}
	return n.moved[i]
}

// Field is the new [FieldState.ID] of a field; -1 stays -1.
func (n *Names) Field(id int) int { return int(n.cell(int32(id))) }

// Reordered reports whether interchangeable fields of the form have changed their places.
func (n *Names) Reordered() bool { return n.reordered }

// Reorder gives answers their new fields, and the order that belongs to them.
func (n *Names) Reorder(values []form.Answer) {
	for k := range values {
		values[k].Field = form.FieldID(n.cell(int32(values[k].Field)))
	}
	slices.SortStableFunc(values, func(a, b form.Answer) int { return cmp.Compare(a.Field, b.Field) })
}

// Attempt is the new number of an attempt.
func (n *Names) Attempt(number int32) int32 { return number - n.attempts }

// Key is the new key of an attempt. A key that is not the session's newest stays.
func (n *Names) Key(k Key) Key {
	if k == n.oldKey {
		return n.newKey
	}
	return k
}

// Try is the new number of a try of the newest attempt: what could be told apart of
// earlier ones is not any more.
func (n *Names) Try(try int32) int32 {
	switch {
	case n.newestTry == 0 || try == 0:
		return try
	case try == n.newestTry:
		return n.session.currentTry()
	default:
		return 1
	}
}

// Timer is the new number of a timer; 0 stays 0. A timer that the session does not know
// gets a number that no other will have.
func (n *Names) Timer(t TimerID) TimerID {
	renamed := TimerID(numberOf(&n.timers, uint32(t)))
	n.session.nextTimer = max(n.session.nextTimer, renamed)
	return renamed
}

// Request is the new number of a request, as [Names.Timer] is of a timer.
func (n *Names) Request(r RequestID) RequestID {
	renamed := RequestID(numberOf(&n.requests, uint32(r)))
	n.session.nextRequest = max(n.session.nextRequest, renamed)
	return renamed
}

// numberOf is the place of an old number in a list, counted from 1; one that is
// not there is added. 0 stays 0.
func numberOf(list *[]uint32, old uint32) uint32 {
	if old == 0 {
		return 0
	}
	k := slices.Index(*list, old)
	if k < 0 {
		k = len(*list)
		*list = append(*list, old)
	}
	return uint32(k) + 1
}
