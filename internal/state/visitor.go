package state

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
)

// Visited is a session: its Visit method shows a visitor each part of its state, once and in
// one order.
type Visited interface {
	Visit(v *Visitor)
}

// Visitor goes through the state of a session. After [Visitor.Gather] it has all of it: what
// is in no list by name, and the lists as the session's own memory.
type Visitor struct {
	Numbers [numberCount]int64 // facts are 0 and 1
	Texts   [textCount]string
	Keys    [keyCount][16]byte

	Cells         *[]Cell
	Rows          *[]Row
	Groups        *[]Group
	Checks        *[]Check
	Issues        *[]Issue
	Tries         *[]Try
	Deferred      *[]form.Answer
	Waiting       *[]Waiting
	ReceiptValues *[]form.Answer

	does      doing
	onlyLists bool // the parts that are in no list are passed over
	same      bool
	codec     codec.Codec
	withCells bool           // the codec takes the cells as well
	form      *form.Form     // of the session, if the visitor redacts
	redact    form.Redaction // nil leaves private values as they are
}

// doing is what a visitor does at each part.
type doing uint8

const (
	gathering  doing = iota
	scattering       // what is in no list is set
	comparing        // each list is compared with the one that was gathered
	copying          // each list becomes a copy of the one that was gathered
	coding           // each list goes through the codec
)

// Gather takes every part of a session's state into the visitor.
func (v *Visitor) Gather(s Visited) { v.visit(s, gathering, false) }

// GatherLists takes the lists of a session into the visitor.
func (v *Visitor) GatherLists(s Visited) { v.visit(s, gathering, true) }

// Scatter gives a session the visitor's numbers, texts and keys.
func (v *Visitor) Scatter(s Visited) { v.visit(s, scattering, false) }

// SameLists reports whether a session's lists are those that were gathered.
func (v *Visitor) SameLists(s Visited) bool {
	v.same = true
	v.visit(s, comparing, true)
	return v.same
}

// CopyLists makes a session's lists the same as those that were gathered, and reuses their
// memory.
func (v *Visitor) CopyLists(s Visited) { v.visit(s, copying, true) }

// CodeLists writes a session's lists with a codec, or reads them, but for the cells.
func (v *Visitor) CodeLists(s Visited, c codec.Codec) codec.Codec {
	v.codec = c
	v.visit(s, coding, true)
	return v.codec
}

func (v *Visitor) visit(s Visited, does doing, onlyLists bool) {
	v.does, v.onlyLists = does, onlyLists
	s.Visit(v)
}

// OnlyLists reports whether what is in no list is passed over.
func (v *Visitor) OnlyLists() bool { return v.onlyLists }

// Visit shows a number.
func Visit[T ~uint8 | ~uint16 | ~uint32 | ~uint64 | ~int32 | ~int64](v *Visitor, part Number, n *T) {
	if v.does == scattering {
		*n = T(v.Numbers[part])
		return
	}
	v.Numbers[part] = int64(*n)
}

// Fact shows a fact.
func (v *Visitor) Fact(part Number, fact *bool) {
	if v.does == scattering {
		*fact = v.Numbers[part] != 0
		return
	}
	v.Numbers[part] = 0
	if *fact {
		v.Numbers[part] = 1
	}
}

// Text shows a text.
func (v *Visitor) Text(part Text, text *string) {
	if v.does == scattering {
		*text = v.Texts[part]
		return
	}
	v.Texts[part] = *text
}

// Key shows a submission key.
func (v *Visitor) Key(part Key, key *[16]byte) {
	if v.does == scattering {
		*key = v.Keys[part]
		return
	}
	v.Keys[part] = *key
}

// List shows a list. The slot is the visitor's own place for it, and element is the method of
// the visitor that visits one element.
func List[T comparable](v *Visitor, slot **[]T, list *[]T, element func(*Visitor, *T)) {
	switch v.does {
	case gathering:
		*slot = list
	case comparing:
		v.same = v.same && slices.Equal(*list, **slot)
	case copying:
		*list = append((*list)[:0], **slot...)
	case coding:
		if n := v.codec.Length(len(*list)); v.codec.Reads() {
			*list = slices.Grow((*list)[:0], n)[:n]
		}
		for k := range *list {
			element(v, &(*list)[k])
		}
	}
}

// ListCells shows the cells.
func (v *Visitor) ListCells(list *[]Cell) {
	if v.does != coding || v.withCells {
		List(v, &v.Cells, list, (*Visitor).cell)
	}
}

// ListGroups shows the groups.
func (v *Visitor) ListGroups(list *[]Group) {
	switch v.does {
	case gathering:
		v.Groups = list
	case comparing:
		v.same = v.same && slices.EqualFunc(*list, *v.Groups, func(g, h Group) bool { return g.same(&h) })
	case copying:
		resize(list, len(*v.Groups))
		for k := range *list {
			(*list)[k].copyFrom(&(*v.Groups)[k])
		}
	case coding:
		resize(list, v.codec.Length(len(*list)))
		for k := range *list {
			(*list)[k].visit(&v.codec)
		}
	}
}

// resize makes a list as long as it should be, and keeps the memory of its elements.
func resize(list *[]Group, n int) {
	if len(*list) != n {
		*list = make([]Group, n)
	}
}
