package scenario

import (
	"bytes"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/trace"
)

// Rules about the version that a save is based on, and about what was given up for what is saved.
// The version is the only guard over somebody else's work.
func TestRulesOfVersionsAndChoices(t *testing.T) {
	record := "submit: {url: /s, method: PUT, timeout: 2s, whileSending: edit}\n"
	plain := "prefill: {url: /r, needed: false, ifEdited: keep}\nsubmit: {url: /s, method: PUT}\n"
	check(t, map[string]rule{
		"nothing follows an outdated save of a form that loads nothing": {record, `backend:
  submit:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}}
    - {broken: true, after: 10ms}
    - {after: 10ms, status: 412}
    - {after: 10ms, status: 200, headers: {ETag: '"3"'}}
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: true}
  - {at: 3s, edit: {a: Egret}}
  - {at: 4s, submit: true}
  - {at: 4500ms, expect: {submission: unsettled, sentVersion: '"1"'}}
  - {at: 5s, edit: {a: Tern}}
  - {at: 6s, submit: true}
  - {at: 7s, expect: {submission: refused, sendCount: 3, keyCount: 2}}
  - {at: 8s, submit: true}
  - {at: 9s, expect: {submission: accepted, sendCount: 4, keyCount: 3, sentVersion: null}}
`},
		"the version that a kept attempt carried is known": {record, `draft:
  values: {a: Tern}
  baseline: {a: Egret}
  attempt: {button: submit, version: '"3"', values: {a: Heron}}
backend:
  submit:
    - {after: 10ms, status: 422, body: {errors: {a: No.}}}
    - {after: 10ms, status: 200, headers: {ETag: '"5"'}}
timeline:
  - {at: 1s, submit: true}
  - {at: 2s, expect: {submission: accepted, sendCount: 2, keyCount: 2, sentVersion: '"3"'}}
`},
		"the version that an earlier page knew is known without an attempt": {record, `draft: {values: {a: Tern}, baseline: {a: Egret}, version: '"3"'}
backend: {submit: [{after: 10ms, status: 200, headers: {ETag: '"4"'}}, {after: 10ms, status: 200}, {after: 10ms, status: 200}]}
timeline:
  - {at: 1s, submit: true}
  - {at: 2s, expect: {submission: accepted, sentVersion: '"3"'}}
  - {at: 3s, edit: {a: Heron}}
  - {at: 4s, submit: true}
  - {at: 5s, expect: {submission: accepted, sentVersion: '"4"'}}
  - {at: 6s, edit: {a: Egret}}
  - {at: 7s, submit: true}
  - {at: 8s, expect: {submission: accepted, sentVersion: null}}
`},
		"an acceptance without a version leaves none, and the form loads again": {"prefill: {url: /r}\n" + record, `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Heron}}
    - {after: 10ms, status: 200, headers: {ETag: '"8"'}, body: {a: Tern}}
  submit: [{after: 10ms, status: 200}, {after: 10ms, status: 200, headers: {ETag: '"9"'}}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 2005ms, expect: {sentVersion: '"1"'}}
  - {at: 3s, expect: {submission: accepted, loadCount: 2}}
  - {at: 4s, edit: {a: Egret}}
  - {at: 5s, submit: true}
  - {at: 6s, expect: {submission: accepted, sentVersion: '"8"'}}
`},
		"an outdated save asks, also where a load arrived while it was sent": {plain, `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Heron}}
    - {after: 500ms, status: 200, headers: {ETag: '"2"'}, body: {a: Egret}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {a: Egret}}
  submit: [{after: 1s, status: 412}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, refresh: true}
  - {at: 2100ms, submit: true}
  - {at: 5s, expect: {contested: [a], holds: [contested]}}
`},
		"a field resolved to the saved value follows the next load": {plain, `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Heron}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {a: Egret}}
    - {after: 10ms, status: 200, headers: {ETag: '"3"'}, body: {a: Plover}}
  submit: [{after: 10ms, status: 412}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {contested: [a]}}
  - {at: 3500ms, edit: {a: Gull}}
  - {at: 4s, resolve: {a: theirs}}
  - {at: 4s, expect: {values: {a: Egret}, unsaved: false}}
  - {at: 5s, refresh: true}
  - {at: 6s, expect: {values: {a: Plover}, unsaved: false}}
`},
		"rows given up for the saved ones follow the load, also on a page that opened with them": {plain, `draft:
  values: {rows: [{x: Heron, y: Tern}]}
  baseline: {rows: [{x: Heron, y: Egret}, {x: Knot}]}
  contested: [rows]
backend: {prefill: [{after: 2s, status: 200, headers: {ETag: '"9"'}, body: {rows: [{x: Heron, y: Plover}, {x: Knot}]}}]}
timeline:
  - {at: 1s, resolve: {rows: theirs}}
  - {at: 1s, expect: {values: {rows: [{x: Heron, y: Egret}, {x: Knot}]}, unsaved: false, dirty: []}}
  - {at: 3s, expect: {values: {rows: [{x: Heron, y: Plover}, {x: Knot}]}, unsaved: false}}
`},
		"typing what is saved ends the choice, also where the saved answers do not ask the field": {"fields: {b: {when: {box: true}}}\nprefill: {url: /r, needed: false, ifEdited: ask}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {box: false, b: Heron}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {box: false, b: Egret}}
timeline:
  - {at: 1s, edit: {box: true}}
  - {at: 2s, edit: {b: Tern}}
  - {at: 3s, refresh: true}
  - {at: 4s, expect: {contested: [b]}}
  - {at: 5s, edit: {b: Egret}}
  - {at: 6s, expect: {contested: [], holds: []}}
`},
	})
}

// Rules that only a rare session shows.
func TestRulesOfRareSessions(t *testing.T) {
	check(t, map[string]rule{
		"a clear that is held waits for the next reset where another button was pressed": {"submit: {url: /s, method: PUT, buttons: [save, publish], unchanged: hold, timeout: 2s}\naccepted: {then: clear}\n", `backend: {submit: [{broken: true, after: 10ms}, {after: 10ms, status: 200}]}
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: save}
  - {at: 3s, submit: publish}
  - {at: 4s, expect: {submission: accepted, sendCount: 2, values: {a: Heron}}}
  - {at: 5s, reset: true}
  - {at: 5s, expect: {values: {a: null}}}
`},
		"a row edited since stays at the end, though the rows are taken as they were sent": {"prefill: {url: /r, needed: false}\nsubmit: {url: /s, method: PUT, timeout: 2s}\n", `draft:
  values: {a: Tern}
  attempt: {button: submit, values: {a: Tern, rows: [{x: Ada}]}}
backend:
  prefill: [{after: 100ms, status: 200, body: {rows: [{x: Ada}, {x: Ben}]}}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {rows/1/x: Cy}}
  - {at: 2s, retry: true}
  - {at: 3s, expect: {submission: accepted, values: {rows: [{x: Ada}, {x: Cy}]}, unsaved: true}}
`},
		"what is not asked any more has no issues, and none when it is asked again": {"fields: {b: {when: {box: true}}}\nsubmit: {url: /s}\n", `backend: {submit: [{after: 10ms, status: 422, body: {errors: {b: No.}}}]}
timeline:
  - {at: 1s, edit: {box: true, b: Heron}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {shown: {b: [customError]}}}
  - {at: 4s, edit: {box: false}}
  - {at: 4s, expect: {issues: {}}}
  - {at: 5s, edit: {box: true}}
  - {at: 5s, expect: {issues: {}}}
`},
		"a refresh that is needed and fails is missing": {"prefill: {url: /r}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill: [{after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Heron}}, {after: 10ms, status: 500}]
  submit: [{after: 10ms, status: 200}]
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, prefill: failed, holds: [prefill-missing]}}
`},
		"fewer rows than were received are another application": {"submit: {url: /s}\n", `backend: {submit: [{after: 10ms, status: 201}]}
timeline:
  - {at: 1s, add: rows}
  - {at: 1s, add: rows}
  - {at: 2s, edit: {rows/0/x: Ada, rows/1/x: Ben}}
  - {at: 3s, submit: true}
  - {at: 5s, expect: {holds: [received]}}
  - {at: 6s, remove: rows/1}
  - {at: 6s, expect: {holds: []}}
`},
		"what a merge brings back in the step of an edit is not brought back by the edit": {"prefill: {url: /r}\nsubmit: {url: /s, method: PUT, unchanged: hold}\nfields: {a: {check: {url: '/a/{value}', delay: 0s}}, b: {when: {box: true}, check: {url: '/b/{value}', delay: 0s}}}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Egret, box: false}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {a: Egret, box: true}}
  checks: {a: [{never: true}]}
timeline:
  - {at: 1s, edit: {b: Heron}}
  - {at: 2s, edit: {a: Tern}}
  - {at: 3s, submit: true}
  - {at: 3s, expect: {submission: checking}}
  - {at: 3100ms, refresh: true}
  - {at: 3200ms, edit: {a: Egret}}
  - {at: 3300ms, expect: {submission: idle, values: {box: true, b: Heron}, dirty: [b]}}
`},
		"to take what is saved brings back what it asks as a load does, and checks nothing": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /s, method: PUT}\nfields: {b: {when: {a: Tern}, check: {url: '/b/{value}', delay: 0s}}}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {a: Egret}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {a: Tern}}
timeline:
  - {at: 1s, edit: {a: Gull, b: Heron}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: [a]}}
  - {at: 4s, resolve: {a: theirs}}
  - {at: 5s, expect: {values: {a: Tern, b: Heron}, dirty: [b], contested: []}}
`},
		"holds are those of the button that was used": {"submit: {url: /s, buttons: [send, save]}\n", `backend: {submit: [{after: 10ms, status: 201}]}
timeline:
  - {at: 1s, edit: {a: Heron}}
  - {at: 2s, submit: save}
  - {at: 4s, expect: {holds: [received]}}
`},
		"rows that a load has changed behind what was kept are contested, though a private answer was not known": {"prefill: {url: /r, ifEdited: ask}\nsubmit: {url: /s, method: PUT}\nfields: {rows/*/y: {private: true}}\n", `draft:
  values: {rows: [{x: Ada}, {x: Ben}]}
  baseline: {rows: [{x: Ada}]}
backend:
  prefill:
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {rows: [{x: Ada, y: one}]}}
    - {after: 10ms, status: 200, headers: {ETag: '"1"'}, body: {rows: [{x: Ada, y: one}]}}
    - {after: 10ms, status: 200, headers: {ETag: '"2"'}, body: {rows: [{x: Ada, y: two}]}}
timeline:
  - {at: 1s, expect: {contested: []}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {contested: []}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {contested: [rows]}}
`},
	})
}

