package replies_test

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/replies"
)

// A refusal names fields as its server does; each entry is placed on the form.
func ExampleSubmit() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	reply := replies.Submit(source.Form, replies.Response{
		Status: 422,
		Body:   map[string]any{"errors": map[string]any{"name": "This name is taken.", "tide": "The tide is too low."}},
	})
	fmt.Println(reply.Kind)
	for _, entry := range reply.Entries {
		fmt.Printf("%q %s\n", entry.Path, entry.Text)
	}
	// Output:
	// refused
	// "name" This name is taken.
	// "" The tide is too low.
}
