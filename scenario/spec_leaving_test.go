package scenario

import "testing"

func TestLeavingRules(t *testing.T) {
	sends := func(answers string) string { return "backend: {submit: [" + answers + "]}\ntimeline:\n" }
	check(t, map[string]rule{
		"only what was touched is guarded, by policy": {"leave: {when: dirtyAndTouched}\n", `timeline:
  - {at: 1s, edit: {a: x}}
  - {at: 1s, expect: {unsaved: true, unloadGuard: false}}
  - {at: 2s, blur: a}
  - {at: 2s, expect: {unloadGuard: true}}
`},
		"never asks, by policy": {"leave: {when: never}\n", `timeline:
  - {at: 1s, edit: {a: x}}
  - {at: 2s, leave: /tides}
  - {at: 2s, expect: {leave: gone, destination: /tides}}
`},
		"a question is asked again when its reason changes, and answered when none is left": {"submit: {url: /s, whileSending: edit}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 2100ms, leave: /tides}
  - {at: 2100ms, expect: {asking: sending}}
  - {at: 2200ms, edit: {b: y}}
  - {at: 2200ms, expect: {asking: unsaved}}
  - {at: 2300ms, edit: {b: ""}}
  - {at: 2300ms, expect: {asking: sending}}
  - {at: 4s, expect: {leave: gone, destination: /tides, asking: false}}
`},
		"a newer wish replaces the destination": {"", `timeline:
  - {at: 1s, edit: {a: x}}
  - {at: 2s, leave: /tides}
  - {at: 3s, leave: /berths}
  - {at: 4s, answerLeave: discard}
  - {at: 4s, expect: {leave: gone, destination: /berths}}
`},
		"the guard keeps an unload from going": {"", `timeline:
  - {at: 1s, edit: {a: x}}
  - {at: 2s, leave: {kind: unload}}
  - {at: 2s, expect: {leave: present, asking: false, unloadGuard: true}}
`},
		"who submits and leaves stays where the submit is blocked": {"", `timeline:
  - {at: 1s, edit: {a: far too long}}
  - {at: 2s, leave: /tides}
  - {at: 3s, answerLeave: submit}
  - {at: 3s, expect: {leave: present, sendCount: 0, shown: {a: [tooLong]}}}
`},
		"who submits and leaves is asked about what is newer": {"submit: {url: /s, whileSending: edit}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, leave: /tides}
  - {at: 2s, answerLeave: submit}
  - {at: 2500ms, edit: {b: y}}
  - {at: 4s, expect: {leave: asking, asking: unsaved, submission: accepted}}
`},
		"work on its way does not ask, by policy": {"submit: {url: /s, whileSending: edit}\nleave: {inFlight: allow}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 2100ms, expect: {unloadGuard: false}}
  - {at: 2200ms, edit: {b: y}}
  - {at: 2200ms, expect: {unloadGuard: true}}
  - {at: 2300ms, edit: {b: ""}}
  - {at: 2400ms, leave: /tides}
  - {at: 2400ms, expect: {leave: gone}}
`},
		"navigate gives way to where the applicant wanted to go": {"accepted: {then: navigate, to: /done}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, leave: /tides}
  - {at: 2s, answerLeave: submit}
  - {at: 4s, expect: {leave: gone, destination: /tides}}
`},
		"a page that was left turns everything away, until it comes back": {prefill, `backend: {prefill: [{after: 5s, status: 200, body: {a: Heron}}, {after: 10ms, status: 200, body: {a: Egret}}]}
timeline:
  - {at: 1s, leave: /tides}
  - {at: 1s, expect: {leave: gone, holds: [gone]}}
  - {at: 2s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 3s, returned: true}
  - {at: 4s, expect: {leave: present, prefill: ready, values: {a: Egret}, loadCount: 2}}
`},
	})
}
