package verify_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/sample"
	"leanwicket.dev/verify"
)

// compared draws a form of dates or numbers that are compared with one another, some of them within
// bounds.
func compared(t *rapid.T) *form.Form {
	date := rapid.Bool().Draw(t, "dates")
	ops := []form.ConstraintOp{form.OpGreaterThan, form.OpAtLeast, form.OpLessThan, form.OpAtMost, form.OpEqualTo}
	d := form.Declaration{Name: "p", Submit: form.SubmitPolicy{URL: "/p"}}
	count := rapid.IntRange(2, 3).Draw(t, "fields")
	for k := range count {
		f := form.Field{Path: fmt.Sprintf("f%d", k), Kind: form.KindInteger}
		bound := form.Number(rapid.Int64Range(-3, 12).Draw(t, "bound"), 0)
		if date {
			f.Kind = form.KindDate
			bound, _ = form.ParseDate(fmt.Sprintf("2031-05-%02d", rapid.IntRange(1, 28).Draw(t, "day")))
		}
		if rapid.Bool().Draw(t, "required") {
			f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpRequired})
		}
		if rapid.IntRange(0, 2).Draw(t, "bounded") == 0 {
			f.Constraints = append(f.Constraints, form.Constraint{Op: rapid.SampledFrom([]form.ConstraintOp{form.OpMinimum, form.OpMaximum}).Draw(t, "side"), Value: bound})
		}
		if other := rapid.IntRange(0, count-1).Draw(t, "other"); other != k {
			f.Constraints = append(f.Constraints, form.Constraint{Op: rapid.SampledFrom(ops).Draw(t, "comparison"), Other: form.FieldID(other)})
		}
		d.Fields = append(d.Fields, f)
	}
	f, err := form.New(d)
	if err != nil {
		t.Skip(err)
	}
	return f
}

// Whoever can fill a form can send it: no walk says that such a form has no way forward.
func TestWhatCanBeFilledHasAWayForward(t *testing.T) {
	long(t)
	filled := 0
	rapid.Check(t, func(t *rapid.T) {
		f := compared(t)
		if _, complete := sample.Fill(f); !complete {
			return
		}
		filled++
		report, err := verify.Verify(f, verify.Walks(f, verify.Options{Attempts: 1, Tries: 1, Loads: 1}, verify.Plan(f, 1)))
		require.NoError(t, err)
		for _, breach := range report.Breaches {
			require.NotEqual(t, guarantee.WayForward, breach.Guarantee, "%s", breach.Scenario)
		}
	})
	require.Greater(t, filled, 10)
	t.Log(filled, "filled")
}
