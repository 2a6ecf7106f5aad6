package lifecycle

import "unicode/utf8"

// brokenRules evaluates a cell's constraints.
func (s *Session) brokenRules(i int32) codes {
	c := &s.cells[i]
	var broken codes
	field := &s.form.Fields[c.field]
	switch c.value.Kind {
	case ValueUnparsed:
		return 1 << CodeBadInput
	case ValueVeiled:
		broken = codes(c.value.Coef)
		if broken.has(CodeBadInput) {
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
func (s *Session) breaks(i int32, k int) (MessageID, Code, bool) {
	c := &s.cells[i]
	constraint := &s.form.Fields[c.field].Constraints[k]
	switch {
	case constraint.Op.Compares():
		other := int32(constraint.Other)
		if s.form.group[constraint.Other] >= 0 {
			other = s.rows[c.row].first + s.form.offset[constraint.Other]
		}
		return compareBreaks(constraint.Op, c.value, s.effective(other, sideNow))
	case s.form.Fields[c.field].Kind == KindRows:
		count := len(s.groups[s.form.groupIndex[c.field]].now)
		if constraint.Op == OpRequired && !s.holdsHere(constraint.When, i, sideNow) {
			return MessageNone, 0, false
		}
		return rowsBreak(constraint, count)
	case constraint.Op == OpRequired:
		if c.value.Absent() && s.holdsHere(constraint.When, i, sideNow) {
			return MessageValueMissing, CodeValueMissing, true
		}
		return MessageNone, 0, false
	case constraint.Op == OpTicked:
		return MessageUnticked, CodeValueMissing, c.value.Absent()
	case c.value.Absent():
		return MessageNone, 0, false
	case c.value.Kind == ValueVeiled:
		return MessageNone, 0, false // what it breaks by itself is written with it
	default:
		return s.form.valueBreaks(c.field, k, c.value)
	}
}

// rowsBreak evaluates a constraint on the number of rows. No rows at all are an
// absent group, which only OpRequired minds.
func rowsBreak(constraint *Constraint, count int) (MessageID, Code, bool) {
	switch constraint.Op {
	case OpRequired:
		return MessageNoRows, CodeValueMissing, count == 0
	case OpMinItems:
		return MessageTooFewRows, CodeRangeUnderflow, count > 0 && int64(count) < constraint.Value.Integer()
	default: // OpMaxItems: NewForm lets no group have others
		return MessageTooManyRows, CodeRangeOverflow, int64(count) > constraint.Value.Integer()
	}
}

// valueBreaks evaluates a constraint on a present value.
func (f *Form) valueBreaks(id FieldID, k int, v Value) (MessageID, Code, bool) {
	constraint := &f.Fields[id].Constraints[k]
	switch constraint.Op {
	case OpMinLength:
		return MessageTooShort, CodeTooShort, v.Kind == ValueText && int64(utf8.RuneCountInString(v.Text)) < constraint.Value.Integer()
	case OpMaxLength:
		return MessageTooLong, CodeTooLong, v.Kind == ValueText && int64(utf8.RuneCountInString(v.Text)) > constraint.Value.Integer()
	case OpPattern:
		return MessagePatternMismatch, CodePatternMismatch, v.Kind == ValueText && !f.patterns[id][k].MatchString(v.Text)
	case OpFormat:
		return MessageTypeMismatch, CodeTypeMismatch, v.Kind == ValueText && !HasFormat(constraint.Text, v.Text)
	case OpMinimum:
		order, ok := v.Compare(constraint.Value)
		return MessageRangeUnderflow, CodeRangeUnderflow, ok && order < 0
	case OpExclusiveMinimum:
		order, ok := v.Compare(constraint.Value)
		return MessageAboveOnly, CodeRangeUnderflow, ok && order <= 0
	case OpMaximum:
		order, ok := v.Compare(constraint.Value)
		return MessageRangeOverflow, CodeRangeOverflow, ok && order > 0
	case OpExclusiveMaximum:
		order, ok := v.Compare(constraint.Value)
		return MessageBelowOnly, CodeRangeOverflow, ok && order >= 0
	case OpMultipleOf:
		return MessageStepMismatch, CodeStepMismatch, v.Kind == ValueNumber && !multipleOf(v, constraint.Value)
	case OpEnum:
		return MessageNoOption, CodeTypeMismatch, !f.Fields[id].offers(v)
	case OpMinItems:
		return MessageTooFewRows, CodeRangeUnderflow, int64(v.Count()) < constraint.Value.Integer()
	case OpMaxItems:
		return MessageTooManyRows, CodeRangeOverflow, int64(v.Count()) > constraint.Value.Integer()
	case OpEqual:
		return MessageTypeMismatch, CodeTypeMismatch, v != constraint.Value
	default:
		return MessageNone, 0, false
	}
}

// offers reports whether every chosen option is one of the field's.
func (field *Field) offers(v Value) bool {
	offered := func(match func(Value) bool) bool {
		for _, option := range field.Options {
			if match(option.Value) {
				return true
			}
		}
		return false
	}
	if v.Kind != ValueChoices {
		return offered(func(o Value) bool { return o == v })
	}
	for _, chosen := range v.Options() {
		if !offered(func(o Value) bool { return o.String() == chosen }) {
			return false
		}
	}
	return true
}

// compareBreaks evaluates a comparison with another field. It says nothing
// while one of the two is absent or cannot be read.
func compareBreaks(op ConstraintOp, v, other Value) (MessageID, Code, bool) {
	if v.Absent() || other.Absent() || v.unread() || other.unread() {
		return MessageNone, 0, false
	}
	if op == OpEqualTo {
		differs := v != other
		if v.Kind == ValueVeiled && other.Kind == ValueVeiled {
			differs = v.Text != other.Text
		}
		return MessageEqualTo, CodeCustomError, differs
	}
	order, ok := v.Compare(other)
	if !ok {
		return MessageNone, 0, false
	}
	switch op {
	case OpGreaterThan:
		return MessageGreaterThan, CodeCustomError, order <= 0
	case OpAtLeast:
		return MessageAtLeast, CodeCustomError, order < 0
	case OpLessThan:
		return MessageLessThan, CodeCustomError, order >= 0
	default:
		return MessageAtMost, CodeCustomError, order > 0
	}
}

// unread reports whether a value is a text that cannot be parsed, also where a
// token stands for it.
func (v Value) unread() bool {
	return v.Kind == ValueUnparsed || v.Kind == ValueVeiled && codes(v.Coef).has(CodeBadInput)
}

// ruleText writes what a broken rule says: the text of the constraint, of the
// field for this code, or of the catalogue.
func (s *Session) ruleText(i int32, code Code) string {
	c := &s.cells[i]
	field := &s.form.Fields[c.field]
	arguments := textArguments{label: field.Label}
	message, own := MessageBadInput, Wording{}
	if code == CodeBadInput && field.Kind == KindInteger {
		message = MessageBadInteger
	}
	for k := range field.Constraints {
		m, broken, bad := s.breaks(i, k)
		if !bad || broken != code || c.value.Kind == ValueUnparsed {
			continue
		}
		constraint := &field.Constraints[k]
		message, own = m, constraint.Say
		arguments.limit = s.form.Format(constraint.Value)
		if field.Unit != "" {
			arguments.limit += " " + field.Unit
		}
		arguments.count = int32(min(constraint.Value.Integer(), 1<<30))
		if constraint.Op.Compares() {
			arguments.other = s.form.Fields[constraint.Other].Label
		}
		break
	}
	for _, said := range field.Says {
		if own == (Wording{}) && said.Code == code {
			own = said.Wording
		}
	}
	if own != (Wording{}) {
		return s.form.fillOwn(own, arguments)
	}
	return s.form.fill(message, arguments)
}
