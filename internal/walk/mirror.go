package walk

import (
	"fmt"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Mirror is what a screen shows of a session's fields. It is kept from
// Session.Changed alone, and reads a group's rows again where the group has changed.
type Mirror struct {
	rows  map[int][]int // by the ID of a group: the IDs of its rows' fields
	shown map[int]string
}

// NewMirror reads a session once.
func NewMirror(s *lifecycle.Session) *Mirror {
	m := &Mirror{map[int][]int{}, map[int]string{}}
	for f := range s.Fields() {
		m.take(s, f)
	}
	return m
}

// Follow reads what the newest step has changed.
func (m *Mirror) Follow(s *lifecycle.Session) {
	for f := range s.Changed() {
		m.take(s, f)
	}
}

func (m *Mirror) take(s *lifecycle.Session, f lifecycle.FieldState) {
	m.shown[f.ID()] = Shown(f)
	if f.Declared().Kind != form.KindRows {
		return
	}
	m.rows[f.ID()] = nil
	for x := range s.Fields() {
		if group, inRows := s.Form().Group(x.Place().Field); inRows && group == f.Place().Field {
			m.rows[f.ID()] = append(m.rows[f.ID()], x.ID())
		}
	}
}

// Difference compares the mirror with a fresh reading of the session; it is empty
// where they are the same.
func (m *Mirror) Difference(s *lifecycle.Session) string {
	fresh := NewMirror(s)
	if got, want := fmt.Sprint(m.rows), fmt.Sprint(fresh.rows); got != want {
		return "the mirror has the rows " + got + ", the session " + want
	}
	for id, want := range fresh.shown {
		if m.shown[id] != want {
			return fmt.Sprintf("the mirror shows field %d as\n%s\nand the session as\n%s", id, m.shown[id], want)
		}
	}
	return ""
}

// Shown is all that can be read of a field, but for its place and what holds for
// the form as a whole.
func Shown(f lifecycle.FieldState) string {
	text := fmt.Sprintf("%q %v over %v", f.Raw(), f.Value(), f.Baseline())
	for _, mark := range []struct {
		on   bool
		word string
	}{
		{f.Asked(), "asked"},
		{f.Dirty(), "dirty"},
		{f.Touched(), "touched"},
		{f.EditedSince(), "edited since"},
		{f.Contested(), "contested"},
		{f.Checking(), "checking"},
		{f.Wrong(), "wrong"},
	} {
		if mark.on {
			text += ", " + mark.word
		}
	}
	for _, x := range f.Issues() {
		text += fmt.Sprintf("\n%v %s %q shown: %v", x.Source, x.Code, x.Text, x.Shown)
	}
	return text
}
