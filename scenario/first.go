package scenario

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
)

// First writes a first scenario for a form, which can be played at once. Its applicant types what has to be
// typed, presses submit twice, and is accepted. Where First finds no way to complete
// the form, the scenario shows that the submit is blocked.
func First(form *form.Form, formFile string) []byte {
	var text strings.Builder
	edits, complete := sample.Fill(form)
	name := "A second click sends nothing"
	if !complete {
		name = "An invalid form is not sent"
	}
	fmt.Fprintf(&text, "scenario: %s\nform: %q\n", name, formFile)
	checks := checkedEdits(form, edits)
	if form.Prefill.Loads() || complete || checks != "" {
		text.WriteString("backend:\n")
	}
	if form.Prefill.Loads() {
		const load = "    - {after: 100ms, status: 200, body: {}}\n"
		text.WriteString("  prefill:\n" + load)
		if complete && form.Submit.Undeclared && slices.ContainsFunc(edits, func(e lifecycle.Event) bool { return e.Kind == lifecycle.EventAddRow }) {
			text.WriteString(load) // what the office has given to the new rows
		}
	}
	if complete {
		text.WriteString("  submit:\n    - {after: 900ms, status: 201}\n")
	}
	text.WriteString(checks)
	text.WriteString("timeline:\n")
	for _, e := range edits {
		if e.Kind == lifecycle.EventAddRow {
			fmt.Fprintf(&text, "  - {at: 1s, add: %s}\n", quote(e.Path))
			continue
		}
		fmt.Fprintf(&text, "  - {at: 1s, edit: {%s: %s}}\n", quote(e.Path), quote(e.Raw))
	}
	submit := 2 * time.Second
	for k := range form.Declared() {
		submit += form.Fields[k].Check.Delay
	}
	at := func(after time.Duration) string { return (submit + after).String() }
	fmt.Fprintf(&text, "  - {at: %s, submit: true}\n", at(0))
	if complete {
		second := at(50 * time.Millisecond)
		fmt.Fprintf(&text, "  - {at: %s, submit: true}\n", second)
		fmt.Fprintf(&text, "  - {at: %s, expect: {submission: sending, sendCount: 1, ignored: 1}}\n", second)
		fmt.Fprintf(&text, "  - {at: %s, expect: {submission: accepted, unsaved: false}}\n", at(2*time.Second))
	} else {
		fmt.Fprintf(&text, "  - {at: %s, expect: {submission: idle, sendCount: 0, said: Not sent}}\n", at(0))
	}
	return []byte(text.String())
}

// checkedEdits writes the answers to the checks that edits at one moment start.
// Of several edits of a field only the last one is checked, unless the check has no delay.
func checkedEdits(form *form.Form, edits []lifecycle.Event) string {
	count := map[string]int{}
	var order []string
	for _, e := range edits {
		place, ok := form.Lookup(e.Path)
		if !ok || form.Fields[place.Field].Check.URL == "" {
			continue
		}
		if count[e.Path] == 0 {
			order = append(order, e.Path)
		}
		if count[e.Path] == 0 || form.Fields[place.Field].Check.Delay == 0 {
			count[e.Path]++
		}
	}
	if len(order) == 0 {
		return ""
	}
	text := "  checks:\n"
	for _, path := range order {
		text += "    " + quote(path) + ": [" + strings.Repeat("{after: 10ms, status: 200}, ", count[path]-1) + "{after: 10ms, status: 200}]\n"
	}
	return text
}

func quote(s string) string {
	b, err := json.Marshal(s)
	if err != nil {
		return `""`
	}
	return string(b)
}
