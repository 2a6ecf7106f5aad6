package state

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
)

// Row is a row of a group. Its identity outlives its place.
type Row struct {
	Group form.FieldID
	First int32 // the row's first cell
	Used  bool
	In    ListSet // the lists that the row is in
	At    int32   // the row's place among those that are there now
}

// Group has the rows of one group: now, in the baseline, and as sent. The numbers are
// indexes into the session's rows.
type Group struct {
	Now, Base, Sent []int32
	Free            []int32 // rows in none of the lists, to be used again
}

// ListSet is a set of a group's lists.
type ListSet uint8

// The lists of a group.
const (
	InNow ListSet = 1 << iota
	InBase
	InSent
)

// List is one of the lists.
func (g *Group) List(which ListSet) *[]int32 {
	switch which {
	case InNow:
		return &g.Now
	case InBase:
		return &g.Base
	default:
		return &g.Sent
	}
}

// lists are all that a group has.
func (g *Group) lists() [4]*[]int32 { return [...]*[]int32{&g.Now, &g.Base, &g.Sent, &g.Free} }

func (g *Group) same(h *Group) bool {
	others := h.lists()
	for k, list := range g.lists() {
		if !slices.Equal(*list, *others[k]) {
			return false
		}
	}
	return true
}

func (g *Group) copyFrom(h *Group) {
	others := h.lists()
	for k, list := range g.lists() {
		*list = append((*list)[:0], *others[k]...)
	}
}

func (g *Group) visit(c *codec.Codec) {
	for _, list := range g.lists() {
		codec.List(c, list, codec.Number[int32])
	}
}

// SetList replaces one of a group's lists, and what each row knows of its lists.
func (g *Group) SetList(rows []Row, which ListSet, list []int32) {
	old := g.List(which)
	for _, r := range *old {
		rows[r].In &^= which
	}
	*old = append((*old)[:0], list...)
	Index(rows, *old, which)
}

// Incoming finds the cell where a value of a body goes: rows are known by their position in the
// baseline. ok reports whether there is one.
func Incoming(f *form.Form, p form.Place, rows []Row, groups []Group) (cell int32, ok bool) {
	if p.Field < 0 || int(p.Field) >= len(f.Fields) || f.Fields[p.Field].Kind == form.KindRows {
		return 0, false
	}
	group := f.GroupOf(p.Field)
	if group < 0 {
		return int32(p.Field), true
	}
	base := groups[f.GroupIndex(group)].Base
	if p.Row < 0 || int(p.Row) >= len(base) {
		return 0, false
	}
	return rows[base[p.Row]].First + f.Offset(p.Field), true
}

// Index tells rows which list they are in, and where.
func Index(rows []Row, list []int32, which ListSet) {
	for position, r := range list {
		rows[r].In |= which
		if which == InNow {
			rows[r].At = int32(position)
		}
	}
}

// RowCount is the number of rows that a body brings of a group; ok reports whether the body
// mentions the group.
func RowCount(group form.FieldID, answers []form.Answer) (count int, ok bool) {
	for _, a := range answers {
		if a.Field == group && a.Row < 0 {
			return int(a.Value.Integer()), true
		}
	}
	return 0, false
}

// BringsSent reports whether a body brings the rows of a group as the newest attempt sent
// them, beside the base rows.
func BringsSent(f *form.Form, group form.FieldID, count int, answers []form.Answer, cells []Cell, rows []Row, sent, base []int32) bool {
	if count == 0 || len(sent) != count || slices.Equal(sent, base) {
		return false
	}
	same := 0
	for _, a := range answers {
		if f.GroupOf(a.Field) != group || a.Row < 0 || int(a.Row) >= count {
			continue
		}
		if f.Fields[a.Field].Kind == form.KindBeyond {
			continue // whoever took the row in may have given it what the form does not know
		}
		if cells[rows[sent[a.Row]].First+f.Offset(a.Field)].Sent != a.Value {
			return false
		}
		if !a.Value.Absent() {
			same++
		}
	}
	present := 0
	for _, r := range sent {
		first := rows[r].First
		for k := range f.Members(group) {
			if !cells[first+int32(k)].Sent.Absent() {
				present++
			}
		}
	}
	return same == present
}
