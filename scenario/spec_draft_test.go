package scenario

import (
	"strings"
	"testing"
)

// The page that opens with what an earlier page kept is the page that was left.
func TestRulesOfWhatAnEarlierPageKept(t *testing.T) {
	const puts = "prefill: {url: /r, needed: true, timeout: 1s}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 2s}\n"
	const ask = "prefill: {url: /r, needed: true, timeout: 1s, ifEdited: ask}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 2s}\n"
	load := func(bodies ...string) string {
		return strings.Replace(loads(bodies...), "after: 10ms", "after: 500ms", -1)
	}
	const two = "{a: Heron, rows: [{x: Ada, y: cook}, {x: Ben, y: mate}]}"
	const answered = "  submit: [{after: 100ms, status: 200, headers: {ETag: v9}}]\n"
	const oneCell = "draft: {values: {rows/0/x: Ann}, baseline: {rows/0/x: Ada}}\n"
	check(t, map[string]rule{
		"a removal of all rows is not undone, and its repeat is the same": {puts, load(two) + answered + `draft: {values: {rows: []}, baseline: {rows: [{x: Ada, y: cook}, {x: Ben, y: mate}]}, attempt: {version: v1, values: {a: Heron, rows: []}}}
timeline:
  - {at: 1s, expect: {prefill: ready, submission: unsettled, values: {rows: null}}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, keyCount: 1, values: {rows: null}, unsaved: false}}
`},
		"a repeat before the load carries its rows": {puts, load(two, "{a: Heron, rows: [{x: Ann, y: cook}, {x: Ben, y: mate}]}") + answered + `draft: {values: {rows/0/x: Ann}, baseline: {rows/0/x: Ada}, attempt: {version: v1, values: {a: Heron, rows: [{x: Ann, y: cook}, {x: Ben, y: mate}]}}}
timeline:
  - {at: 100ms, retry: true}
  - {at: 110ms, expect: {sentValues: {a: Heron, rows/0/x: Ann, rows/1/y: mate}}}
  - {at: 2s, expect: {submission: accepted, values: {a: Heron, rows: [{x: Ann, y: cook}, {x: Ben, y: mate}]}, unsaved: false}}
`},
		"answers wait for their rows after a load that failed": {puts, `backend: {prefill: [{after: 100ms, status: 500}, {after: 100ms, status: 200, body: ` + two + `}]}
` + oneCell + `timeline:
  - {at: 500ms, expect: {prefill: failed, unsaved: true, holds: [prefill-missing], values: {rows: null}, waiting: [rows/0/x]}}
  - {at: 500ms, leave: /tides}
  - {at: 500ms, expect: {asking: unsaved}}
  - {at: 600ms, answerLeave: stay}
  - {at: 1s, refresh: true}
  - {at: 2s, expect: {values: {rows: [{x: Ann, y: cook}, {x: Ben, y: mate}]}, dirty: [rows/0/x], holds: []}}
`},
		"what an open attempt had sent is no news in the load": {ask, load("{a: Sent}") + `draft: {values: {a: Later}, baseline: {a: Old}, attempt: {version: v1, values: {a: Sent}}}
timeline:
  - {at: 1s, expect: {submission: unsettled, contested: [], values: {a: Later}, dirty: [a]}}
`},
		"what an open attempt had sent in a row is no news to the answer that waited for it": {ask, load("{rows: [{x: Sent, y: cook}]}") + `draft: {values: {rows/0/x: Later}, baseline: {rows/0/x: Old}, attempt: {version: v1, values: {rows: [{x: Sent, y: cook}]}}}
timeline:
  - {at: 1s, expect: {submission: unsettled, contested: [], values: {rows: [{x: Later, y: cook}]}, dirty: [rows/0/x]}}
`},
		"an answer that waits can be typed anew": {puts, load(two) + oneCell + `timeline:
  - {at: 100ms, edit: {rows/0/x: Amy}}
  - {at: 1s, expect: {values: {rows: [{x: Amy, y: cook}, {x: Ben, y: mate}]}}}
`},
		"a clear at a reset takes a load that was kept, too": {"prefill: {url: /r, timeout: 1s}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 2s}\naccepted: {then: clear}\nfields: {b: {check: {url: \"/c/{value}\", delay: 1s, timeout: 9s}}}\n", `backend: {prefill: [{after: 10ms, status: 200, headers: {ETag: v1}, body: {a: Heron}}, {after: 10ms, status: 200, headers: {ETag: v2}, body: {a: Heron}}, {after: 10ms, status: 200, headers: {ETag: v3}, body: {a: Tern}}], submit: [{after: 500ms, status: 200}], checks: {b: [{never: true}]}}
timeline:
  - {at: 1s, submit: true}
  - {at: 1200ms, edit: {b: quay}}
  - {at: 2s, expect: {submission: accepted, values: {a: Heron, b: quay}}}
  - {at: 2s, submit: true}
  - {at: 2100ms, refresh: true}
  - {at: 2500ms, expect: {submission: checking}}
  - {at: 3s, reset: true}
  - {at: 4s, expect: {submission: idle, values: {a: null, b: null}, unsaved: false}}
`},
		"a reset drops what waits": {puts, load(two) + oneCell + `timeline:
  - {at: 100ms, reset: true}
  - {at: 1s, expect: {values: {rows: [{x: Ada, y: cook}, {x: Ben, y: mate}]}, unsaved: false}}
`},
		"the answers of a row that is gone share one row at the end": {ask, load("{rows: [{x: Ada, y: cook}]}") + `draft: {values: {rows/1/x: Bo, rows/1/y: mate, rows/2/x: ""}, baseline: {rows/1/x: Ben, rows/1/y: cook, rows/2/x: Cy}}
timeline:
  - {at: 1s, expect: {values: {rows: [{x: Ada, y: cook}, {x: Bo, y: mate}]}, contested: [rows]}}
`},
		"an answer that waited meets a newer value": {ask, load("{rows: [{x: Eve, y: cook}]}") + oneCell + `timeline:
  - {at: 1s, expect: {values: {rows: [{x: Ann, y: cook}]}, contested: [rows/0/x], holds: [contested]}}
`},
		"without a prefill the opening places what is kept": {"defaults: {rows: [{x: Skipper}]}\nsubmit: {url: /s}\n", `draft: {values: {rows/0/y: mate, rows/3/x: Bo}}
timeline:
  - {at: 0, expect: {values: {rows: [{x: Skipper, y: mate}, {x: Bo}]}}}
`},
		"what is restored stays through the load, whatever it equals": {puts, load("{a: Heron, b: theirs}") + `draft: {values: {a: "", b: quay}, baseline: {b: quay}}
timeline:
  - {at: 1s, expect: {values: {a: null, b: quay}, dirty: [a, b], touched: [a, b]}}
`},
		"newer values do not go before the record has loaded": {"prefill: {url: /r, timeout: 9s}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 2s}\n", `backend: {prefill: [{after: 3s, status: 200, headers: {ETag: v1}, body: {a: Heron, b: quay}}], submit: [{after: 5s, status: 200, headers: {ETag: v2}}, {after: 100ms, status: 200, headers: {ETag: v3}}, {after: 100ms, status: 200, headers: {ETag: v4}}]}
draft: {values: {a: Tern}, baseline: {a: Heron}, attempt: {version: v1, values: {a: Tern, b: quay}}}
timeline:
  - {at: 1s, edit: {a: Gull}}
  - {at: 1s, submit: true}
  - {at: 1s, expect: {submission: unsettled, sendCount: 0, holds: [loading], said: still on their way}}
  - {at: 2s, retry: true}
  - {at: 4500ms, expect: {submission: unsettled, holds: [], values: {a: Gull, b: quay}}}
  - {at: 5s, submit: true}
  - {at: 9s, expect: {submission: accepted, sendCount: 3, keyCount: 2, sentValues: {a: Gull, b: quay}}}
`},
		"a denial of a repeat after the page came back settles nothing": {puts, load("{a: Heron}") + `  submit: [{after: 100ms, status: 401}]
draft: {values: {a: Tern}, attempt: {version: v1, values: {a: Tern}}}
timeline:
  - {at: 1s, retry: true}
  - {at: 2s, expect: {submission: unsettled, said: signed out}}
`},
	})
}

