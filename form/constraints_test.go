package form

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
)

// Each constraint below, at and above its bound: what is said, and in HTML's names what is wrong.
func TestEachConstraint(t *testing.T) {
	number := func(coefficient int64) Value { return Number(coefficient, 0) }
	bound := func(op ConstraintOp, limit int64) Constraint { return Constraint{Op: op, Value: number(limit)} }
	for _, c := range []struct {
		kind       FieldKind
		constraint Constraint
		kept       []Value
		broken     []Value
		message    MessageID
		code       Code
	}{
		{KindText, bound(OpMinLength, 3), []Value{Text("abc"), Text("äöüß")}, []Value{Text("ab"), Text("äö")}, MessageTooShort, CodeTooShort},
		{KindText, bound(OpMaxLength, 3), []Value{Text("abc"), Text("äöü")}, []Value{Text("abcd")}, MessageTooLong, CodeTooLong},
		{KindText, Constraint{Op: OpPattern, Text: "^[A-D][0-9]$"}, []Value{Text("B7")}, []Value{Text("E7"), Text("B")}, MessagePatternMismatch, CodePatternMismatch},
		{KindText, Constraint{Op: OpFormat, Text: "email"}, []Value{Text("quay@saltmarsh.example")}, []Value{Text("quay")}, MessageTypeMismatch, CodeTypeMismatch},
		{KindInteger, bound(OpMinimum, 3), []Value{number(3), number(4)}, []Value{number(2)}, MessageRangeUnderflow, CodeRangeUnderflow},
		{KindInteger, bound(OpExclusiveMinimum, 3), []Value{number(4)}, []Value{number(3), number(2)}, MessageAboveOnly, CodeRangeUnderflow},
		{KindInteger, bound(OpMaximum, 3), []Value{number(3), number(2)}, []Value{number(4)}, MessageRangeOverflow, CodeRangeOverflow},
		{KindInteger, bound(OpExclusiveMaximum, 3), []Value{number(2)}, []Value{number(3), number(4)}, MessageBelowOnly, CodeRangeOverflow},
		{KindInteger, bound(OpMultipleOf, 3), []Value{number(0), number(6)}, []Value{number(4)}, MessageStepMismatch, CodeStepMismatch},
		{KindChoice, Constraint{Op: OpEnum}, []Value{Text("water")}, []Value{Text("rum")}, MessageNoOption, CodeTypeMismatch},
		{KindChoices, bound(OpMinItems, 2), []Value{Choices("fuel\nwater")}, []Value{Choices("water")}, MessageTooFewRows, CodeRangeUnderflow},
		{KindChoices, bound(OpMaxItems, 1), []Value{Choices("water")}, []Value{Choices("fuel\nwater")}, MessageTooManyRows, CodeRangeOverflow},
		{KindText, Constraint{Op: OpEqual, Value: Text("Egret")}, []Value{Text("Egret")}, []Value{Text("Heron")}, MessageTypeMismatch, CodeTypeMismatch},
	} {
		field := Field{Path: "a", Kind: c.kind, Constraints: []Constraint{c.constraint}}
		if c.kind == KindChoice || c.kind == KindChoices {
			field.Options = []Option{{Value: Text("water")}, {Value: Text("fuel")}}
		}
		f, err := New(Declaration{Name: "f", Fields: []Field{field}, Buttons: []string{"send"}})
		require.NoError(t, err)
		for k, v := range append(c.kept, c.broken...) {
			message, code, breaks := f.Breaks(0, 0, v)
			why := fmt.Sprint(c.constraint.Op, " ", c.constraint.Value, " of ", v)
			require.Equal(t, k >= len(c.kept), breaks, why)
			if breaks {
				require.Equal(t, c.message, message, why)
				require.Equal(t, c.code, code, why)
			}
		}
	}
}

// Rows are counted: no rows at all are an absent group.
func TestConstraintsOnRows(t *testing.T) {
	for _, c := range []struct {
		constraint Constraint
		broken     [4]bool // with 0, 1, 2 and 3 rows
		message    MessageID
		code       Code
	}{
		{Constraint{Op: OpRequired}, [4]bool{true, false, false, false}, MessageNoRows, CodeValueMissing},
		{Constraint{Op: OpMinItems, Value: Number(2, 0)}, [4]bool{false, true, false, false}, MessageTooFewRows, CodeRangeUnderflow},
		{Constraint{Op: OpMaxItems, Value: Number(2, 0)}, [4]bool{false, false, false, true}, MessageTooManyRows, CodeRangeOverflow},
	} {
		for count, want := range c.broken {
			message, code, breaks := c.constraint.BreaksAt(count)
			require.Equal(t, want, breaks, "%v of %d rows", c.constraint.Op, count)
			if breaks {
				require.Equal(t, c.message, message)
				require.Equal(t, c.code, code)
			}
		}
	}
}

// Comparisons say nothing while one of the two is missing or cannot be read.
func TestComparisons(t *testing.T) {
	for _, c := range []struct {
		op      ConstraintOp
		broken  [3]bool // below, at and above the other
		message MessageID
	}{
		{OpGreaterThan, [3]bool{true, true, false}, MessageGreaterThan},
		{OpAtLeast, [3]bool{true, false, false}, MessageAtLeast},
		{OpLessThan, [3]bool{false, true, true}, MessageLessThan},
		{OpAtMost, [3]bool{false, false, true}, MessageAtMost},
		{OpEqualTo, [3]bool{true, false, true}, MessageEqualTo},
	} {
		constraint := Constraint{Op: c.op}
		for k, want := range c.broken {
			message, code, breaks := constraint.BreaksBeside(Number(int64(4+k), 0), Number(5, 0))
			require.Equal(t, want, breaks, "%v, %d", c.op, 4+k)
			if breaks {
				require.Equal(t, c.message, message)
				require.Equal(t, CodeCustomError, code)
			}
		}
		unread := Value{Kind: ValueUnparsed, Text: "soon"}
		for _, pair := range [][2]Value{{{}, Number(5, 0)}, {Number(4, 0), {}}, {unread, Number(5, 0)}, {Number(4, 0), unread}} {
			_, _, breaks := constraint.BreaksBeside(pair[0], pair[1])
			require.False(t, breaks, "%v", pair)
		}
	}
}
