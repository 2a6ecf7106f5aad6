package form

import "unicode/utf8"

// BreaksAt evaluates a constraint on the number of rows. No rows at all are an
// absent group, which only [OpRequired] minds.
func (constraint *Constraint) BreaksAt(count int) (MessageID, Code, bool) {
	switch constraint.Op {
	case OpRequired:
		return MessageNoRows, CodeValueMissing, count == 0
	case OpMinItems:
		return MessageTooFewRows, CodeRangeUnderflow, count > 0 && int64(count) < constraint.Value.Integer()
	default: // OpMaxItems: New lets no group have others
		return MessageTooManyRows, CodeRangeOverflow, int64(count) > constraint.Value.Integer()
	}
}

// Breaks evaluates the constraint k of a field on a present value: the message and the
// code of what is wrong, or false.
func (f *Form) Breaks(id FieldID, k int, v Value) (MessageID, Code, bool) {
	constraint := &f.Fields[id].Constraints[k]
	switch constraint.Op {
	case OpMinLength:
		return MessageTooShort, CodeTooShort, v.Kind == ValueText && int64(utf8.RuneCountInString(v.Text)) < constraint.Value.Integer()
	case OpMaxLength:
		return MessageTooLong, CodeTooLong, v.Kind == ValueText && int64(utf8.RuneCountInString(v.Text)) > constraint.Value.Integer()
	case OpPattern:
		return MessagePatternMismatch, CodePatternMismatch, v.Kind == ValueText && !f.keepsOne(id, k, v.Text)
	case OpFormat:
		return MessageTypeMismatch, CodeTypeMismatch, v.Kind == ValueText && !f.keepsOne(id, k, v.Text)
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

// keepsOne reports whether a text keeps the pattern or format of a constraint, or one of its alternatives.
func (f *Form) keepsOne(id FieldID, k int, text string) bool {
	rules := f.texts[id][k]
	for j := range rules {
		if rules[j].keptBy(text) {
			return true
		}
	}
	return false
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

// BreaksBeside evaluates a comparison with the value of another field. It says nothing
// while one of the two is absent or cannot be read.
func (constraint *Constraint) BreaksBeside(v, other Value) (MessageID, Code, bool) {
	op := constraint.Op
	if v.Absent() || other.Absent() || v.unread() || other.unread() {
		return MessageNone, 0, false
	}
	if op == OpEqualTo {
		differs := v != other
		if v.Kind == ValueRedacted && other.Kind == ValueRedacted {
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
	return v.Kind == ValueUnparsed || v.Kind == ValueRedacted && Codes(v.Coef).Has(CodeBadInput)
}

// RuleText writes what the constraint k of a field says when it is broken with this
// message and code: the text of the constraint, of the field for this code, or of the
// catalogue.
func (f *Form) RuleText(id FieldID, k int, message MessageID, code Code) string {
	field := &f.Fields[id]
	constraint := &field.Constraints[k]
	arguments := textArguments{label: field.Label, limit: f.Format(constraint.Value), count: int32(min(constraint.Value.Integer(), 1<<30))}
	if field.Unit != "" {
		arguments.limit += " " + field.Unit
	}
	if constraint.Op.Compares() {
		arguments.other = f.Fields[constraint.Other].Label
	}
	own := constraint.Say
	if own == (Wording{}) && len(constraint.Or) > 0 { // one text for all of them
		own = field.says(CodePatternMismatch)
	}
	if own == (Wording{}) {
		own = field.says(code)
	}
	return f.fillEither(own, message, arguments)
}

// UnreadText writes what is wrong with a text that cannot be read as the field's kind.
func (f *Form) UnreadText(id FieldID) string {
	field := &f.Fields[id]
	message := MessageBadInput
	if field.Kind == KindInteger {
		message = MessageBadInteger
	}
	return f.fillEither(field.says(CodeBadInput), message, textArguments{label: field.Label})
}

// says is the field's own text for a code.
func (field *Field) says(code Code) Wording {
	for _, said := range field.Says {
		if said.Code == code {
			return said.Wording
		}
	}
	return Wording{}
}

func (f *Form) fillEither(own Wording, message MessageID, a textArguments) string {
	if own != (Wording{}) {
		return f.fillOwn(own, a)
	}
	return f.fill(message, a)
}

// Impossible names two bounds of a field that no answer can keep both. It is empty where some answer
// can.
func (field *Field) Impossible() string {
	pairs := [...]struct {
		low, high ConstraintOp
		strict    bool // the two bounds themselves are outside
	}{
		{OpMinLength, OpMaxLength, false},
		{OpMinItems, OpMaxItems, false},
		{OpMinimum, OpMaximum, false},
		{OpMinimum, OpExclusiveMaximum, true},
		{OpExclusiveMinimum, OpMaximum, true},
		{OpExclusiveMinimum, OpExclusiveMaximum, true},
	}
	for i := range field.Constraints {
		for k := range field.Constraints {
			low, high := &field.Constraints[i], &field.Constraints[k]
			for _, pair := range pairs {
				order, ok := low.Value.Compare(high.Value)
				if low.Op == pair.low && high.Op == pair.high && ok && (order > 0 || order == 0 && pair.strict) {
					return low.Op.String() + " " + low.Value.String() + " beside " + high.Op.String() + " " + high.Value.String() + ", which no answer can keep"
				}
			}
		}
	}
	return ""
}
