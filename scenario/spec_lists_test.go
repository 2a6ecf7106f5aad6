package scenario

import "testing"

// Rules about lists of plain values, and objects in rows.
func TestListRules(t *testing.T) {
	const form = `form: reach
schema:
  properties:
    name: {type: string}
    phones: {type: array, minItems: 1, maxItems: 3, uniqueItems: true, items: {type: string, minLength: 3}}
    days: {type: array, items: {type: string, format: date}}
    marks: {type: array, items: {type: boolean}}
    crew: {type: array, items: {properties: {name: {type: string}, address: {properties: {street: {type: string}, town: {type: string}}, required: [town]}}}}
  required: [phones]
`
	const put = "prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /r, method: PUT, whileSending: edit}\n"
	const patch = "prefill: {url: /r, ifEdited: keep}\nsubmit: {url: /r, method: PATCH, whileSending: edit}\n"
	const post = "submit: {url: /r, whileSending: edit}\n"
	checkOn(t, form, map[string]rule{
		"blank items are not sent, and do not count": {post, `backend:
  submit: [{after: 10ms, status: 201}]
timeline:
  - {at: 1ms, add: phones}
  - {at: 1ms, expect: {unsaved: false, issues: {phones: [valueMissing]}}}
  - {at: 2ms, leave: {to: /else}}
  - {at: 2ms, expect: {leave: gone}}
  - {at: 3ms, returned: true}
  - {at: 4ms, submit: true}
  - {at: 4ms, expect: {sendCount: 0, focus: phones}}
  - {at: 5ms, edit: {phones/0: "111"}}
  - {at: 5ms, expect: {issues: {phones: []}, unsaved: true}}
  - {at: 6ms, add: phones}
  - {at: 7ms, add: phones}
  - {at: 8ms, edit: {phones/2: "222"}}
  - {at: 9ms, add: phones}
  - {at: 9ms, expect: {issues: {phones: []}}}
  - {at: 10ms, submit: true}
  - {at: 15ms, expect: {sentBody: {phones: ["111", "222"]}}}
  - {at: 30ms, expect: {submission: accepted, unsaved: false, values: {phones: ["111", "222"]}}}
`},
		"numbers in refusals count the items that were sent": {post, `backend:
  submit: [{after: 10ms, status: 422, body: {errors: {phones/1: ["Is not in service."]}}}]
timeline:
  - {at: 1ms, add: phones}
  - {at: 1ms, edit: {phones/0: "111"}}
  - {at: 1ms, add: phones}
  - {at: 1ms, add: phones}
  - {at: 1ms, edit: {phones/2: "222"}}
  - {at: 2ms, submit: true}
  - {at: 20ms, expect: {issues: {phones/2: [customError], phones/1: []}, focus: phones/2}}
`},
		"each item once": {post, `timeline:
  - {at: 1ms, add: phones}
  - {at: 1ms, edit: {phones/0: "111"}}
  - {at: 1ms, add: phones}
  - {at: 1ms, add: phones}
  - {at: 1ms, expect: {issues: {phones: []}}}
  - {at: 1ms, edit: {phones/2: "111"}}
  - {at: 1ms, expect: {issues: {phones: [customError]}}}
  - {at: 1ms, edit: {phones/2: "112"}}
  - {at: 1ms, expect: {issues: {phones: []}}}
`},
		"the rules of an item are its own": {post, `timeline:
  - {at: 1ms, add: phones}
  - {at: 1ms, edit: {phones/0: "1"}}
  - {at: 1ms, add: days}
  - {at: 1ms, edit: {days/0: "2031"}}
  - {at: 1ms, submit: true}
  - {at: 1ms, expect: {sendCount: 0, issues: {phones/0: [tooShort], days/0: [badInput]}, focus: phones/0}}
`},
		"a load brings what is no blank": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", null, "", "222"], marks: [true, false], days: null}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 20ms, expect: {unsaved: false, values: {phones/0: "111", phones/1: "222"}}}
  - {at: 21ms, edit: {name: Bo}}
  - {at: 22ms, submit: true}
  - {at: 25ms, expect: {sentBody: {name: Bo, phones: ["111", "222"], marks: [true, false]}}}
`},
		"what is no list of plain values goes back as it came": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111"], days: [{from: 1}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 21ms, edit: {name: Bo}}
  - {at: 22ms, submit: true}
  - {at: 25ms, expect: {sentBody: {name: Bo, phones: ["111"], days: [{from: 1}]}}}
`},
		"moved and removed": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222", "333"]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 20ms, move: {from: phones/2, to: phones/0}}
  - {at: 21ms, remove: phones/1}
  - {at: 22ms, submit: true}
  - {at: 25ms, expect: {sentBody: {phones: ["333", "222"]}}}
`},
		"an item that is emptied is taken away": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 20ms, edit: {phones/0: ""}}
  - {at: 20ms, expect: {unsaved: true}}
  - {at: 21ms, edit: {phones/0: "111"}}
  - {at: 21ms, expect: {unsaved: false}}
  - {at: 22ms, edit: {phones/0: ""}}
  - {at: 23ms, submit: true}
  - {at: 25ms, expect: {sentBody: {phones: ["222"]}}}
  - {at: 40ms, expect: {unsaved: false, values: {phones/0: "222"}}}
`},
		"emptied while it is sent": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200}]
