package verify_test

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/verify"
)

// A walk visits every state that a form can reach, and lists what breaks.
func ExampleWalk() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	result, err := verify.Walk(source.Form, verify.Options{Edited: []string{"name"}, Attempts: 1, Tries: 1})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(result.Edited, len(result.Breaches), "broken")
	// Output:
	// [name] 0 broken
}
