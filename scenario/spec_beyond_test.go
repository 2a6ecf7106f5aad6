package scenario

import "testing"

// Rules about what a saved record has beyond the form: it goes back as it came, whatever happens meanwhile.
func TestRulesOfWhatIsBeyondTheForm(t *testing.T) {
	const put = "prefill: {url: /r}\nsubmit: {url: /r, method: PUT, undeclared: send, timeout: 2s, whileSending: edit, resend: {times: 0}}\n"
	const patch = "prefill: {url: /r, needed: false, timeout: 30s}\nsubmit: {url: /r, method: PATCH, undeclared: send, timeout: 2s, whileSending: edit}\n"
	check(t, map[string]rule{
		"members at every depth, and numbers as they are written": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Egret, id: 123456789012345678901234567890.10, deep: [{x: [1.50, null, false]}], rows: [{x: one, id: 7, more: {n: 1e400}}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: true}
  - {at: 2005ms, expect: {sentBody: {a: Heron, id: 123456789012345678901234567890.10, deep: [{x: [1.50, null, false]}], rows: [{x: one, id: 7, more: {n: 1e400}}]}}}
`},
		"what is none of what is declared goes back as it came": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Egret, rows: none of them}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 1s, expect: {values: {rows: null}}}
  - {at: 2s, submit: true}
  - {at: 2005ms, expect: {sentBody: {a: Heron, rows: none of them}}}
`},
		"a row takes along what it has, and takes it away": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {rows: [{x: one, id: 1}, {x: two, id: 2}, {x: three, id: 3}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, move: {from: rows/2, to: rows/0}}
  - {at: 1s, remove: rows/1}
  - {at: 1s, edit: {rows/0/x: drei}}
  - {at: 2s, submit: true}
  - {at: 2005ms, expect: {sentBody: {rows: [{x: drei, id: 3}, {x: two, id: 2}]}}}
`},
		"a patch has it in its rows alone": {patch, `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Egret, id: 7, rows: [{x: one, id: 1}, {x: two, id: 2}]}}]
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: true}
  - {at: 2005ms, expect: {sentBody: {a: Heron}}}
  - {at: 3s, edit: {rows/1/x: zwei}}
  - {at: 4s, submit: true}
  - {at: 4005ms, expect: {sentBody: {rows: [{x: one, id: 1}, {x: zwei, id: 2}]}}}
`},
		"it makes no difference between rows, and is no edit": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /r, method: PUT, undeclared: send}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, body: {rows: [{x: one, seen: 1}]}}
    - {after: 10ms, status: 200, body: {rows: [{x: one, seen: 2}], hits: 8}}
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/1/x: two}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], dirty: [rows, rows/1/x], holds: []}}
  - {at: 4s, submit: true}
  - {at: 4005ms, expect: {sentBody: {rows: [{x: one, seen: 2}, {x: two}], hits: 8}}}
`},
		"rows are recognised as those that were sent, though they have got what nobody sent": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /r, method: PUT, undeclared: send, timeout: 1s, resend: {times: 0}}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: v1}, body: {rows: [{x: one, id: 1}]}}
    - {after: 10ms, status: 200, headers: {ETag: v2}, body: {rows: [{x: one, id: 1}, {x: two, id: 2}]}}
  submit: [{broken: true, after: 10ms}, {after: 10ms, status: 412}, {after: 10ms, status: 200, headers: {ETag: v3}}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/1/x: two}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: unsettled}}
  - {at: 4s, retry: true}
  - {at: 5s, expect: {submission: outdated, contested: [], values: {rows: [{x: one}, {x: two}]}, dirty: []}}
  - {at: 6s, edit: {a: Heron}}
  - {at: 7s, submit: true}
  - {at: 7005ms, expect: {sentBody: {a: Heron, rows: [{x: one, id: 1}, {x: two, id: 2}]}}}
`},
		"new rows get it by a load, which is needed": {put, `backend:
  prefill:
    - {after: 10ms, status: 200, body: {rows: []}}
    - {after: 1s, status: 200, body: {rows: [{x: one, id: 1}]}}
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: one}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, holds: [loading]}}
  - {at: 4s, edit: {rows/0/x: eins}}
  - {at: 5s, submit: true}
  - {at: 5005ms, expect: {sentBody: {rows: [{x: eins, id: 1}]}}}
`},
		"an acceptance that is adopted brings it, member by member": {put + "accepted: {then: adopt}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Egret, kept: 1, changed: 1}}]
  submit: [{after: 10ms, status: 200, body: {changed: 2, rows: [{x: one, id: 1}]}}, {after: 10ms, status: 200}, {after: 10ms, status: 200}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: one}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, holds: [], loadCount: 1}}
  - {at: 4s, edit: {a: Heron}}
  - {at: 5s, submit: true}
  - {at: 5005ms, expect: {sentBody: {a: Heron, kept: 1, changed: 2, rows: [{x: one, id: 1}]}}}
  - {at: 6s, edit: {a: Tern}}
  - {at: 7s, submit: true}
  - {at: 7005ms, expect: {sentBody: {a: Tern, kept: 1, changed: 2, rows: [{x: one, id: 1}]}}}
`},
		"rows of an earlier page are not sent before the load has brought it": {patch, `draft:
  values: {rows: [{x: two}, {x: one}]}
  baseline: {rows: [{x: one}, {x: two}]}
backend:
  prefill: [{after: 5s, status: 200, body: {rows: [{x: one, id: 1}, {x: two, id: 2}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, submit: true}
  - {at: 2s, expect: {sendCount: 0, holds: [loading]}}
  - {at: 6s, submit: true}
  - {at: 7s, expect: {submission: accepted}}
`},
		"a record with none of the form's fields is none": {put, `backend: {prefill: [{after: 10ms, status: 200, body: {id: 7, other: true}}]}
timeline:
  - {at: 1s, expect: {prefill: failed, holds: [prefill-missing]}}
`},
		"a refusal of * is one of the whole form": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Egret, id: 7}}]
  submit: [{after: 10ms, status: 422, body: {errors: {"*": The office is closed.}}}]
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: refused, shown: {"": [customError]}}}
`},
		"nobody edits it": {put, `backend: {prefill: [{after: 10ms, status: 200, body: {a: Egret, id: 7}}]}
timeline:
  - {at: 1s, expect: {dirty: [], unsaved: false, values: {a: Egret}}}
  - {at: 2s, reset: true}
  - {at: 3s, expect: {unsaved: false}}
`},
	})
}
