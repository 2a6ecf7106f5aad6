package form_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
)

// An opening's own defaults go over the declared ones, a number of rows over all rows of its group; the form is
// the same one by its fingerprint, and a form that loads stays as it is.
func TestOpening(t *testing.T) {
	d := form.Declaration{
		Name: "crate",
		Fields: []form.Field{
			{Path: "owner", Kind: form.KindText},
			{Path: "place", Kind: form.KindText},
			{Path: "pots", Kind: form.KindRows},
			{Path: "pots/*/name", Kind: form.KindText},
			{Path: "lids", Kind: form.KindRows},
			{Path: "lids/*/name", Kind: form.KindText},
		},
		Submit: form.SubmitPolicy{URL: "/crates", Method: "POST"},
	}
	at := func(field form.FieldID, row int32, v form.Value) form.Answer {
		return form.Answer{Place: form.Place{Field: field, Row: row}, Value: v}
	}
	two, one := form.Number(2, 0), form.Number(1, 0)
	d.Defaults = []form.Answer{
		at(0, -1, form.Text("Ida")), at(1, -1, form.Text("shed")),
		at(2, -1, two), at(2+1, -1, form.Text("any")), at(3, 0, form.Text("bowl")), at(3, 1, form.Text("jug")), at(4, -1, one), at(5, 0, form.Text("flat")),
	}
	f, err := form.New(d)
	require.NoError(t, err)
	own := []form.Answer{at(0, -1, form.Text("Bo")), at(2, -1, one), at(3, 0, form.Text("cup"))}
	opened := f.Opening(own)
	require.ElementsMatch(t, append([]form.Answer{
		at(1, -1, form.Text("shed")), at(3, -1, form.Text("any")), at(4, -1, one), at(5, 0, form.Text("flat")),
	}, own...), opened.Defaults)
	require.Equal(t, own, opened.OpeningDefaults())
	require.Equal(t, f.LifecycleFingerprint(), opened.LifecycleFingerprint())
	require.Len(t, f.Defaults, 8, "the form itself is as it was")
	require.Same(t, f, f.Opening(nil))
	d.Prefill.URL = "/crates/7"
	loads, err := form.New(d)
	require.NoError(t, err)
	require.Same(t, loads, loads.Opening(own))
}

// Whoever made a declaration can go on with it: the form has its own tables.
func TestAFormHasItsOwnTables(t *testing.T) {
	d := form.Declaration{Name: "kiln", Buttons: []string{"fire"}, Fields: []form.Field{{Path: "heat", Kind: form.KindNumber, Constraints: []form.Constraint{{Op: form.OpMinimum, Value: form.Number(600, 0)}}}}}
	f, err := form.New(d)
	require.NoError(t, err)
	before := f.LifecycleFingerprint()
	d.Fields[0].Path, d.Fields[0].Constraints[0].Value, d.Buttons[0] = "cold", form.Number(0, 0), "cool"
	require.Equal(t, before, f.LifecycleFingerprint())
}
