package scenario_test

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/scenario"
)

// A scenario is played in virtual time; in a test its failures are the test's.
func ExamplePlay() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	story, err := scenario.With(source, "second-click.scenario.yaml", []byte(`
scenario: The second click sends nothing
form: berth.form.yaml
backend:
  submit: [{after: 400ms, status: 201}]
timeline:
  - {at: 1s, edit: {name: Heron, length: "9.40"}}
  - {at: 2s, submit: true}
  - {at: 2100ms, submit: true}
  - {at: 4s, expect: {submission: accepted, sendCount: 2}}
`))
	if err != nil {
		fmt.Println(err)
		return
	}
	for _, failure := range scenario.Play(story, scenario.Options{}).Failures {
		fmt.Printf("expected %s, found %s\n", failure.Expected, failure.Found)
	}
	// Output:
	// expected sendCount 2, found 1
}
