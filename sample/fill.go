package sample

import (
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
		if len(issues) == 0 {
			continue
		}
		id := f.Place().Field
		if f.Declared().Kind == form.KindRows {
			return lifecycle.AddRow(f.Path()), true
		}
		if issues[0].Code != form.CodeCustomError.String() {
			raw, ok := One(declared, id)
			if !ok || raw == f.Raw() {
				return lifecycle.Event{}, true
			}
			return lifecycle.Edit(f.Path(), raw), true
		}
		for _, c := range f.Declared().Constraints {
			other := form.Place{Field: c.Other, Row: f.Place().Row}
			if _, inRows := declared.Group(c.Other); !inRows {
				other.Row = -1
			}
			if !c.Op.Compares() {
				continue
			}
			with, _ := session.Field(declared.Path(other))
			raw := declared.Format(keeping(c.Op, with.Value()))
			if raw != f.Raw() && declared.Accepts(id, declared.Parse(id, raw)) {
				return lifecycle.Edit(f.Path(), raw), true
			}
		}
		return lifecycle.Event{}, true
	}
	return lifecycle.Event{}, false
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
