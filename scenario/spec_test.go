package scenario

import (
	"bytes"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
)

// specForm is the form of the rules below; each adds its policies.
const specForm = `form: spec
schema:
  properties:
    a: {type: string, maxLength: 6}
    b: {type: string}
    n: {type: number}
    box: {type: boolean}
    day: {type: string, format: date}
    rows: {type: array, items: {properties: {x: {type: string}, y: {type: string}}, required: [x]}}
    more: {type: array, items: {properties: {z: {type: string}}}}
`

// rule is one rule of the lifecycle: the policies of its form, and a session
// that shows it.
type rule struct{ policies, session string }

const prefill = "prefill: {url: /r}\n"

// loads answers a load at once with each of the bodies.
func loads(bodies ...string) string {
	text := "backend:\n  prefill:\n"
	for _, body := range bodies {
		text += "    - {after: 10ms, status: 200, headers: {ETag: v" + string(rune('1'+strings.Count(text, "status"))) + "}, body: " + body + "}\n"
	}
	return text
}

func check(t *testing.T, rules map[string]rule) {
	t.Helper()
	checkOn(t, specForm, rules)
}

// checkOn plays sessions of another form than specForm.
func checkOn(t *testing.T, form string, rules map[string]rule) {
	t.Helper()
	for name, r := range rules {
		t.Run(name, func(t *testing.T) {
			files := fstest.MapFS{
				"spec.form.yaml":  {Data: []byte(form + r.policies)},
				"s.scenario.yaml": {Data: []byte("scenario: " + name + "\nform: spec.form.yaml\n" + r.session)},
			}
			s, err := NewReader(files).File("s.scenario.yaml")
			require.NoError(t, err)
			var record bytes.Buffer
			result, steps := Record(s, &record)
			replays(t, s, record.Bytes())
			if !result.Passed() {
				var table strings.Builder
				WriteResult(&table, result, steps, Style{})
				t.Error(table.String())
			}
		})
	}
}

func TestLoadingRules(t *testing.T) {
	check(t, map[string]rule{
		"what was contested and not asked at an acceptance is no choice any more": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /r, method: PUT}\nfields: {b: {when: {box: true}}}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: v1}, body: {box: true, b: east}}
    - {after: 10ms, status: 200, headers: {ETag: v2}, body: {box: true, b: west}}
  submit: [{after: 10ms, status: 200, headers: {ETag: v3}}]
timeline:
  - {at: 1s, edit: {b: north}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [b]}}
  - {at: 3s, edit: {box: false}}
  - {at: 4s, submit: true}
  - {at: 5s, expect: {submission: accepted, contested: []}}
  - {at: 6s, edit: {box: true}}
  - {at: 6s, expect: {contested: [], values: {b: north}, holds: []}}
`},
		"an edit that equals the answer is clean": {prefill, loads("{a: Heron}") + `timeline:
  - {at: 0, edit: {a: Heron}}
  - {at: 1s, expect: {dirty: [], unsaved: false, values: {a: Heron}}}
`},
		"what an answer no longer mentions is absent, what none mentioned stays": {prefill + "defaults: {b: mine}\n", loads("{a: Heron, n: 4}", "{a: Egret}") + `timeline:
  - {at: 1s, expect: {values: {a: Heron, n: 4, b: mine}}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {values: {a: Egret, n: null, b: mine}, dirty: []}}
`},
		"a number that was typed is kept as typed": {prefill, loads("{n: 9.4}", "{n: 9.40}") + `timeline:
  - {at: 1s, edit: {n: "9.400"}}
  - {at: 1s, expect: {dirty: []}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {dirty: [], values: {n: 9.4}}}
`},
		"a loaded value that the field cannot hold is there, with an issue": {prefill, loads("{n: twelve}") + `timeline:
  - {at: 1s, expect: {issues: {n: [badInput]}, values: {n: twelve}, dirty: []}}