// A box that has to be ticked holds until it is.
func TestABoxThatHasToBeTicked(t *testing.T) {
	files := fstest.MapFS{
		"t.form.yaml": {Data: []byte("form: terms\nschema: {properties: {terms: {type: boolean, const: true}}, required: [terms]}\nsubmit: {url: /s}\n")},
		"s.scenario.yaml": {Data: []byte(`scenario: s
form: t.form.yaml
backend: {submit: [{after: 10ms, status: 201}]}
timeline:
  - {at: 1s, submit: true}
  - {at: 1s, expect: {sendCount: 0, holds: [invalid], shown: {terms: [valueMissing]}}}
  - {at: 2s, edit: {terms: true}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted}}
`)},
	}
	s, err := NewReader(files).File("s.scenario.yaml")
	require.NoError(t, err)
	require.Empty(t, Play(s, Options{}).Failures)
}

// What a reply is taken for, in the words of scenario files.
func TestRulesOfReplies(t *testing.T) {
	check(t, map[string]rule{
		"a page, half a body and a page to sign in are no acceptances": {"signInPaths: [/sign-in]\nsubmit: {url: /s}\naccepted: {then: clear}\n", `backend:
  submit:
    - {after: 10ms, status: 200, type: text/html, body: "<h1>Welcome</h1>"}
    - {after: 10ms, status: 201, body: {id: 7}, cut: true}
    - {after: 10ms, status: 200, body: {ok: false}}
    - {after: 10ms, status: 200, from: /elsewhere, type: text/html, body: "<h1>Start</h1>"}
    - {broken: true, signedOut: true, after: 10ms}
    - {after: 10ms, status: 422}
    - {after: 10ms, status: 200, from: "/sign-in?next=/s", type: text/html, body: "<h1>Sign in</h1>"}
    - {after: 10ms, status: 201}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: unsettled, values: {a: Tern}}}
  - {at: 4s, submit: true}
  - {at: 5s, expect: {submission: unsettled}}
  - {at: 6s, submit: true}
  - {at: 7s, expect: {submission: unsettled}}
  - {at: 8s, submit: true}
  - {at: 9s, expect: {submission: unsettled}}
  - {at: 10s, submit: true}
  - {at: 11s, expect: {submission: unsettled, said: You seem to be signed out.}}
  - {at: 12s, submit: true}
  - {at: 13s, expect: {submission: refused, keyCount: 1}}
  - {at: 14s, submit: true}
  - {at: 15s, expect: {submission: denied, said: you are signed out, values: {a: Tern}}}
  - {at: 16s, retry: true}
  - {at: 17s, expect: {submission: accepted, values: {a: null}}}
`},
		"a load that is turned down says so, and holds": {"signInPaths: [/sign-in]\nprefill: {url: /r}\nsubmit: {url: /s, method: PUT}\n", `backend:
  prefill:
    - {after: 10ms, status: 200, from: /sign-in, type: text/html, body: "<h1>Sign in</h1>"}
    - {after: 10ms, status: 403}
    - {broken: true, signedOut: true, after: 10ms}
    - {after: 10ms, status: 200, body: {berth: B2}}
    - {after: 10ms, status: 200, body: {a: Tern, more: null}}
timeline:
  - {at: 1s, expect: {prefill: failed, said: You are signed out, holds: [prefill-missing]}}
  - {at: 2s, refresh: true}
  - {at: 3s, expect: {prefill: failed, said: You are signed out}}
  - {at: 4s, refresh: true}
  - {at: 5s, expect: {prefill: failed, said: You are signed out}}
  - {at: 6s, refresh: true}
  - {at: 7s, expect: {prefill: failed, said: could not be loaded, holds: [prefill-missing]}}
  - {at: 8s, refresh: true}
  - {at: 9s, expect: {prefill: ready, values: {a: Tern}, holds: []}}
`},
		"of the declared pause and Retry-After the longer counts": {"submit: {url: /s, resend: {times: 2, wait: 10s, longest: 20m}}\n", `backend:
  submit:
    - {after: 10ms, status: 503, headers: {Retry-After: 2}}
    - {after: 10ms, status: 503, headers: {Retry-After: 60}}
    - {after: 10ms, status: 201}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 11s, expect: {submission: waiting, sendCount: 1, said: again in 10 s}}
  - {at: 13s, expect: {submission: waiting, sendCount: 2}}
  - {at: 60s, expect: {submission: waiting, sendCount: 2}}
  - {at: 75s, expect: {submission: accepted, sendCount: 3}}
`},
		"a pause of more than an hour is later": {"submit: {url: /s, resend: {times: 2, wait: 1s, longest: 3h}}\n", `backend:
  submit:
    - {after: 10ms, status: 503, headers: {Retry-After: 7200}}
    - {after: 10ms, status: 503, headers: {Retry-After: 99999999999}}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: waiting, said: sent again later}}
  - {at: 3h, expect: {submission: unsettled, said: Try again later}}
`},
		"who is not told where to goes nowhere": {"submit: {url: /s}\naccepted: {then: navigate, to: '/s/{id}'}\n", `backend: {submit: [{after: 10ms, status: 201}, {after: 10ms, status: 201, body: {id: 7}}]}
timeline:
  - {at: 1s, edit: {a: Tern}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {submission: accepted, leave: present, said: have been received}}
  - {at: 4s, edit: {a: Heron}}
  - {at: 5s, submit: true}
  - {at: 6s, expect: {leave: gone, destination: /s/7}}
`},
	})
}

