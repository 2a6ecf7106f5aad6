package sample

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Fill finds what an applicant has to type so that nothing holds a submit: for
// each missing answer a sample. It reports false where it finds no way.
func Fill(declared *form.Form) (edits []lifecycle.Event, complete bool) {
	session, _ := lifecycle.Open(declared, lifecycle.Seed{})
	for range 4 * (leastAnswers(declared) + 1) {
		edit, trouble := nextEdit(session)
		if !trouble {
			return edits, true
		}
		if edit.Path == "" {
			return edits, false
		}
		if _, err := session.Apply(edit); err != nil {
			return edits, false
		}
		edits = append(edits, edit)
	}
	return edits, false
}

// leastAnswers is how many places a form has where each group has the rows that it must have.
func leastAnswers(f *form.Form) int {
	count := len(f.Fields)
	for _, group := range f.Groups() {
		count += f.Fields[group].LeastRows() * (len(f.Members(group)) + 1)
	}
	return count
}

// nextEdit mends the first field that has an issue.
func nextEdit(session *lifecycle.Session) (edit lifecycle.Event, trouble bool) {
	declared := session.Form()
	for f := range session.Fields() {
		issues := f.Issues()
		switch {
		case len(issues) == 0:
			continue
		case f.Declared().Kind == form.KindRows:
			return moreOf(session, f), true
		case issues[0].Code == form.CodeCustomError.String():
			return mendComparison(session, f), true
		}
		raw, ok := One(declared, f.Place().Field)
		if !ok || raw == f.Raw() {
			return lifecycle.Event{}, true
		}
		return lifecycle.Edit(f.Path(), raw), true
	}
	return lifecycle.Event{}, false
}

// moreOf adds a row to a group. A list that has a blank item gets a text there, which no other item has.
func moreOf(session *lifecycle.Session, group lifecycle.FieldState) lifecycle.Event {
	declared, id := session.Form(), group.Place().Field
	if !declared.IsList(id) {
		return lifecycle.AddRow(group.Path())
	}
	item := declared.Members(id)[0]
	var blank lifecycle.FieldState
	isBlank, taken := false, map[string]bool{}
	for row := range group.Rows() {
		f, _ := session.At(form.Place{Field: item, Row: int32(row)})
		taken[f.Raw()] = true
		if declared.IsBlank(item, f.Value()) {
			blank, isBlank = f, true
		}
	}
	if !isBlank {
		return lifecycle.AddRow(group.Path())
	}
	for _, raw := range Some(declared, item, 9) {
		if declared.Accepts(item, declared.Parse(item, raw)) && !taken[raw] {
			return lifecycle.Edit(blank.Path(), raw)
		}
	}
	return lifecycle.Event{}
}

// A comparison is a constraint of a field, and the field that it is compared with.
type comparison struct {
	*form.Constraint
	with lifecycle.FieldState
}

func (c comparison) breaks(v form.Value) bool {
	_, _, broken := c.BreaksBeside(v, c.with.Value())
	return broken
}

// comparisonsOf lists the comparisons of a field with answers that there are.
func comparisonsOf(session *lifecycle.Session, f lifecycle.FieldState) (list []comparison) {
	for k := range f.Declared().Constraints {
		c := &f.Declared().Constraints[k]
		if !c.Op.Compares() {
			continue
		}
		other := form.Place{Field: c.Other, Row: f.Place().Row}
		if _, inRows := session.Form().Group(c.Other); !inRows {
			other.Row = -1
		}
		if with, there := session.Field(session.Form().Path(other)); there && !with.Value().Absent() {
			list = append(list, comparison{c, with})
		}
	}
	return list
}

// mendComparison finds another text for a field so that all its comparisons hold. Where there is none,
// it finds one for a field that it is compared with. The edit has no path where there is none either.
func mendComparison(session *lifecycle.Session, f lifecycle.FieldState) lifecycle.Event {
	comparisons := comparisonsOf(session, f)
	var near []form.Value
	for _, c := range comparisons {
		near = append(near, keeping(c.Op, c.with.Value()))
	}
	if raw, found := mended(session.Form(), f, near, func(v form.Value) bool {
		return !slices.ContainsFunc(comparisons, func(c comparison) bool { return c.breaks(v) })
	}); found {
		return lifecycle.Edit(f.Path(), raw)
	}
	for _, c := range comparisons {
		if !c.breaks(f.Value()) {
			continue
		}
		if raw, found := mended(session.Form(), c.with, []form.Value{keeping(turned[c.Op], f.Value())}, func(v form.Value) bool {
			_, _, broken := c.BreaksBeside(f.Value(), v)
			return !broken
		}); found {
			return lifecycle.Edit(c.with.Path(), raw)
		}
	}
	return lifecycle.Event{}
}

// turned has for each comparison the one that holds from the other side.
var turned = map[form.ConstraintOp]form.ConstraintOp{
	form.OpGreaterThan: form.OpLessThan, form.OpLessThan: form.OpGreaterThan,
	form.OpAtLeast: form.OpAtMost, form.OpAtMost: form.OpAtLeast, form.OpEqualTo: form.OpEqualTo,
}

// mended finds a text for a field that its other rules accept: one of the near values, or a sample.
func mended(declared *form.Form, f lifecycle.FieldState, near []form.Value, holds func(form.Value) bool) (raw string, found bool) {
	id := f.Place().Field
	var texts []string
	for _, v := range near {
		texts = append(texts, declared.Format(v))
	}
	for _, raw := range append(texts, Some(declared, id, 9)...) {
		if v := declared.Parse(id, raw); raw != f.Raw() && declared.Accepts(id, v) && holds(v) {
			return raw, true
		}
	}
	return "", false
}

// keeping is a value that keeps a comparison with another one.
func keeping(op form.ConstraintOp, other form.Value) form.Value {
	step := int64(1)
	switch other.Kind {
	case form.ValueNumber:
		return nextNumber(op, other)
	case form.ValueTime, form.ValueDateTime:
		step = 60 * 1_000_000 // a minute
	}
	switch op {
	case form.OpGreaterThan:
		other.Coef += step
	case form.OpLessThan:
		other.Coef -= step
	}
	return other
}

// nextNumber is the number next to another one, on the side that a comparison
// asks for.
func nextNumber(op form.ConstraintOp, other form.Value) form.Value {
	next := form.Neighbours(other, form.Number(1, min(other.Exp, 0)))
	switch {
	case next == nil:
		return other
	case op == form.OpGreaterThan:
		return next[1]
	case op == form.OpLessThan:
		return next[2]
	default:
		return other
	}
}
