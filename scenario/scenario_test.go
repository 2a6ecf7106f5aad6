package scenario

import (
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
)

// ferry is a form that is not the demo's: a booking with a check, rows, and a
// field that is asked only sometimes.
const ferry = `form: ferry-booking
schema:
  properties:
    passenger: {type: string, minLength: 2}
    seats: {type: integer, minimum: 1, maximum: 8}
    cabin: {type: boolean}
    deck: {enum: [upper, lower]}
    slip: {type: string}
    bicycles: {type: array, items: {properties: {owner: {type: string}}, required: [owner]}, maxItems: 2}
  required: [passenger, seats]
fields:
  passenger: {}
  seats: {}
  cabin: {}
  deck: {when: {cabin: true}}
  slip: {check: {url: "/slips/{value}", delay: 300ms, timeout: 2s}}
  bicycles: {}
prefill: {url: /booking, ifEdited: ask}
submit: {url: /bookings, method: PUT, undeclared: leave, timeout: 5s, resend: {times: 1, wait: 1s, longest: 10s}}
`

// playText plays a timeline on the ferry form.
func playText(t *testing.T, text string) *Result {
	t.Helper()
	files := fstest.MapFS{
		"ferry.form.yaml": {Data: []byte(ferry)},
		"a.scenario.yaml": {Data: []byte("scenario: a test\nform: ferry.form.yaml\n" + text)},
	}
	s, err := NewReader(files).File("a.scenario.yaml")
	require.NoError(t, err)
	return Play(s, Options{})
}

func passes(t *testing.T, text string) {
	t.Helper()
	result := playText(t, text)
	for _, f := range result.Failures {
		t.Error(f)
	}
}

func TestHarbourScenariosHold(t *testing.T) {
	reader := NewReader(harbour.Files())
	require.GreaterOrEqual(t, len(harbour.Scenarios()), 8)
	for _, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		require.NoError(t, err)
		result, steps := Record(s, nil)
		require.Empty(t, result.Failures, name)
		require.NotEmpty(t, steps)
		again, stepsAgain := Record(s, nil)
		require.Equal(t, steps, stepsAgain, "playing is deterministic")
		require.Equal(t, result.Events, again.Events)
	}
}

const arrives = "backend:\n  prefill: [{after: 100ms, status: 200, headers: {ETag: '\"4\"'}, body: {passenger: Ada, seats: 2}}]\n"

func TestVirtualTimeAndEveryAction(t *testing.T) {
	passes(t, arrives+`  checks: {slip: [{after: 50ms, status: 200}, {after: 50ms, status: 422, body: {message: That slip is closed.}}]}
  submit: [{after: 1s, status: 200, headers: {ETag: '"5"'}}]
timeline:
  - {at: 50ms, edit: {passenger: Ben}}
  - {at: 100ms, expect: {contested: [passenger], holds: [contested], prefill: ready}}
  - {at: 200ms, resolve: {passenger: mine}}
  - {at: 200ms, expect: {contested: [], holds: [], values: {passenger: Ben, seats: 2}}}
  - {at: 1s, edit: {cabin: true, deck: upper}}
  - {at: 1s, edit: {cabin: false}}
  - {at: 1s, expect: {values: {deck: null}}}
  - {at: 1s, edit: {cabin: true}}
  - {at: 1s, expect: {values: {deck: upper}, dirty: [passenger, cabin, deck]}}
  - {at: 2s, add: bicycles}
  - {at: 2s, edit: {bicycles/0/owner: Cay}}
  - {at: 2s, add: bicycles}
  - {at: 2s, expect: {issues: {bicycles/1/owner: [valueMissing]}}}
  - {at: 2s, edit: {bicycles/1/owner: Dot}}
  - {at: 2s, move: {from: bicycles/1, to: bicycles/0}}
  - {at: 2s, expect: {values: {bicycles: [{owner: Dot}, {owner: Cay}]}}}
  - {at: 2s, remove: bicycles/1}
  - {at: 3s, edit: {slip: A1}}
  - {at: 3200ms, edit: {slip: A2}}
  - {at: 3600ms, expect: {issues: {}}}
  - {at: 4s, edit: {slip: A3}}
  - {at: 4s, submit: true}
  - {at: 4s, expect: {submission: checking, holds: [checking]}}
  - {at: 4050ms, expect: {submission: idle, shown: {slip: [customError]}, focus: slip, sendCount: 0}}
  - {at: 5s, edit: {slip: ""}}
  - {at: 6s, submit: submit}
  - {at: 6s, expect: {submission: sending, sentValues: {passenger: Ben, bicycles: [{owner: Dot}]}}}
  - {at: 7s, expect: {submission: accepted, unsaved: false, sendCount: 1, ignored: 0, loadCount: 1}}
  - {at: 8s, leave: /quay}
  - {at: 8s, expect: {leave: gone, destination: /quay}}
  - {at: 9s, returned: true}
  - {at: 9s, expect: {leave: present}}
`)
}

