package verify_test

import (
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func formOf(t *testing.T, text string) *declare.Source {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(text)}}, "f.form.yaml")
	require.NoError(t, err)
	return source
}

func TestHarbourFormsKeepEveryGuarantee(t *testing.T) {
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		result, err := verify.Walk(source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 1})
		require.NoError(t, err)
		require.True(t, result.Complete(), name)
		require.Greater(t, result.States, 100, name)
		for _, b := range result.Breaches {
			t.Error(name, b.Error(), "\n"+string(b.Scenario))
		}
		again, err := verify.Walk(source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 1})
		require.NoError(t, err)
		require.Equal(t, [3]int{result.States, result.Transitions, result.Depth}, [3]int{again.States, again.Transitions, again.Depth})
	}
}

func TestTwoAttemptsTwoTries(t *testing.T) {
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string, maxLength: 6}}, required: [a]}\nsubmit: {method: PUT, whileSending: edit, timeout: 2s}\n")
	result, err := verify.Walk(source.Form, verify.Options{})
	require.NoError(t, err)
	require.True(t, result.Complete())
	require.Empty(t, result.Breaches)
	require.Greater(t, result.States, 1_000)
}

func TestFormsThatNobodyCanCompleteAreFound(t *testing.T) {
	for name, text := range map[string]string{
		"comparisons":  "form: f\nschema: {properties: {from: {type: string, format: date}, to: {type: string, format: date}}, required: [from, to]}\nfields: {from: {rules: [{greaterThan: to}]}, to: {rules: [{greaterThan: from}]}}\n",
		"bounds":       "form: f\nschema: {properties: {n: {type: number, minimum: 5, maximum: 4}}, required: [n]}\n",
		"never loaded": "form: f\nschema: {properties: {n: {type: integer, multipleOf: 3, exclusiveMinimum: 3, exclusiveMaximum: 6}}, required: [n]}\nprefill: {url: /n}\n",
	} {
		source := formOf(t, text)
		result, err := verify.Walk(source.Form, verify.Options{Attempts: 1, Loads: 1})
		require.NoError(t, err)
		require.Len(t, result.Breaches, 1, name)
		b := result.Breaches[0]
		require.Equal(t, lifecycle.WayForward, b.Guarantee, name)
		s, err := scenario.With(source, "b.scenario.yaml", b.Scenario)
		require.NoError(t, err, string(b.Scenario))
		require.Empty(t, scenario.Play(s, scenario.Options{}).Failures, string(b.Scenario))
	}
}

func TestAWalkStopsAtItsLimit(t *testing.T) {
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string}}}\n")
	result, err := verify.Walk(source.Form, verify.Options{States: 50})
	require.NoError(t, err)
	require.False(t, result.Complete())
	stop := make(chan struct{})
	close(stop)
	result, err = verify.Walk(source.Form, verify.Options{Stop: stop})
	require.NoError(t, err)
	require.False(t, result.Complete())
}

func TestWaivedGuaranteesAreTold(t *testing.T) {
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string}}}\nleave: {when: never}\n")
	result, err := verify.Walk(source.Form, verify.Options{Attempts: 1, Tries: 1})
	require.NoError(t, err)
	require.Empty(t, result.Breaches)
	require.Len(t, result.Waived, 1)
	require.Equal(t, lifecycle.AskBeforeLoss, result.Waived[0].Guarantee)
	require.NotEmpty(t, result.Waived[0].Scenario)
}
