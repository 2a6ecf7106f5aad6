package verify_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/lifecycle"
	"leanwicket.dev/verify"
)

// Saved answers that the application supplies at any time break nothing, whatever the form does with what was accepted.
// A written session has them in its timeline.
func TestSuppliedAnswersBreakNothing(t *testing.T) {
	const fields = "form: berth\nschema: {properties: {vessel: {type: string}, length: {type: integer}, crew: {type: array, items: {properties: {name: {type: string}}}}}, required: [vessel]}\n"
	for name, policies := range map[string]string{
		"keeps and asks": "prefill: {own: true, ifEdited: ask}\nsubmit: {url: /berths/7, method: PUT, whileSending: edit}\n",
		"adopts":         "prefill: {own: true}\nsubmit: {url: /berths/7, method: PATCH, whileSending: edit}\naccepted: {then: adopt}\n",
		"creates":        "prefill: {url: /berths/new}\nsubmit: {url: /berths}\naccepted: {then: clear}\n",
	} {
		t.Run(name, func(t *testing.T) {
			source := formOf(t, fields+policies)
			for _, edited := range []string{"vessel", "crew/0/name"} {
				o := verify.Options{Edited: []string{edited}, Attempts: 1, Tries: 1, Loads: 1, Rows: 1, Supplied: true}
				if testing.Short() && edited != "vessel" {
					continue
				}
				o.Wanted = func(x lifecycle.Transition) bool { return x.By == lifecycle.EventSupplied }
				result := walk(t, source.Form, o)
				require.True(t, result.Complete(), result.Unfinished)
				for _, b := range result.Breaches {
					t.Error(b.Error(), "\n"+string(b.Scenario))
				}
				written := 0
				for _, r := range result.Reached {
					if r.By == lifecycle.EventSupplied {
						require.Empty(t, plays(t, source, r.Session, nil), string(r.Scenario))
						require.Contains(t, string(r.Scenario), "supply: {body: ")
						written++
					}
				}
				require.Positive(t, written)
			}
		})
	}
}
