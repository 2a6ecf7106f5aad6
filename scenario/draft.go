package scenario

import (
	"encoding/json"
	"fmt"
	"strings"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

// Draft writes a first scenario for a form, which plays at once: what has to be
// typed is typed, then submitted twice, and accepted. Where no way to complete
// the form is found it shows that the submit is blocked.
func Draft(form *lifecycle.Form, formFile string) []byte {
	var text strings.Builder
	edits, complete := declare.Fill(form)
	name := "A second click sends nothing"
	if !complete {
		name = "An invalid form is not sent"
	}
	fmt.Fprintf(&text, "scenario: %s\nform: %q\n", name, formFile)
	if form.Prefill.URL != "" || complete {
		text.WriteString("backend:\n")
	}
	if form.Prefill.URL != "" {
		text.WriteString("  prefill:\n    - {after: 100ms, status: 200, body: {}}\n")
	}
	if complete {
		text.WriteString("  submit:\n    - {after: 900ms, status: 201}\n")
	}
	text.WriteString("timeline:\n")
	for _, e := range edits {
		if e.Kind == lifecycle.EventAddRow {
			fmt.Fprintf(&text, "  - {at: 1s, add: %s}\n", quote(e.Path))
			continue
		}
		fmt.Fprintf(&text, "  - {at: 1s, edit: {%s: %s}}\n", quote(e.Path), quote(e.Raw))
	}
	text.WriteString("  - {at: 2s, submit: true}\n")
	if complete {
		text.WriteString(`  - {at: 2050ms, submit: true}
  - {at: 2050ms, expect: {submission: sending, sendCount: 1, ignored: 1}}
  - {at: 4s, expect: {submission: accepted, unsaved: false}}
`)
	} else {
		text.WriteString("  - {at: 2s, expect: {submission: idle, sendCount: 0, said: Not sent}}\n")
	}
	return []byte(text.String())
}

func quote(s string) string {
	b, err := json.Marshal(s)
	if err != nil {
		return `""`
	}
	return string(b)
}