`},
		"a refused answer stays refused where the saved answers come to ask it too": {prefill + "submit: {url: /s}\nfields: {b: {when: {box: true}}}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: x}}, {after: 10ms, status: 200, body: {a: x, box: true, b: saved}}]
  submit: [{after: 10ms, status: 422, body: {errors: {b: Not this.}}}]
timeline:
  - {at: 1s, edit: {box: true, b: typed}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {shown: {b: [customError]}}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {values: {b: typed}, dirty: [b], shown: {b: [customError]}}}
`},
		"a refused answer that nobody edited is refused no more once a load has brought another": {prefill + "submit: {url: /s}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: x, b: old}}, {after: 10ms, status: 200, body: {a: x, b: old}}, {after: 10ms, status: 200, body: {a: x, b: newer}}]
  submit: [{after: 10ms, status: 422, body: {errors: {b: Not this.}}}]
timeline:
  - {at: 1s, edit: {a: y}}
  - {at: 2s, submit: true}
  - {at: 3s, refresh: true}
  - {at: 4s, expect: {shown: {b: [customError]}, values: {b: old}}}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {issues: {}, values: {b: newer}}}
`},
		"a merge patch with a group says of each answer in it what was asked": {prefill + "submit: {url: /s, method: PATCH}\nfields: {rows/*/y: {when: {rows/*/x: on}}}\n", `backend:
  prefill: [{after: 10ms, status: 200, headers: {ETag: v1}, body: {rows: [{x: on, y: saved}]}}]
  submit: [{after: 10ms, status: 200, headers: {ETag: v2}}]
timeline:
  - {at: 1s, edit: {rows/0/y: typed}}
  - {at: 2s, edit: {rows/0/x: off}}
  - {at: 3s, submit: true}
  - {at: 4s, edit: {rows/0/x: on}}
  - {at: 5s, edit: {rows/0/y: saved}}
  - {at: 6s, expect: {submission: idle, dirty: [rows/0/x, rows/0/y]}}
`},
		"a refusal of the first field goes to the form where it is not asked any more": {"submit: {url: /s, whileSending: edit}\nfields: {a: {when: {box: true}}}\n", `backend: {submit: [{after: 500ms, status: 422, body: {errors: {a: [Not this.]}}}]}
timeline:
  - {at: 1s, edit: {box: true, a: Heron}}
  - {at: 1s, submit: true}
  - {at: 1200ms, edit: {box: false}}
  - {at: 2s, expect: {submission: refused, issues: {"": [customError]}}}
`},
		"contested only where the newer value is news": {"prefill: {url: /r, ifEdited: ask}\n", loads("{a: Heron, b: x}", "{a: Heron, b: y}", "{a: Tern, b: y}") + `timeline:
  - {at: 1s, edit: {a: Egret}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], values: {a: Egret, b: y}}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {contested: [a], values: {a: Egret}, holds: [contested]}}
  - {at: 6s, edit: {a: Tern}}
  - {at: 6s, expect: {contested: [], dirty: [], holds: []}}
`},
		"a contested field resolved to theirs is clean": {"prefill: {url: /r, ifEdited: ask}\n", loads("{a: Heron}", "{a: Tern}") + `timeline:
  - {at: 1s, edit: {a: Egret}}
  - {at: 2s, refresh: true}
  - {at: 3s, resolve: {a: theirs}}
  - {at: 3s, expect: {values: {a: Tern}, dirty: [], contested: []}}
  - {at: 4s, resolve: {a: mine}}
`},
		"a load that times out fails, and its late answer is stale": {"prefill: {url: /r, timeout: 1s}\n", `backend:
  prefill: [{after: 2s, status: 200, body: {a: Heron}}]
timeline:
  - {at: 1s, expect: {prefill: failed, said: could not be loaded}}
  - {at: 3s, expect: {prefill: failed, values: {a: null}}}
`},
		"a refresh that fails after an arrival leaves ready and holds nothing": {"prefill: {url: /r, needed: true}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Heron}}, {after: 10ms, status: 500}]
timeline:
  - {at: 1s, refresh: true}
  - {at: 1s, expect: {prefill: loading, holds: []}}
  - {at: 2s, expect: {prefill: ready, holds: []}}
`},
		"only the newest request counts": {prefill, `backend:
  prefill: [{after: 2s, status: 200, body: {a: Older}}, {after: 10ms, status: 200, body: {a: Newer}}]
timeline:
  - {at: 1s, refresh: true}
  - {at: 3s, expect: {values: {a: Newer}, loadCount: 2}}
`},
		"what waited for a refused save is merged before the refusal is placed": {prefill + "submit: {url: /s, method: PUT}\n", `backend:
  prefill: [{after: 10ms, status: 200, headers: {ETag: v1}, body: {a: Heron, b: x}}, {after: 10ms, status: 200, headers: {ETag: v2}, body: {a: Heron, b: y}}]
  submit: [{after: 1s, status: 422, body: {errors: {b: Not that.}}}]
timeline:
  - {at: 1s, edit: {a: Egret}}
  - {at: 2s, submit: true}
  - {at: 2100ms, refresh: true}
  - {at: 2500ms, expect: {values: {b: x}}}
  - {at: 4s, expect: {submission: refused, values: {a: Egret, b: y}, shown: {b: [customError]}, dirty: [a]}}
`},
		"a lost save that shows up in a load is not contested": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Heron}}, {after: 10ms, status: 200, body: {a: Egret}}]
  submit: [{broken: true, after: 10ms}, {after: 10ms, status: 422, body: {message: No.}}]
