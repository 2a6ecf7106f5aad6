package sample_test

import (
	"fmt"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
)

func open(t require.TestingT, schema string) *form.Form {
	text := "form: p\nschema: {properties: " + schema + "}\n"
	source, err := declare.OpenFS(fstest.MapFS{"p.form.yaml": {Data: []byte(text)}}, "p.form.yaml")
	require.NoError(t, err)
	return source.Form
}

// Trials and walks need two texts of a field, where its rules allow two.
func TestTwoSamples(t *testing.T) {
	for _, text := range []string{"pattern: '^[1-9][A-F]$'", "pattern: '^[A-D][0-9]{1,2}$'", "pattern: '^(fish|boat)$'", "format: email", "maxLength: 1", "minLength: 40"} {
		require.Len(t, sample.Some(open(t, "{a: {type: string, "+text+"}}"), 0, 2), 2, text)
	}
}

// Nothing holds the submit of a form that is filled.
func ExampleFill() {
	source, err := declare.OpenFS(fstest.MapFS{"visit.form.yaml": {Data: []byte(`form: visit
schema:
  properties:
    vessel: {type: string, minLength: 2}
    nights: {type: integer, minimum: 3}
  required: [vessel, nights]
`)}}, "visit.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	edits, complete := sample.Fill(source.Form)
	session, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
	for _, edit := range edits {
		fmt.Println(edit.Path, edit.Raw)
		if _, err := session.Apply(edit); err != nil {
			fmt.Println(err)
		}
	}
	_, err = session.Apply(lifecycle.Submit(""))
	fmt.Println(complete, session.Submission(), err)
	// Output:
	// vessel Heron
	// nights 10
	// true sending <nil>
}
