package form_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
)

// Two bounds that leave no answer are told, each pair with the numbers that just do.
func TestBoundsThatLeaveNoAnswer(t *testing.T) {
	for pair, least := range map[[2]form.ConstraintOp]int64{ // how far the lower has to be above the upper
		{form.OpMinLength, form.OpMaxLength}:               1,
		{form.OpMinItems, form.OpMaxItems}:                 1,
		{form.OpMinimum, form.OpMaximum}:                   1,
		{form.OpMinimum, form.OpExclusiveMaximum}:          0,
		{form.OpExclusiveMinimum, form.OpMaximum}:          0,
		{form.OpExclusiveMinimum, form.OpExclusiveMaximum}: 0,
	} {
		for above := int64(-1); above <= 2; above++ {
			field := form.Field{Constraints: []form.Constraint{
				{Op: pair[1], Value: form.Number(11, 0)}, {Op: pair[0], Value: form.Number(11+above, 0)},
			}}
			require.Equal(t, above >= least, field.Impossible() != "", "%v %d", pair, above)
		}
	}
	other := form.Field{Constraints: []form.Constraint{{Op: form.OpMinLength, Value: form.Number(9, 0)}, {Op: form.OpMaximum, Value: form.Number(3, 0)}}}
	require.Empty(t, other.Impossible(), "a length is no bound of a number")
}