timeline:
  - {at: 1s, edit: {a: Egret}}
  - {at: 2s, submit: true}
  - {at: 3s, edit: {a: Tern}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {submission: unsettled, values: {a: Tern}, contested: []}}
  - {at: 6s, retry: true}
  - {at: 7s, expect: {submission: refused, values: {a: Tern}, contested: [], dirty: [a]}}
`},
		"what was sent is news again once it has been accepted": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {a: Heron}}, {after: 10ms, status: 200, body: {a: Tern}}, {after: 10ms, status: 200, body: {a: Egret}}]
  submit: [{broken: true, after: 10ms}, {after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Egret}}
  - {at: 2s, submit: true}
  - {at: 3s, retry: true}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {submission: accepted, values: {a: Tern}}}
  - {at: 6s, edit: {a: Plover}}
  - {at: 7s, refresh: true}
  - {at: 8s, expect: {contested: [a]}}
`},
	})
}

func TestRowRules(t *testing.T) {
	check(t, map[string]rule{
		"rows that come back as they were sent are the same rows, whatever other rows hold": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /r, method: PUT}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: v1}, body: {rows: [{x: Ada}]}}
    - {after: 10ms, status: 200, headers: {ETag: v2}, body: {rows: [{x: Ada}, {x: Ben}], more: [{z: one}]}}
  submit: [{broken: true, after: 10ms}, {after: 10ms, status: 422, body: {errors: {a: No.}}}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/1/x: Ben}}
  - {at: 2s, submit: true}
  - {at: 3s, refresh: true}
  - {at: 4s, expect: {submission: unsettled, dirty: [rows, rows/1/x]}}
  - {at: 5s, retry: true}
  - {at: 6s, expect: {submission: refused, contested: [], dirty: [], values: {rows/1/x: Ben, more/0/z: one}}}
`},
		"rows that the kept attempt had sent are there as they were sent": {"", `draft: {values: {a: Heron}, attempt: {button: submit, values: {a: Heron, rows/1/x: Ada}}}
timeline:
  - {at: 0, expect: {submission: unsettled, values: {rows: [{}, {x: Ada}]}, issues: {rows/0/x: [valueMissing]}, holds: [invalid]}}
`},
		"rows of two answers are matched by position": {prefill, loads("{rows: [{x: Ada}, {x: Ben}]}", "{rows: [{x: Ada, y: old}, {x: Bea}]}") + `timeline:
  - {at: 1s, edit: {rows/0/y: mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {values: {rows: [{x: Ada, y: mine}, {x: Bea}]}, dirty: [rows/0/y]}}
  - {at: 4s, reset: true}
  - {at: 4s, expect: {values: {rows: [{x: Ada, y: old}, {x: Bea}]}}}
`},
		"clean rows follow an answer with another number": {prefill, loads("{rows: [{x: Ada}, {x: Ben}]}", "{rows: [{x: Ada}]}", "{rows: [{x: Ada}, {x: Cay}, {x: Dot}]}", "{}") + `timeline:
  - {at: 1s, refresh: true}
  - {at: 2s, expect: {values: {rows: [{x: Ada}]}, dirty: []}}
  - {at: 3s, refresh: true}
  - {at: 4s, expect: {values: {rows: [{x: Ada}, {x: Cay}, {x: Dot}]}, dirty: []}}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {values: {rows: null}, dirty: [], unsaved: false}}