// How rows of an answer meet those of a group.
func TestRulesOfRowsOfTwoAnswers(t *testing.T) {
	const two, three = "{rows: [{x: Ada}, {x: Ben}]}", "{rows: [{x: Ada}, {x: Ben}, {x: Cy}]}"
	const keep, ask = "prefill: {url: /r}\n", "prefill: {url: /r, ifEdited: ask}\n"
	check(t, map[string]rule{
		"rows that were added before the first load stand behind its rows": {"prefill: {url: /r, needed: true, whileLoading: edit}\n", `backend: {prefill: [{after: 5s, status: 200, body: ` + two + `}]}
timeline:
  - {at: 1s, add: rows}
  - {at: 2s, edit: {rows/0/x: Mine}}
  - {at: 6s, expect: {values: {rows: [{x: Ada}, {x: Ben}, {x: Mine}]}, contested: [], dirty: [rows, rows/2/x]}}
`},
		"an untouched default row gives way to the first load, one that was typed in stays": {"defaults: {rows: [{x: Skipper}], more: [{z: one}]}\n" + keep, `backend: {prefill: [{after: 5s, status: 200, body: {rows: [{x: Ada}], more: [{z: theirs}]}}]}
timeline:
  - {at: 1s, edit: {rows/0/x: Mine}}
  - {at: 6s, expect: {values: {rows: [{x: Ada}, {x: Mine}], more: [{z: theirs}]}, dirty: [rows, rows/1/x]}}
`},
		"an edit meets rows of another number, and the choice is of the whole group": {keep, loads(two, three, three) + `timeline:
  - {at: 1s, edit: {rows/0/y: mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [rows], holds: [contested], values: {rows: [{x: Ada, y: mine}, {x: Ben}]}, dirty: [rows, rows/0/y]}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {contested: [rows]}}
  - {at: 6s, resolve: {rows: theirs}}
  - {at: 6s, expect: {contested: [], values: {rows: [{x: Ada}, {x: Ben}, {x: Cy}]}, dirty: []}}
`},
		"an edit does not come to stand in another's row": {keep, loads(three, "{rows: [{x: Ben}, {x: Cy}]}") + `timeline:
  - {at: 1s, edit: {rows/2/y: mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [rows], values: {rows: [{x: Ada}, {x: Ben}, {x: Cy, y: mine}]}}}
`},
		"rows that nobody changed follow the load": {keep, loads(two, three) + `timeline:
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], values: {rows: [{x: Ada}, {x: Ben}, {x: Cy}]}, dirty: []}}
`},
		"a list that was changed while it was saved has the saved rows for its baseline": {"defaults: {rows: [{x: Skipper}]}\nprefill: {url: /r, timeout: 1s, needed: false}\nsubmit: {url: /s, method: PUT, whileSending: edit}\n", `backend: {prefill: [{after: 10ms, status: 500}, {after: 10ms, status: 200, body: {rows: [{x: Skipper}]}}, {after: 10ms, status: 200, body: {rows: [{x: Skipper}]}}], submit: [{after: 500ms, status: 200}]}
timeline:
  - {at: 1s, submit: true}
  - {at: 1100ms, add: rows}
  - {at: 2s, expect: {submission: accepted, dirty: [rows]}}
  - {at: 3s, refresh: true}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {values: {rows: [{x: Skipper}, {}]}, dirty: [rows], contested: []}}
`},
		"rows that differ from what was sent and are as saved are contested where others came": {"prefill: {url: /r}\nsubmit: {url: /s, method: PUT, whileSending: edit, timeout: 1s}\n", `backend: {prefill: [{after: 10ms, status: 500}, {after: 10ms, status: 200, headers: {ETag: v1}, body: {rows: [{x: Ada}]}}, {after: 400ms, status: 200, headers: {ETag: v2}, body: {rows: [{x: Ada}, {x: Ben}]}}], submit: [{after: 600ms, status: 422}]}
draft: {values: {a: Tern}, attempt: {values: {a: Tern}}}
timeline:
  - {at: 1s, refresh: true}
  - {at: 2s, reset: true}
  - {at: 2s, expect: {submission: unsettled, values: {rows: [{x: Ada}]}}}
  - {at: 3s, edit: {rows/0/y: mine}}
  - {at: 3s, refresh: true}
  - {at: 3100ms, submit: true}
  - {at: 9s, expect: {sendCount: 1, holds: [contested], contested: [rows], values: {rows: [{x: Ada, y: mine}]}}}
`},
		"a changed list stays, and where the load differs in a value it is contested": {ask, loads(two, "{rows: [{x: Ada, y: theirs}, {x: Ben}]}") + `timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/2/x: Mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [rows], values: {rows: [{x: Ada, y: theirs}, {x: Ben}, {x: Mine}]}}}
`},
		"a changed list stays, and is not contested where the load brings nothing new": {ask, loads(two, two) + `timeline:
  - {at: 1s, remove: rows/0}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], values: {rows: [{x: Ben}]}, dirty: [rows]}}
`},
		"a row that a load brings is said as a whole": {"defaults: {rows: [{x: Skipper, y: cook}]}\nprefill: {url: /r}\nsubmit: {url: /s}\naccepted: {then: clear}\n", loads("{rows: [{x: Ada}]}", "{rows: [{x: Bo}]}") + `  submit: [{after: 10ms, status: 201}]
timeline:
  - {at: 1s, edit: {a: one}}
  - {at: 2s, submit: true}
  - {at: 4s, expect: {submission: accepted, values: {rows: [{x: Skipper, y: cook}]}}}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {values: {rows: [{x: Bo, y: null}]}, dirty: []}}
`},
		"a changed list is kept by policy": {keep, loads(two, three) + `timeline:
  - {at: 1s, remove: rows/0}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], values: {rows: [{x: Ben}]}, dirty: [rows]}}
`},
		"a group that is asked since is not contested for that": {"fields: {rows: {when: {box: true}}}\n" + ask, loads("{box: true, rows: [{x: Ada}]}", "{box: true, rows: [{x: Ada}, {x: Ben}]}") + `timeline:
  - {at: 1s, edit: {box: false}}
  - {at: 2s, refresh: true}
  - {at: 3s, edit: {box: true}}
  - {at: 3s, expect: {contested: [], values: {rows: [{x: Ada}, {x: Ben}]}, dirty: []}}
`},
		"a row that was just typed in stays when an answer comes in the same step": {"fields: {rows/*/x: {check: {url: \"/c/{value}\", delay: 0, timeout: 20s}}}\n" + "prefill: {url: /r}\nsubmit: {url: /s, method: PUT, whileSending: edit}\n", `backend:
  prefill: [{after: 10ms, status: 200, headers: {ETag: v1}, body: ` + two + `}, {after: 10ms, status: 200, headers: {ETag: v2}, body: {rows: [{x: Ada}]}}]
  checks: {rows/*/x: [{never: true}]}
timeline:
  - {at: 1s, edit: {rows/1/x: Bo}}
  - {at: 2s, submit: true}
  - {at: 3s, refresh: true}
  - {at: 4s, expect: {submission: checking}}
  - {at: 5s, edit: {b: far}}
  - {at: 6s, edit: {rows/1/x: ""}}
  - {at: 7s, expect: {values: {rows: [{x: Ada}, {}]}, contested: [rows]}}
`},
	})
}

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
