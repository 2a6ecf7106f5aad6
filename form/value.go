package form

import (
	"cmp"
	"strings"
)

// ValueKind says what a Value is.
type ValueKind uint8

// The kinds of values.
const (
	ValueAbsent   ValueKind = iota // no answer: an empty text, an unticked box
	ValueText                      // Text
	ValueNumber                    // Coef × 10^Exp, without trailing zeros in Coef
	ValueBoolean                   // Coef 1 is true; false is absent, except in a body that is sent
	ValueDate                      // Coef in days since 1970-01-01
	ValueTime                      // Coef in microseconds since midnight, Exp the offset in minutes
	ValueDateTime                  // Coef in microseconds since 1970-01-01T00:00Z, Exp the offset in minutes
	ValueChoices                   // Text: the chosen options in the declared order, one a line
	ValueFile                      // Text: the name, as the file control gives it
	ValueUnparsed                  // Text: what was typed and is none of the above (badInput)
	ValueRedacted                  // Text: the token of a private value in a trace; Coef the codes of the rules it breaks
)

// NoOffset is the Exp of a time that was given without an offset from UTC, as
// the browser's own time controls give it.
const NoOffset = 1 << 15

// Value is one answer, parsed. Values are comparable: two answers are equal
// when their Values are ("9.40" and "9.4" are the same number).
type Value struct {
	Kind ValueKind
	Exp  int32
	Coef int64
	Text string
}

// Text returns the value of a text answer; the empty text is absent.
func Text(s string) Value {
	if s == "" {
		return Value{}
	}
	return Value{Kind: ValueText, Text: s}
}

// Number returns coef × 10^exp in its only form: no trailing zeros in Coef.
func Number(coef int64, exp int32) Value {
	if coef == 0 {
		return Value{Kind: ValueNumber}
	}
	for coef%10 == 0 {
		coef /= 10
		exp++
	}
	return Value{Kind: ValueNumber, Coef: coef, Exp: exp}
}

// True is the value of a ticked box. An unticked box is absent: Value{}.
func True() Value { return Value{Kind: ValueBoolean, Coef: 1} }

// Choices returns the value of several chosen options, which the caller gives
// in the declared order.
func Choices(options ...string) Value {
	if len(options) == 0 {
		return Value{}
	}
	return Value{Kind: ValueChoices, Text: strings.Join(options, "\n")}
}

// Absent reports whether there is no answer.
func (v Value) Absent() bool { return v.Kind == ValueAbsent }

// Count is the number of chosen options of a ValueChoices.
func (v Value) Count() int {
	if v.Kind != ValueChoices {
		return 0
	}
	return strings.Count(v.Text, "\n") + 1
}

// Options returns the chosen options of a ValueChoices.
func (v Value) Options() []string {
	if v.Kind != ValueChoices {
		return nil
	}
	return strings.Split(v.Text, "\n")
}

// Compare orders two values of the same kind: negative where v is less. It
// reports false where they have no order (texts, files, different kinds).
// Times without an offset are compared as if in UTC.
func (v Value) Compare(w Value) (int, bool) {
	if v.Kind != w.Kind {
		return 0, false
	}
	switch v.Kind {
	case ValueNumber:
		return compareNumbers(v, w), true
	case ValueDate:
		return cmp.Compare(v.Coef, w.Coef), true
	case ValueTime, ValueDateTime:
		return cmp.Compare(v.instant(), w.instant()), true
	default:
		return 0, false
	}
}

// instant is Coef in UTC. Coef is kept as written, with the offset beside it.
func (v Value) instant() int64 {
	if v.Exp == NoOffset {
		return v.Coef
	}
	return v.Coef - int64(v.Exp)*microsPerMinute
}

// String returns the value as text, in the form in which it would be typed
// with a decimal point: what a control shows for a value that nobody typed.
func (v Value) String() string {
	switch v.Kind {
	case ValueText, ValueChoices, ValueFile, ValueUnparsed, ValueRedacted:
		return v.Text
	case ValueNumber:
		return string(appendNumber(nil, v))
	case ValueBoolean:
		if v.Coef == 0 {
			return "false"
		}
		return "true"
	case ValueDate, ValueTime, ValueDateTime:
		return string(appendClock(nil, v))
	default:
		return ""
	}
}