timeline:
  - {at: 20ms, edit: {name: Bo}}
  - {at: 21ms, submit: true}
  - {at: 22ms, edit: {phones/0: ""}}
  - {at: 40ms, expect: {submission: accepted, unsaved: true}}
  - {at: 41ms, submit: true}
  - {at: 45ms, expect: {sentBody: {name: Bo, phones: ["222"]}}}
`},
		"a blank item stays where a load comes": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111"]}}, {after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
timeline:
  - {at: 20ms, add: phones}
  - {at: 21ms, refresh: true}
  - {at: 40ms, expect: {unsaved: false, contested: [], values: {phones/1: "222", phones/2: null}}}
`},
		"changed here and elsewhere": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111"]}}, {after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
timeline:
  - {at: 20ms, add: phones}
  - {at: 20ms, edit: {phones/1: "333"}}
  - {at: 21ms, refresh: true}
  - {at: 40ms, expect: {contested: [phones], values: {phones/1: "333"}}}
  - {at: 41ms, resolve: {phones: theirs}}
  - {at: 41ms, expect: {unsaved: false, values: {phones/1: "222"}}}
`},
		"an item that is edited meets a load": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222"]}}, {after: 10ms, status: 200, body: {phones: ["111", "444"]}}]
timeline:
  - {at: 20ms, edit: {phones/1: "333"}}
  - {at: 21ms, refresh: true}
  - {at: 40ms, expect: {contested: [phones/1], values: {phones/1: "333"}}}
`},
		"a patch has a list as a whole": {patch, `backend:
  prefill: [{after: 10ms, status: 200, body: {name: Bo, phones: ["111", "222"]}}]
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200}]
timeline:
  - {at: 20ms, add: phones}
  - {at: 20ms, edit: {name: Di}}
  - {at: 21ms, submit: true}
  - {at: 25ms, expect: {sentBody: {name: Di}}}
  - {at: 40ms, edit: {phones/0: "112"}}
  - {at: 41ms, submit: true}
  - {at: 45ms, expect: {sentBody: {phones: ["112", "222"]}}}
`},
		"what an earlier page kept": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
  submit: [{after: 10ms, status: 200}]
draft: {values: {phones/1: "333"}, baseline: {phones/1: "222"}}
timeline:
  - {at: 20ms, expect: {unsaved: true, values: {phones/0: "111", phones/1: "333"}}}
  - {at: 21ms, submit: true}
  - {at: 25ms, expect: {sentBody: {phones: ["111", "333"]}}}
`},
		"an earlier page kept the list": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111", "222"]}}]
draft: {values: {phones: ["111", "333", "444"]}, baseline: {phones: ["111", "222"]}}
timeline:
  - {at: 20ms, expect: {unsaved: true, values: {phones/0: "111", phones/1: "333", phones/2: "444"}}}
`},
		"objects in rows": {put, `backend:
  prefill: [{after: 10ms, status: 200, body: {phones: ["111"], crew: [{name: Bo, address: {street: Quay, town: Tarn, zip: 7}, id: 4}]}}]
  submit: [{after: 10ms, status: 422, body: {errors: {crew/1/address/town: ["Unknown."]}}}]
timeline:
  - {at: 20ms, add: crew}
  - {at: 20ms, expect: {issues: {crew/1/address/town: []}}}
  - {at: 21ms, edit: {crew/1/address/street: Pier}}
  - {at: 21ms, expect: {issues: {crew/1/address/town: [valueMissing]}}}
  - {at: 22ms, edit: {crew/1/address/town: Tern}}
  - {at: 22ms, move: {from: crew/1, to: crew/0}}
  - {at: 23ms, submit: true}
  - {at: 25ms, expect: {sentBody: {phones: ["111"], crew: [{address: {street: Pier, town: Tern}}, {name: Bo, address: {street: Quay, town: Tarn, zip: 7}, id: 4}]}}}
  - {at: 40ms, expect: {issues: {crew/1/address/town: [customError]}}}
`},
	})
}