// A trace of a session replays, whatever private answers repeat of a destination.
func TestDestinationsThatRepeatPrivateAnswers(t *testing.T) {
	const form = "form: private\nschema: {properties: {a: {type: string}, pin: {type: string}}}\nfields: {pin: {private: true}}\nsubmit: {url: /s, timeout: 2s, whileSending: edit}\naccepted: {then: navigate, to: /plans/7}\n"
	for name, timeline := range map[string]string{
		"typed after": `  - {at: 1s, edit: {a: x}}
  - {at: 2s, submit: true}
  - {at: 3s, leave: /plans/1}
  - {at: 3500ms, edit: {pin: "1"}}
  - {at: 5s, leave: /plans/1}
`,
		"typed before": `  - {at: 1s, edit: {a: x, pin: "1"}}
  - {at: 2s, leave: /plans/1}
  - {at: 3s, edit: {pin: "2"}}
  - {at: 4s, leave: /plans/2}
  - {at: 5s, leave: /plans/1}
  - {at: 6s, submit: true}
`,
		"the form's own": `  - {at: 1s, edit: {a: x, pin: "7"}}
  - {at: 2s, submit: true}
  - {at: 3s, expect: {destination: /plans/7}}
`,
	} {
		t.Run(name, func(t *testing.T) {
			submit := "[{never: true}]"
			if strings.HasPrefix(name, "the form") {
				submit = "[{after: 10ms, status: 201}]"
			} else if name == "typed before" {
				submit = "[{after: 9s, status: 201}]"
			}
			files := fstest.MapFS{
				"p.form.yaml":     {Data: []byte(form)},
				"s.scenario.yaml": {Data: []byte("scenario: s\nform: p.form.yaml\nbackend: {submit: " + submit + "}\ntimeline:\n" + timeline)},
			}
			s, err := NewReader(files).File("s.scenario.yaml")
			require.NoError(t, err)
			var record bytes.Buffer
			result := Play(s, Options{Trace: &record})
			require.Empty(t, result.Failures)
			require.NotContains(t, strings.ReplaceAll(record.String(), `\"`, ""), `"raw":"1"`)
			replays(t, s, record.Bytes())
		})
	}
}

// replays holds a session against its own record.
func replays(t *testing.T, s *Scenario, record []byte) {
	t.Helper()
	read, err := trace.Read(bytes.NewReader(record))
	require.NoError(t, err, string(record))
	difference, err := trace.Replay(s.Form(), read, trace.Observer{})
	require.NoError(t, err)
	require.Nil(t, difference, string(record))
}
