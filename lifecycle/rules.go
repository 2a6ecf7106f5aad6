package lifecycle

import "leanwicket.dev/form"

// brokenRules evaluates a cell's constraints.
func (s *Session) brokenRules(i int32) form.Codes {
	c := &s.cells[i]
	var broken form.Codes
	field := &s.form.Fields[c.Field]
	switch c.Value.Kind {
	case form.ValueUnparsed:
		return 1 << form.CodeBadInput
	case form.ValueRedacted:
		broken = form.Codes(c.Value.Coef)
		if broken.Has(form.CodeBadInput) {
			return broken
		}
	}
	for k := range field.Constraints {
		if _, code, bad := s.breaks(i, k); bad {
			broken |= 1 << code
		}
	}
	return broken
}

// breaks evaluates one constraint of a cell: the message and the code of what
// is wrong, or false.
func (s *Session) breaks(i int32, k int) (form.MessageID, form.Code, bool) {
	c := &s.cells[i]
	constraint := &s.form.Fields[c.Field].Constraints[k]
	switch {
	case constraint.Op.Compares():
		other := int32(constraint.Other)
		if s.form.GroupOf(constraint.Other) >= 0 {
			other = s.rows[c.Row].First + s.form.Offset(constraint.Other)
		}
		return constraint.BreaksBeside(c.Value, s.effective(other, sideNow))
	case s.form.Fields[c.Field].Kind == form.KindRows:
		rows := s.countedRows(c.Field, sideNow)
		if constraint.Op == form.OpUniqueItems {
			return form.MessageNotUnique, form.CodeCustomError, s.anyTwice(rows)
		}
		if constraint.Op == form.OpRequired && !s.holdsHere(constraint.When, i, sideNow) {
			return form.MessageNone, 0, false
		}
		return constraint.BreaksAt(len(rows))
	case constraint.Op == form.OpRequired:
		if c.Value.Absent() && s.holdsHere(constraint.When, i, sideNow) {
			return form.MessageValueMissing, form.CodeValueMissing, true
		}
		return form.MessageNone, 0, false
	case constraint.Op == form.OpTicked:
		return form.MessageUnticked, form.CodeValueMissing, c.Value.Absent()
	case c.Value.Absent():
		return form.MessageNone, 0, false
	case c.Value.Kind == form.ValueRedacted:
		return form.MessageNone, 0, false // what it breaks by itself is written with it
	default:
		return s.form.Breaks(c.Field, k, c.Value)
	}
}

// anyTwice reports whether two items of a list have the same value.
func (s *Session) anyTwice(items []int32) bool {
	seen := make(map[form.Value]bool, len(items))
	for _, r := range items {
		value := s.cells[s.rows[r].First].Value
		if seen[value] {
			return true
		}
		seen[value] = true
	}
	return false
}

// ruleText writes what a broken rule says.
func (s *Session) ruleText(i int32, code form.Code) string {
	c := &s.cells[i]
	for k := range s.form.Fields[c.Field].Constraints {
		if message, broken, bad := s.breaks(i, k); bad && broken == code && c.Value.Kind != form.ValueUnparsed {
			return s.form.RuleText(c.Field, k, message, code)
		}
	}
	return s.form.UnreadText(c.Field)
}