`},
		"edited rows are kept, or contested as a whole": {"prefill: {url: /r, ifEdited: ask}\n", loads("{rows: [{x: Ada}, {x: Ben}]}", "{rows: [{x: Ada}]}") + `timeline:
  - {at: 1s, edit: {rows/1/y: mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [rows], holds: [contested], values: {rows: [{x: Ada}, {x: Ben, y: mine}]}}}
  - {at: 4s, resolve: {rows: theirs}}
  - {at: 4s, expect: {contested: [], values: {rows: [{x: Ada}]}, dirty: []}}
`},
		"edited rows of another number are contested whatever the policy": {prefill, loads("{rows: [{x: Ada}, {x: Ben}]}", "{rows: [{x: Ada}]}") + `timeline:
  - {at: 1s, edit: {rows/1/y: mine}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [rows], values: {rows: [{x: Ada}, {x: Ben, y: mine}]}, dirty: [rows, rows/1/x, rows/1/y]}}
  - {at: 4s, reset: true}
  - {at: 4s, expect: {values: {rows: [{x: Ada}]}, unsaved: false}}
`},
		"a removed row comes back with a reset": {prefill, loads("{rows: [{x: Ada}, {x: Ben}]}") + `timeline:
  - {at: 1s, remove: rows/0}
  - {at: 1s, expect: {values: {rows: [{x: Ben}]}, dirty: [rows], touched: [rows]}}
  - {at: 2s, reset: true}
  - {at: 2s, expect: {values: {rows: [{x: Ada}, {x: Ben}]}, dirty: [], touched: []}}
`},
		"a row that was sent and removed comes back as it is saved": {"prefill: {url: /r, needed: false}\nsubmit: {url: /s, method: PUT, whileSending: edit}\n", `backend:
  prefill: [{after: 3s, status: 200, body: {rows: [{x: East}]}}]
  submit: [{after: 3s, status: 422, body: {errors: {"": Not today.}}}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: West}}
  - {at: 2s, submit: true}
  - {at: 2500ms, remove: rows/0}
  - {at: 6s, expect: {submission: refused, values: {rows: [{x: East}]}, dirty: [], contested: [], unsaved: false}}
`},
		"rows that nobody has changed elsewhere are no choice": {prefill[:len(prefill)-2] + ", ifEdited: ask}\n", loads("{rows: [{x: Ada, y: tea}, {x: Ben, y: rum}]}", "{rows: [{x: Ada, y: tea}, {x: Ben, y: rum}]}") + `timeline:
  - {at: 1s, remove: rows/0}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [], values: {rows: [{x: Ben, y: rum}]}, dirty: [rows]}}
`},
		"rows that were accepted are the saved ones, also where no load has brought any": {"prefill: {url: /r, needed: false}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill: [{after: 10ms, status: 500}, {after: 10ms, status: 200, body: {rows: [{x: Ada}]}}, {after: 10ms, status: 200, body: {rows: [{x: Ada}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: Ada}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, unsaved: false}}
  - {at: 4s, edit: {rows/0/y: mine}}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {values: {rows: [{x: Ada, y: mine}]}, dirty: [rows/0/y]}}
`},
		"moving a row away and back is clean": {prefill, loads("{rows: [{x: Ada}, {x: Ben}]}") + `timeline:
  - {at: 1s, move: {from: rows/0, to: rows/1}}
  - {at: 1s, expect: {dirty: [rows], values: {rows: [{x: Ben}, {x: Ada}]}}}
  - {at: 2s, move: {from: rows/0, to: rows/1}}
  - {at: 2s, expect: {dirty: []}}
`},
		"an accepted form takes its rows as sent, and a newer row stays": {"submit: {url: /s, method: PUT, whileSending: edit}\n", `backend: {submit: [{after: 1s, status: 200}]}
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: Ada}}
  - {at: 2s, submit: true}
  - {at: 2100ms, add: rows}
  - {at: 2100ms, edit: {rows/1/x: Ben}}
  - {at: 4s, expect: {submission: accepted, values: {rows: [{x: Ada}, {x: Ben}]}, dirty: [rows, rows/1/x]}}
  - {at: 5s, reset: true}
  - {at: 5s, expect: {values: {rows: [{x: Ada}]}, unsaved: false}}
`},
		"an issue of a row that was removed goes to the form": {"submit: {url: /s, whileSending: edit}\n", `backend: {submit: [{after: 1s, status: 422, body: {errors: {rows.0.x: Who?, rows.1.x: And who?}}}]}
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, add: rows}
  - {at: 1s, edit: {rows/0/x: Ada, rows/1/x: Ben}}
  - {at: 2s, submit: true}
  - {at: 2500ms, remove: rows/0}
  - {at: 4s, expect: {shown: {rows/0/x: [customError], "": [customError]}, focus: rows/0/x, said: 2 answers}}
`},
	})
}

