package trace_test

import (
	"bytes"
	"fmt"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

// A session is recorded while it is driven. The record can be replayed anywhere, and a
// replay that goes another way is a difference.
func Example() {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	if err != nil {
		fmt.Println(err)
		return
	}
	var record bytes.Buffer
	session, opening := lifecycle.Open(source.Form, lifecycle.Seed{1})
	writer := trace.NewWriter(&record, session, opening)
	for k, event := range []lifecycle.Event{lifecycle.Edit("name", "Heron"), lifecycle.Submit("")} {
		if err := writer.Step(time.Duration(k)*time.Second, lifecycle.Drive(session, event)); err != nil {
			fmt.Println(err)
		}
	}
	read, err := trace.Read(&record)
	if err != nil {
		fmt.Println(err)
		return
	}
	difference, err := trace.Replay(source.Form, read, trace.Observer{
		After: func(at time.Duration, step lifecycle.Step) { fmt.Println(at, step.Event.Kind) },
	})
	fmt.Println(difference, err)
	// Output:
	// 0s edit
	// 1s submit
	// <nil> <nil>
}