func TestWrongExpectationsFailWithTheirLine(t *testing.T) {
	result := playText(t, arrives+`timeline:
  - {at: 1s, edit: {seats: "9"}}
  - {at: 1s, expect: {values: {seats: 8}, dirty: [], issues: {seats: [rangeUnderflow]}, shown: {}, said: hello}}
  - at: 1s
    expect:
      submission: sending
      holds: []
      unsaved: false
`)
	lines := []string{}
	for _, f := range result.Failures {
		require.Equal(t, "a.scenario.yaml", f.File)
		lines = append(lines, f.String())
	}
	require.Len(t, lines, 7)
	all := strings.Join(lines, "\n")
	for _, want := range []string{
		"a.scenario.yaml:7:32: at 1 s expected values seats = 8; was seats = 9",
		":7:43: at 1 s expected dirty []; was dirty [seats]",
		"expected issues at seats [rangeUnderflow]; was issues at seats [rangeOverflow]",
		"expected said \"hello\"; was said nothing",
		"a.scenario.yaml:10:7: at 1 s expected submission sending; was idle",
		"a.scenario.yaml:11:7: at 1 s expected holds []; was holds [invalid]",
		"expected unsaved false; was true",
	} {
		require.Contains(t, all, want)
	}
}

func TestAnswersTooFewAndTooMany(t *testing.T) {
	few := playText(t, arrives+"timeline:\n  - {at: 1s, edit: {seats: \"3\"}}\n  - {at: 1s, submit: true}\n")
	require.Len(t, few.Failures, 1)
	require.Contains(t, few.Failures[0].Found, "a send for which no answer is left")
	many := playText(t, arrives+"  submit: [{after: 1s, status: 200}]\ntimeline:\n  - {at: 1s, blur: seats}\n")
	require.Len(t, many.Failures, 1)
	require.Contains(t, many.Failures[0].Found, "never asked for")
	require.Equal(t, 5, many.Failures[0].Line)
}

func TestKeptWorkComesBack(t *testing.T) {
	passes(t, `backend:
  prefill: [{after: 100ms, status: 200, headers: {ETag: '"4"'}, body: {passenger: Ada, seats: 2}}]
  submit: [{after: 100ms, status: 200, headers: {ETag: '"5"'}}, {after: 100ms, status: 200, headers: {ETag: '"6"'}}]
draft:
  values: {passenger: Ben, seats: "3"}
  baseline: {passenger: Ada, seats: 2}
  attempt: {version: '"4"', values: {passenger: Ben, seats: 2}}
timeline:
  - {at: 0, expect: {submission: unsettled, said: sent earlier, dirty: [passenger, seats], keyCount: 1}}
  - {at: 1s, submit: true}
  - {at: 2s, expect: {submission: accepted, sendCount: 2, keyCount: 2, unsaved: false, values: {passenger: Ben, seats: 3}}}
`)
}

func TestMistakesAreToldWithTheirPlace(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"key":        {"timelin: []", "a.scenario.yaml:3:1: found the unknown key timelin; right would be timeline"},
		"path":       {"timeline: [{at: 1s, edit: {seat: x}}]", "3:28: found the path seat, which the form does not have; right would be seats"},
		"back":       {"timeline: [{at: 2s, blur: seats}, {at: 1s, blur: seats}]", "found \"1s\" after 2s; right would be a time that does not go back"},
		"button":     {"timeline: [{at: 2s, submit: save}]", "found \"save\"; right would be submit"},
		"two":        {"timeline: [{at: 2s, cancel: true, retry: true}]", "2 actions in one entry"},
		"none":       {"timeline: [{at: 2s}]", "no action in one entry"},
		"no at":      {"timeline: [{cancel: true}]", "an entry without at"},
		"expect":     {"timeline: [{at: 1s, expect: {submision: idle}}]", "right would be submission"},
		"state":      {"timeline: [{at: 1s, expect: {submission: pending}}]", "found \"pending\"; right would be sending"},
		"rows":       {"timeline: [{at: 1s, add: seats}]", "found \"seats\"; right would be bicycles"},
		"status":     {"backend: {submit: [{after: 1s}]}\ntimeline: [{at: 1s, cancel: true}]", "an answer without status"},
		"no check":   {"backend: {checks: {seats: []}}\ntimeline: [{at: 1s, cancel: true}]", "a field with a check"},
		"former key": {"kept: {values: {seats: 2}}\ntimeline: [{at: 1s, cancel: true}]", "3:8: found kept, which is called draft now; right would be draft:"},
		"draft path": {"draft: {values: {seat: x}}\ntimeline: [{at: 1s, cancel: true}]", "right would be seats"},
	} {
		t.Run(name, func(t *testing.T) {
			files := fstest.MapFS{
				"ferry.form.yaml": {Data: []byte(ferry)},
				"a.scenario.yaml": {Data: []byte("scenario: a test\nform: ferry.form.yaml\n" + c.text + "\n")},
			}
			_, err := NewReader(files).File("a.scenario.yaml")
			var problems form.Problems
			require.ErrorAs(t, err, &problems)
			require.Contains(t, err.Error(), c.want)
		})
	}
}