func TestSubmitRules(t *testing.T) {
	sends := func(answers string) string { return "backend: {submit: [" + answers + "]}\ntimeline:\n" }
	check(t, map[string]rule{
		"a submit that is blocked takes the refusal before it from view": {"submit: {url: /s}\n", sends("{after: 10ms, status: 422, body: {errors: {a: Taken.}}}") + `  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: refused}}
  - {at: 4s, edit: {n: soon}}
  - {at: 5s, submit: true}
  - {at: 5s, expect: {submission: idle, sendCount: 1, shown: {n: [badInput]}}}
`},
		"an answer that is asked again is checked again, though it was asked as saved": {prefill + "fields:\n  a: {when: {box: true}, check: {url: /a, delay: 0ms}}\n", `backend:
  prefill: [{after: 10ms, status: 200, body: {box: true, a: Heron}}]
  checks: {a: [{after: 10ms, status: 200}, {after: 10ms, status: 422, body: {title: Taken.}}]}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, edit: {box: false}}
  - {at: 3s, edit: {box: true}}
  - {at: 4s, expect: {issues: {a: [customError]}, holds: [invalid]}}
`},
		"what is not asked any more is checked no longer, whatever the saved answers ask": {"submit: {url: /s}\nfields: {b: {when: {box: true}, check: {url: \"/c/{value}\", delay: 0, timeout: 9s}}}\n", `backend: {checks: {b: [{never: true}]}, submit: [{after: 10ms, status: 201}]}
timeline:
  - {at: 1s, edit: {box: "true", b: quay}}
  - {at: 2s, edit: {box: ""}}
  - {at: 3s, submit: true}
  - {at: 4s, expect: {submission: accepted}}
`},
		"what one check found at another's field leaves what that one found": {"fields:\n  a: {check: {url: /a}}\n  b: {check: {url: /b}}\n", `backend:
  checks:
    a: [{after: 10ms, status: 422, body: {title: Taken.}}]
    b: [{after: 10ms, status: 422, body: {errors: {a: Not with that.}}}, {after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, edit: {b: north}}
  - {at: 3s, expect: {issues: {a: [customError, customError]}}}
  - {at: 4s, edit: {b: south}}
  - {at: 5s, expect: {issues: {a: [customError]}, holds: [invalid]}}
`},
		"issues while typing, by policy": {"show: input\n", `timeline:
  - {at: 1s, edit: {a: far too long}}
  - {at: 1s, expect: {shown: {a: [tooLong]}}}
`},
		"a date that is typed is half made until it can be read": {"", `timeline:
  - {at: 1s, edit: {day: "2"}}
  - {at: 1s, expect: {issues: {day: [badInput]}, shown: {}}}
  - {at: 2s, edit: {day: 2031-05-02}}
  - {at: 3s, edit: {day: 2031-05-}}
  - {at: 3s, expect: {shown: {day: [badInput]}}}
`},
		"issues only after a submit, by policy": {"show: submit\n", `timeline:
  - {at: 1s, edit: {a: far too long}}
  - {at: 1s, blur: a}
  - {at: 1s, expect: {shown: {}}}
  - {at: 2s, submit: true}
  - {at: 2s, expect: {shown: {a: [tooLong]}}}
  - {at: 3s, reset: true}
  - {at: 3s, edit: {a: far too long}}
  - {at: 3s, expect: {shown: {}, issues: {a: [tooLong]}}}
`},
		"fields are locked while sending, by default": {"", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 2500ms, edit: {a: y}}
  - {at: 2500ms, add: rows}
  - {at: 4s, expect: {submission: accepted, values: {a: x, rows: null}, dirty: []}}
`},
		"the second after an acceptance is over with an edit": {"accepted: {then: clear}\n", sends("{after: 10ms, status: 201}, {after: 10ms, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 1s, submit: true}
  - {at: 1500ms, submit: true}
  - {at: 1500ms, expect: {ignored: 1}}
  - {at: 1600ms, edit: {a: z}}
  - {at: 1700ms, submit: true}
  - {at: 2s, expect: {sendCount: 2, keyCount: 2, ignored: 1}}
`},
		"after a clear only what was sent counts as the same": {"accepted: {then: clear, lasts: 1s}\n", sends("{after: 10ms, status: 201}, {after: 10ms, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 1s, submit: true}
  - {at: 4s, edit: {a: x}}
  - {at: 4s, expect: {holds: [received]}}
  - {at: 5s, submit: true}
  - {at: 5s, expect: {said: received already, sendCount: 1}}
  - {at: 6s, reset: true}
  - {at: 6s, edit: {a: x}}
  - {at: 6s, submit: true}
  - {at: 7s, expect: {sendCount: 2, keyCount: 2}}
`},
		"another button is another submission": {"submit: {url: /s, buttons: [apply, save]}\n", sends("{after: 10ms, status: 201}, {after: 10ms, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 1s, submit: apply}
  - {at: 4s, submit: apply}
  - {at: 4s, expect: {sendCount: 1}}
  - {at: 5s, submit: save}
  - {at: 6s, expect: {sendCount: 2, keyCount: 2}}
`},
		"clear waits where something newer is unsaved": {"submit: {url: /s, whileSending: edit}\naccepted: {then: clear}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x, b: y}}
  - {at: 2s, submit: true}
  - {at: 2500ms, edit: {b: z}}
  - {at: 4s, expect: {submission: accepted, values: {a: x, b: z}, dirty: [b]}}
  - {at: 5s, reset: true}
  - {at: 5s, expect: {values: {a: null, b: null}, unsaved: false}}
`},
		"navigate is dropped where something newer is unsaved": {"submit: {url: /s, whileSending: edit}\naccepted: {then: navigate, to: /done}\n", sends("{after: 1s, status: 201}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 2500ms, edit: {b: z}}
  - {at: 4s, expect: {submission: accepted, leave: present, said: One newer answer has not been sent}}
`},
		"a refusal without entries is one issue on the form": {"", sends("{after: 10ms, status: 422}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: refused, shown: {"": [customError]}, focus: ""}}
  - {at: 4s, edit: {b: y}}
  - {at: 4s, expect: {shown: {}}}
`},
		"a new refusal replaces the issues of the older one": {"", sends("{after: 10ms, status: 422, body: {errors: {a: One.}}}, {after: 10ms, status: 422, body: {errors: {b: Two.}}}") + `  - {at: 1s, edit: {n: "1"}}
  - {at: 2s, submit: true}
  - {at: 3s, submit: true}
  - {at: 4s, expect: {shown: {a: [], b: [customError]}, keyCount: 2}}
`},
		"outdated without a prefill is a refusal": {"submit: {url: /s, method: PUT}\n", sends("{after: 10ms, status: 412}") + `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: refused, shown: {"": [customError]}, holds: []}}
`},
		"touched and shown marks go with an acceptance, where clean": {"submit: {url: /s, method: PUT, whileSending: edit}\n", sends("{after: 1s, status: 200}") + `  - {at: 1s, edit: {a: x, b: y}}
  - {at: 1s, blur: a}
  - {at: 1s, blur: b}
  - {at: 2s, submit: true}
  - {at: 2500ms, edit: {b: z}}
  - {at: 4s, expect: {touched: [b], dirty: [b]}}
`},
	})
}

func TestSettlingRules(t *testing.T) {
	replaces := "prefill: {url: /r}\nsubmit: {url: /s, method: PUT, timeout: 2s, resend: {times: 1, wait: 1s, longest: 5s}}\n"
	backend := func(answers string) string {
		return "backend:\n  prefill: [{after: 0, status: 200, headers: {ETag: v1}, body: {a: Heron}}]\n  submit: [" + answers + "]\ntimeline:\n  - {at: 1s, edit: {a: Egret}}\n  - {at: 2s, submit: true}\n"
	}
	check(t, map[string]rule{
		"a retry sends the same values, whatever was typed since": {replaces, backend("{broken: true, after: 10ms}, {after: 10ms, status: 200, headers: {ETag: v9}}") + `  - {at: 3s, edit: {a: Tern}}
  - {at: 4s, retry: true}
  - {at: 4s, expect: {sentValues: {a: Egret}, keyCount: 1}}
  - {at: 5s, expect: {submission: accepted, values: {a: Tern}, dirty: [a], sendCount: 2}}
`},
		"a refused old attempt places its issues, and the newer values follow": {replaces, backend("{broken: true, after: 10ms}, {after: 10ms, status: 422, body: {errors: {b: No.}}}, {after: 1s, status: 200, headers: {ETag: v9}}") + `  - {at: 3s, edit: {a: Tern}}
  - {at: 4s, submit: true}
  - {at: 4500ms, expect: {submission: sending, keyCount: 2, sendCount: 3, shown: {b: [customError]}, said: newer answers are being sent, sentValues: {a: Tern}}}
  - {at: 6s, expect: {submission: accepted, unsaved: false, shown: {}}}
`},
		"newer values that are held are told together with the outcome": {strings.Replace(replaces, "method: PUT", "method: PUT, whileSending: edit", 1), backend("{broken: true, after: 10ms}, {after: 1s, status: 200, headers: {ETag: v9}}") + `  - {at: 3s, edit: {a: Tern}}
  - {at: 4s, submit: true}
  - {at: 4500ms, edit: {a: far too long}}
  - {at: 6s, expect: {submission: accepted, sendCount: 2, shown: {a: [tooLong]}, focus: a, said: have been received. Not sent}}
`},
		"the newer values do not follow after a reset": {replaces, backend("{never: true}, {after: 1s, status: 200, headers: {ETag: v9}}") + `  - {at: 5s, edit: {a: Tern}}
  - {at: 6s, submit: true}
  - {at: 6500ms, reset: true}
  - {at: 8s, expect: {submission: accepted, sendCount: 2, values: {a: Egret}, unsaved: false}}
`},
		"an old attempt that turns out outdated loads, and nothing follows": {replaces, strings.Replace(backend("{broken: true, after: 10ms}, {after: 10ms, status: 412}"), "body: {a: Heron}}]", "body: {a: Heron}}, {after: 10ms, status: 200, headers: {ETag: v2}, body: {a: Plover}}]", 1) + `  - {at: 3s, edit: {a: Tern}}
  - {at: 4s, submit: true}
  - {at: 5s, expect: {submission: outdated, sendCount: 2, contested: [a], holds: [contested]}}
`},
		"another button follows with the same values": {strings.Replace(replaces, "method: PUT", "method: PUT, buttons: [save, publish]", 1), backend("{broken: true, after: 10ms}, {after: 10ms, status: 200, headers: {ETag: v9}}, {after: 10ms, status: 200, headers: {ETag: v9}}") + `  - {at: 4s, submit: publish}
  - {at: 5s, expect: {submission: accepted, sendCount: 3, keyCount: 2}}
`},
		"repeats used up are unsettled, and a retry counts them anew": {replaces, backend("{after: 0, status: 503}, {after: 0, status: 503}, {after: 0, status: 503}, {after: 0, status: 200, headers: {ETag: v9}}") + `  - {at: 4s, expect: {submission: unsettled, sendCount: 2}}
  - {at: 5s, retry: true}
  - {at: 7s, expect: {submission: accepted, sendCount: 4, keyCount: 1}}
`},
		"a wait can be cancelled": {replaces, backend("{after: 0, status: 503}, {after: 0, status: 200, headers: {ETag: v9}}") + `  - {at: 2500ms, cancel: true}
  - {at: 2500ms, expect: {submission: unsettled}}
  - {at: 4s, expect: {sendCount: 1}}
  - {at: 5s, retry: true}
  - {at: 6s, expect: {submission: accepted, keyCount: 1}}
`},
		"a late refusal after a time-out is stale": {replaces, backend("{after: 3s, status: 422, body: {errors: {a: No.}}}, {after: 10ms, status: 200, headers: {ETag: v9}}") + `  - {at: 6s, expect: {submission: unsettled, shown: {}}}
  - {at: 7s, retry: true}
  - {at: 8s, expect: {submission: accepted}}
`},
		"a late acceptance stops the repeat that waits": {replaces, backend("{after: 4s, status: 200, headers: {ETag: v9}}, {after: 0, status: 503, headers: {Retry-After: \"4\"}}") + `  - {at: 5s, retry: true}
  - {at: 5500ms, expect: {submission: waiting}}
  - {at: 6s, expect: {submission: accepted}}
  - {at: 12s, expect: {sendCount: 2, unsaved: false}}
`},
	})
}
