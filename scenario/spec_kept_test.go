package scenario

import "testing"

// What is owed is not forgotten: a version that an acceptance did not bring, what
// follows an acceptance, and an answer that waited.
func TestRulesOfWhatIsOwed(t *testing.T) {
	const puts = "prefill: {url: /r, timeout: 5s}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 2s}\n"
	const record = "backend:\n  prefill: [{after: 10ms, status: 200, headers: {ETag: v1}, body: {a: Heron, b: quay}}"
	check(t, map[string]rule{
		"an acceptance without a version loads again, and holds till then": {puts, record + `, {after: 3s, status: 200, headers: {ETag: v3}, body: {a: Tern, b: theirs}}]
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200, headers: {ETag: v4}}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, loadCount: 2, holds: [loading]}}
  - {at: 4s, edit: {a: Gull}}
  - {at: 4s, submit: true}
  - {at: 4s, expect: {sendCount: 1}}
  - {at: 6s, expect: {holds: [], values: {a: Gull, b: theirs}}}
  - {at: 7s, submit: true}
  - {at: 8s, expect: {submission: accepted, sendCount: 2}}
`},
		"a version that no load brings holds what is next": {puts, record + `, {after: 10ms, status: 500}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, holds: [prefill-missing]}}
`},
		"clear waits where newer values are held, and a reset clears": {puts + "accepted: {then: clear}\n", record + `]
  submit: [{after: 1s, broken: true}, {after: 1s, status: 200, headers: {ETag: v2}}]
timeline:
  - {at: 1s, edit: {a: one}}
  - {at: 2s, submit: true}
  - {at: 4s, edit: {b: new}}
  - {at: 5s, submit: true}
  - {at: 5500ms, edit: {a: far too long}}
  - {at: 7s, expect: {submission: accepted, dirty: [a, b], sendCount: 2}}
  - {at: 8s, reset: true}
  - {at: 8s, expect: {values: {a: null, b: null}, unsaved: false}}
`},
		"clear waits where the checks of newer values are given up": {"fields: {b: {check: {url: \"/c/{value}\", delay: 0, timeout: 20s}}}\n" + puts + "accepted: {then: clear}\n", record + `, {after: 10ms, status: 200, headers: {ETag: v3}, body: {a: two, b: new}}]
  checks: {b: [{never: true}]}
  submit: [{after: 1s, broken: true}, {after: 1s, status: 200, headers: {ETag: v2}}]
timeline:
  - {at: 1s, edit: {a: one}}
  - {at: 2s, submit: true}
  - {at: 4s, edit: {a: two}}
  - {at: 5s, submit: true}
  - {at: 5500ms, edit: {b: new}}
  - {at: 6500ms, refresh: true}
  - {at: 7s, expect: {submission: checking, values: {a: two, b: new}}}
  - {at: 8s, cancel: true}
  - {at: 8s, expect: {values: {a: two, b: new}, unsaved: false}}
  - {at: 9s, reset: true}
  - {at: 9s, expect: {values: {a: null, b: null}, unsaved: false}}
`},
		"navigate is not taken where newer values are held": {puts + "accepted: {then: navigate, to: /done}\n", record + `]
  submit: [{after: 1s, broken: true}, {after: 1s, status: 200, headers: {ETag: v2}}]
timeline:
  - {at: 1s, edit: {a: one}}
  - {at: 2s, submit: true}
  - {at: 4s, edit: {b: new}}
  - {at: 5s, submit: true}
  - {at: 5500ms, edit: {a: far too long}}
  - {at: 7s, reset: true}
  - {at: 7s, expect: {leave: present, values: {a: one, b: quay}, unsaved: false}}
`},
		"an acceptance under the question at leaving goes where the applicant wanted": {"submit: {url: /s}\naccepted: {then: navigate, to: /done}\n", `backend: {submit: [{after: 2s, status: 201}]}
timeline:
  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 3s, leave: /tides}
  - {at: 5s, expect: {leave: gone, destination: /tides}}
`},
		"an answer that waited is merged when the check of a submit is given up": {"fields: {a: {check: {url: \"/c/{value}\", delay: 0, timeout: 20s}}}\n" + puts, record + `, {after: 1s, status: 200, headers: {ETag: v2}, body: {a: Heron, b: theirs}}]
  checks: {a: [{never: true}]}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, refresh: true}
  - {at: 2500ms, submit: true}
  - {at: 4s, expect: {submission: checking, values: {b: quay}}}
  - {at: 5s, cancel: true}
  - {at: 5s, expect: {submission: idle, values: {a: Tern, b: theirs}}}
`},
		"an answer that waited is merged when the submit is blocked after its check": {"fields: {a: {check: {url: \"/c/{value}\", delay: 0, timeout: 20s}}}\n" + puts, record + `, {after: 1s, status: 200, headers: {ETag: v2}, body: {a: Heron, b: theirs}}]
  checks: {a: [{after: 5s, status: 422, body: {errors: {a: No.}}}]}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, refresh: true}
  - {at: 2500ms, submit: true}
  - {at: 4s, expect: {submission: checking, values: {b: quay}}}
  - {at: 7s, expect: {submission: idle, values: {a: Tern, b: theirs}, issues: {a: [customError]}}}
`},
	})
}
