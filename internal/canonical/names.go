package canonical

import (
	"cmp"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// Names are the new names that a canonical state has given. Whoever remembers a session's
// fields, tries, requests, timers and attempts by their old names follows it with these.
type Names struct {
	view      *view
	moved     []int32 // of each cell; empty means that each keeps its own
	reordered bool    // fields that are interchangeable have changed their places
	newestTry int32   // before; 0 means that tries keep their numbers
	attempts  int32   // those that are not counted any more
	more      bool    // something was renamed after the session had its new names
	timers    []int64
	requests  []int64

	oldKey, newKey lifecycle.Key
}

func (n *Names) cell(i int32) int32 {
	if i < 0 || len(n.moved) == 0 {
		return i
	}
	return n.moved[i]
}

// Field returns the new [lifecycle.FieldState.ID] of a field. It returns -1 for -1.
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
func (n *Names) Key(k lifecycle.Key) lifecycle.Key {
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
		return int32(len(*n.view.Tries))
	default:
		return 1
	}
}

// Timer is the new number of a timer; 0 stays 0. A timer that the session does not know
// gets a number that no other will have.
func (n *Names) Timer(t lifecycle.TimerID) lifecycle.TimerID {
	return lifecycle.TimerID(n.timer(int64(t)))
}

// Request is the new number of a request, as [Names.Timer] is of a timer.
func (n *Names) Request(r lifecycle.RequestID) lifecycle.RequestID {
	return lifecycle.RequestID(n.request(int64(r)))
}

func (n *Names) timer(old int64) int64 { return n.number(&n.timers, old, state.NextTimer) }

func (n *Names) request(old int64) int64 { return n.number(&n.requests, old, state.NextRequest) }

// number is the place of an old number in a list, counted from 1; one that is not there is
// added, and is the newest then. 0 stays 0.
func (n *Names) number(list *[]int64, old int64, newest state.Number) int64 {
	if old == 0 {
		return 0
	}
	k := slices.Index(*list, old)
	if k < 0 {
		k = len(*list)
		*list = append(*list, old)
		n.more = true
	}
	n.view.Numbers[newest] = max(n.view.Numbers[newest], int64(k)+1)
	return int64(k) + 1
}
