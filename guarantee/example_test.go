package guarantee_test

import (
	"fmt"

	"leanwicket.dev/declare"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
)

// A watch sees each step, and says which guarantee it broke: here somebody sends the
// same application a second time, under a key of its own.
func ExampleWatch() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	session, opening := lifecycle.Open(source.Form, lifecycle.Seed{1})
	watch := guarantee.NewWatch(session, opening)
	edits, _ := sample.Fill(source.Form)
	for _, event := range append(edits, lifecycle.Submit("")) {
		lifecycle.Drive(session, event, watch)
		fmt.Println(event.Kind, watch.Breaches())
	}
	watch.Before(lifecycle.Submit(""))
	step := lifecycle.Drive(session, lifecycle.Submit(""))
	step.Effects = append(step.Effects, lifecycle.Effect{Kind: lifecycle.EffectSend, Attempt: 2, Try: 1, Key: lifecycle.Key{9}})
	watch.After(step)
	for _, breach := range watch.Breaches() {
		fmt.Println(breach.Guarantee)
	}
	// Output:
	// edit []
	// edit []
	// submit []
	// one-at-a-time
	// same-key-same-values
}
