package form

// Accepts reports whether a value keeps all rules of a field that look at no
// other field. The value of a group is the number of its rows.
func (f *Form) Accepts(id FieldID, v Value) bool {
	if v.Kind == ValueUnparsed {
		return false
	}
	for k := range f.Fields[id].Constraints {
		constraint := &f.Fields[id].Constraints[k]
		bad := false
		switch {
		case f.Fields[id].Kind == KindRows:
			if constraint.Op != OpUniqueItems && (constraint.Op != OpRequired || len(constraint.When) == 0) {
				_, _, bad = constraint.BreaksAt(int(v.Integer()))
			}
		case constraint.Op.Compares():
		case constraint.Op == OpRequired:
			bad = v.Absent() && len(constraint.When) == 0
		case constraint.Op == OpTicked:
			bad = v.Absent()
		case !v.Absent():
			_, _, bad = f.Breaks(id, k, v)
		}
		if bad {
			return false
		}
	}
	return true
}

// Neighbours are the multiples of a step next to a number, itself included
// where it is one.
func Neighbours(v, step Value) []Value {
	exp := min(v.Exp, step.Exp)
	if v.Exp-exp > maxDigits/2 || step.Exp-exp > maxDigits/2 || step.Coef <= 0 {
		return nil
	}
	n, unit := v.Coef*powersOfTen[v.Exp-exp], step.Coef*powersOfTen[step.Exp-exp]
	below := floorDiv(n, unit) * unit
	return []Value{Number(below, exp), Number(below+unit, exp), Number(below-unit, exp)}
}

// CanHold reports whether a value can be one of a field's.
func (f *Form) CanHold(id FieldID, v Value) bool {
	field := &f.Fields[id]
	switch v.Kind {
	case ValueAbsent, ValueUnparsed, ValueRedacted:
		return true
	case ValueNumber:
		return field.Kind == KindNumber || field.Kind == KindInteger || field.Kind == KindChoice || field.Kind == KindRows
	case ValueBoolean:
		return field.Kind == KindBoolean || field.Kind == KindChoice
	default:
		parsed := f.Parse(id, f.Format(v))
		return parsed.Kind == v.Kind || parsed.Kind == ValueUnparsed && field.Kind == KindChoice
	}
}

// LeastRows is how many rows a repeated group must have where it has any: at least one.
func (field *Field) LeastRows() int {
	least := 1
	for _, c := range field.Constraints {
		if c.Op == OpMinItems {
			least = max(least, int(c.Value.Integer()))
		}
	}
	return least
}