// A draft for a form plays at once.
func TestDraftsPlay(t *testing.T) {
	files := fstest.MapFS{"ferry.form.yaml": {Data: []byte(ferry)}}
	for _, name := range harbour.Names() {
		data, err := fs.ReadFile(harbour.Files(), name)
		require.NoError(t, err)
		files[name] = &fstest.MapFile{Data: data}
	}
	reader := NewReader(files)
	for _, name := range append(harbour.Forms(), "ferry.form.yaml") {
		source, err := reader.form(name)
		require.NoError(t, err)
		files["draft.scenario.yaml"] = &fstest.MapFile{Data: First(source.Form, name)}
		draft, err := reader.File("draft.scenario.yaml")
		require.NoError(t, err)
		require.Empty(t, Play(draft, Options{}).Failures, name)
	}
}

func FuzzScenario(f *testing.F) {
	for _, name := range harbour.Scenarios() {
		data, _ := fs.ReadFile(harbour.Files(), name)
		f.Add(data)
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		reader := NewReader(harbour.Files())
		if s, err := reader.read("f.scenario.yaml", data); err == nil && len(s.Timeline) < 100 {
			Play(s, Options{})
		}
	})
}

func BenchmarkPlay(b *testing.B) {
	reader := NewReader(harbour.Files())
	for _, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		require.NoError(b, err)
		b.Run(strings.TrimSuffix(name, ".scenario.yaml"), func(b *testing.B) {
			for b.Loop() {
				Play(s, Options{})
			}
		})
	}
}

// A form in another language: its own decimal sign, its own texts and plurals.
func TestAnotherLanguage(t *testing.T) {
	files := fstest.MapFS{
		"a.form.yaml": {Data: []byte(`form: liegeplatz
title: Liegeplatz
lang: de
schema: {properties: {name: {type: string}, laenge: {type: number, maximum: 24.5, multipleOf: 0.1}, tiefgang: {type: number}}, required: [name, laenge]}
fields:
  name: {label: Schiffsname}
  laenge: {label: Länge, unit: m}
  tiefgang: {label: Tiefgang, rules: [{lessThan: laenge}], say: {badInput: "{label} ist keine Zahl."}}
prefill: {url: /x}
accepted: {say: Angekommen.}
texts:
  value-missing: "{label} fehlt."
  range-overflow: "{label}: höchstens {limit}."
  less-than: "{label} muss unter {other} liegen."
  blocked-invalid: {one: "Nicht gesendet, eine Angabe fehlt noch.", other: "Nicht gesendet, {count} Angaben stimmen nicht."}
`)},
		"a.scenario.yaml": {Data: []byte(`scenario: Auf Deutsch
form: a.form.yaml
backend:
  prefill: [{after: 10ms, status: 200, body: {tiefgang: 1.25}}]
  submit: [{after: 100ms, status: 200, headers: {ETag: '"6"'}}]
timeline:
  - {at: 1s, edit: {laenge: "24,6"}}
  - {at: 1s, expect: {values: {laenge: 24.6}, issues: {laenge: [rangeOverflow]}}}
  - {at: 2s, submit: true}
  - {at: 2s, expect: {said: "Nicht gesendet, 2 Angaben stimmen nicht."}}
  - {at: 3s, edit: {name: Reiher}}
  - {at: 3s, submit: true}
  - {at: 3s, expect: {said: "Nicht gesendet, eine Angabe fehlt noch."}}
  - {at: 4s, edit: {laenge: "9.4"}}
  - {at: 4s, expect: {issues: {laenge: [badInput]}}}
  - {at: 5s, edit: {laenge: "9,40"}}
  - {at: 6s, submit: true}
  - {at: 7s, expect: {submission: accepted, said: Angekommen., sentValues: {laenge: 9.4, tiefgang: 1.25}}}
`)},
	}
	s, err := NewReader(files).File("a.scenario.yaml")
	require.NoError(t, err)
	result, steps := Record(s, nil)
	require.Empty(t, result.Failures)
	shown := ""
	for _, step := range steps {
		for _, issue := range step.Issues {
			shown += issue.Text + "\n"
		}
	}
	require.Contains(t, shown, "Länge: höchstens 24,5 m.")
	require.Contains(t, shown, "Schiffsname fehlt.")
}

// A form that uses every key of the format, and a scenario on it.
func TestEveryKeyOfTheFormats(t *testing.T) {
	s, err := File("testdata/second-click.scenario.yaml")
	require.NoError(t, err)
	require.Empty(t, Play(s, Options{}).Failures)
	require.Equal(t, "berth", s.Form().Fields[4].Path)
	require.Equal(t, "/berths/{value}", s.Form().Fields[4].Check.URL)
	f, ok := s.Form().Lookup("insurance")
	require.True(t, ok)
	require.True(t, s.Form().Fields[f.Field].Private)
}
