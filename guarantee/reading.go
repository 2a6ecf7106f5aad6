package guarantee

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// reading decides what is asked and what is dirty from the answers alone: from what a field holds
// and from its baseline. It does not ask the session about either.
type reading struct{ session *lifecycle.Session }

// dirty reports whether an answer differs from the saved one. The saved order of rows cannot be read
// from outside, so that the judge takes the session's word for it. The mark of what was edited since
// is judged by checkSince.
func (r reading) dirty(x lifecycle.FieldState) bool {
	declared := x.Declared()
	if declared.Kind == form.KindRows {
		return x.Dirty()
	}
	kept, base := x.Underlying(), x.UnderlyingBaseline()
	if len(declared.Asked) == 0 && x.Place().Row < 0 {
		return kept != base
	}
	if kept == base && kept.Absent() {
		return false
	}
	if !r.asked(x, true) {
		kept = form.Value{}
	}
	if !r.asked(x, false) {
		base = form.Value{}
	}
	return kept != base
}

// asked reports whether a field is asked, by the answers now or by the saved ones.
func (r reading) asked(x lifecycle.FieldState, byNow bool) bool {
	place := x.Place()
	if place.Row >= 0 {
		head, _ := r.session.At(form.Place{Field: r.session.Form().GroupOf(place.Field), Row: -1})
		if !r.asked(head, byNow) {
			return false
		}
	}
	conditions := x.Declared().Asked
	return len(conditions) == 0 || slices.ContainsFunc(conditions, func(all form.Condition) bool {
		return !slices.ContainsFunc(all, func(any form.Clause) bool {
			return !slices.ContainsFunc(any, func(l form.Literal) bool { return r.holds(&l, place.Row, byNow) })
		})
	})
}

// hasRows reports whether a group has a row that counts. A blank item of a list does not.
func (r reading) hasRows(group form.FieldID) bool {
	f := r.session.Form()
	member := f.Members(group)[0]
	for row := int32(0); ; row++ {
		x, there := r.session.At(form.Place{Field: member, Row: row})
		if !there {
			return false
		}
		if !f.IsBlank(member, x.Underlying()) {
			return true
		}
	}
}

// holds evaluates what a condition says of one field, in a row or outside of rows.
func (r reading) holds(l *form.Literal, row int32, byNow bool) bool {
	f := r.session.Form()
	if f.GroupOf(l.Field) < 0 {
		row = -1
	}
	x, _ := r.session.At(form.Place{Field: l.Field, Row: row})
	asked := r.asked(x, byNow)
	if x.Declared().Kind == form.KindRows {
		any := x.SavedRows() > 0
		if byNow {
			any = r.hasRows(l.Field)
		}
		return (any && asked) != l.Negate
	}
	var v form.Value
	if asked && byNow {
		v = x.Underlying()
	} else if asked {
		v = x.UnderlyingBaseline()
	}
	found := slices.Contains(l.Values, v)
	if l.Present {
		found = !v.Absent()
	} else if v.Absent() {
		found = found || l.OrAbsent
	}
	return found != l.Negate
}

// onScreen is the place of an answer that is sent, among the rows as they are on the screen: blank items of a list are there
// and are not sent.
func (w *Watch) onScreen(p form.Place) form.Place {
	declared := w.session.Form()
	if !declared.IsItem(p.Field) {
		return p
	}
	for at, left := int32(0), p.Row; ; at++ {
		p.Row = at
		x, there := w.session.At(p)
		isBlank := there && declared.IsBlank(p.Field, x.Underlying())
		if !there || !isBlank && left == 0 {
			return p
		}
		if !isBlank {
			left--
		}
	}
}
