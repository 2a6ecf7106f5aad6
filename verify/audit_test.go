package verify_test

import (
	"os"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/harbour"
	events "leanwicket.dev/internal/walk"
	"leanwicket.dev/verify"
)

// Whatever follows a state as it was reached follows its canonical state as well: after each step of
// any session of any form, and of walks over the forms of the harbour.
func TestWhatIsLeftOutMakesNoDifference(t *testing.T) {
	long(t)
	audited := 0
	audit := func(t require.TestingT, o verify.Options, walk func(verify.Options) (*verify.Result, error)) {
		verify.AuditAll(&o)
		result, err := walk(o)
		require.NoError(t, err)
		require.Empty(t, result.Differs)
		audited += result.Audited
	}
	t.Run("any session of any form", rapid.MakeCheck(func(t *rapid.T) {
		f := events.Form(t)
		number := func(what string) int { return rapid.IntRange(1, 2).Draw(t, what) }
		plan := verify.Plan(f, number("fields at a time"))
		if len(plan) == 0 {
			return
		}
		o := verify.Options{Attempts: number("attempts"), Tries: number("tries"), Loads: number("loads"), Rows: number("rows"), Edited: rapid.SampledFrom(plan).Draw(t, "edited")}
		steps, difference, err := verify.AuditSession(f, o, 40, func(of int) int { return rapid.IntRange(0, of-1).Draw(t, "choice") })
		require.NoError(t, err)
		require.Empty(t, difference)
		audited += steps
	}))
	if os.Getenv("LONG") != "" { // what takes many steps to come about
		t.Run("wide walks of any form", rapid.MakeCheck(func(t *rapid.T) {
			f := events.Form(t)
			for _, o := range verify.Walks(f, verify.Options{Attempts: 2, Tries: 2, Loads: 2, Rows: 2, States: 30_000}, verify.Plan(f, 2)) {
				result, err := verify.Walk(f, o)
				require.NoError(t, err)
				require.Empty(t, result.Differs)
			}
		}))
	}
	for _, name := range harbour.Forms() {
		source, walks := bounds(t, name)
		for _, o := range walks {
			o.States = 500
			audit(t, o, func(o verify.Options) (*verify.Result, error) { return verify.Walk(source.Form, o) })
		}
	}
	alike := formOf(t, "form: f\nschema: {properties: {a: {type: string}, b: {type: string}, c: {type: string}}}\nprefill: {url: /a}\n").Form
	audit(t, verify.Options{Attempts: 1, Tries: 2, Loads: 1, States: 3000, Edited: []string{"a", "b", "c"}}, func(o verify.Options) (*verify.Result, error) { return verify.Walk(alike, o) })
	// A refusal of an earlier page's attempt waits for a row that never comes back.
	rows := formOf(t, "form: f\nschema: {required: [pieces], properties: {pieces: {type: array, minItems: 1, items: {properties: {kind: {enum: [bowl, mug]}}, required: [kind]}}}}\nsubmit: {url: /a}\n").Form
	audit(t, verify.Options{Attempts: 1, Tries: 2, Rows: 1, Earlier: true, States: 1000, Edited: []string{"pieces/0/kind"}}, func(o verify.Options) (*verify.Result, error) { return verify.Walk(rows, o) })
	require.Greater(t, audited, 10_000)
	t.Log(audited, "steps audited")
}
