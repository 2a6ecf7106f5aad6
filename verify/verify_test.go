package verify_test

import (
	"flag"
	"io/fs"
	"os"
	"slices"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/harbour"
	events "leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/scenario"
	"leanwicket.dev/verify"
)

func formOf(t testing.TB, text string) *declare.Source {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(text)}}, "f.form.yaml")
	require.NoError(t, err)
	return source
}

func walk(t testing.TB, form *form.Form, o verify.Options) *verify.Result {
	result, err := verify.Walk(form, o)
	require.NoError(t, err)
	return result
}

// long skips a test that walks many states.
func long(t *testing.T) {
	if testing.Short() {
		t.Skip("walks many states")
	}
}

// plays plays a session that was written; it returns what failed.
func plays(t testing.TB, source *declare.Source, session verify.Session, taken func(lifecycle.Transition)) []scenario.Failure {
	require.NotEmpty(t, session.Scenario)
	s, err := scenario.With(source, "written.scenario.yaml", session.Scenario)
	require.NoError(t, err, string(session.Scenario))
	return scenario.Play(s, scenario.Options{Taken: taken}).Failures
}

// The counts are the same at every run, and with one goroutine or several.
func TestHarbourFormsKeepEveryGuarantee(t *testing.T) {
	for k, name := range harbour.Forms() {
		if testing.Short() && k > 0 {
			break // the race detector is slow, and sees enough in one
		}
		source, walks := bounds(t, name)
		for _, o := range walks {
			o.Attempts, o.Tries, o.Loads, o.Rows, o.Workers = 1, 1, 1, 1, 1
			result := walk(t, source.Form, o)
			require.True(t, result.Complete(), name)
			require.Greater(t, result.States, 20, name)
			for _, b := range result.Breaches {
				t.Error(name, b.Error(), "\n"+string(b.Scenario))
			}
			o.Workers = 2
			again := walk(t, source.Form, o)
			require.Equal(t, [3]int{result.States, result.Transitions, result.Depth}, [3]int{again.States, again.Transitions, again.Depth}, name)
		}
	}
}

// Without limits every state is reached: there are finitely many.
func TestAnyNumberOfEverything(t *testing.T) {
	long(t)
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string, maxLength: 6}}, required: [a]}\nprefill: {url: /a}\nsubmit: {method: PUT, whileSending: edit, timeout: 2s}\n")
	result := walk(t, source.Form, verify.Options{})
	require.True(t, result.Complete())
	require.Empty(t, result.Breaches)
	require.Greater(t, result.States, 10_000)
	require.Greater(t, result.States, walk(t, source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 1}).States)
}

var impossible = map[string]string{
	"comparisons":  "form: f\nschema: {properties: {from: {type: string, format: date}, to: {type: string, format: date}}, required: [from, to]}\nfields: {from: {rules: [{greaterThan: to}]}, to: {rules: [{greaterThan: from}]}}\n",
	"bounds":       "form: f\nschema: {properties: {n: {type: number, minimum: 5, maximum: 9, multipleOf: 10}}, required: [n]}\n",
	"never loaded": "form: f\nschema: {properties: {n: {type: integer, multipleOf: 3, exclusiveMinimum: 3, exclusiveMaximum: 6}}, required: [n]}\nprefill: {url: /n}\n",
}

func TestFormsThatNobodyCanCompleteAreFound(t *testing.T) {
	for name, text := range impossible {
		source := formOf(t, text)
		result := walk(t, source.Form, verify.Options{Attempts: 1, Loads: 1})
		require.Len(t, result.Breaches, 1, name)
		require.Equal(t, guarantee.WayForward, result.Breaches[0].Guarantee, name)
		require.Empty(t, plays(t, source, result.Breaches[0].Session, nil), name)
	}
}

// The reductions leave the verdicts as they are: the same guarantees, prices and
// transitions, on forms that are small enough for both.
func TestReductionsChangeNoVerdict(t *testing.T) {
	forms := map[string]string{
		"creates":    "form: f\nschema: {properties: {a: {type: string, maxLength: 6}}, required: [a]}\naccepted: {then: clear, lasts: 5s}\n",
		"replaces":   "form: f\nschema: {properties: {a: {type: string}}}\nprefill: {url: /a}\nsubmit: {method: PUT, whileSending: edit}\n",
		"never asks": "form: f\nschema: {properties: {a: {type: string}}}\nleave: {when: never}\n",
		"gives up":   "form: f\nschema: {properties: {a: {type: string}}}\nleave: {inFlight: allow, when: dirtyAndTouched}\n",
		"checked":    "form: f\nschema: {properties: {a: {type: string}}}\nfields: {a: {check: {url: /a, delay: 0ms}}}\nsubmit: {resend: {times: 1}}\n",
		"rows":       "form: f\nschema: {properties: {crew: {type: array, items: {type: object, properties: {name: {type: string}}}}}}\n",
	}
	twoTries := []string{"creates", "replaces", "never asks", "gives up"} // the others are too large for that, or send nothing
	for name, text := range impossible {
		forms[name] = text
	}
	for name, text := range forms {
		source := formOf(t, text)
		o := verify.Options{Attempts: 1, Tries: 1, Loads: 1, Rows: 1, Wanted: func(lifecycle.Transition) bool { return false }}
		if slices.Contains(twoTries, name) {
			o.Tries = 2
		}
		reduced := walk(t, source.Form, o)
		o.Whole = true
		whole := walk(t, source.Form, o)
		require.Less(t, reduced.States, whole.States, name)
		require.Equal(t, verdict(whole), verdict(reduced), name)
	}
}

// So it is on forms of any kind, as far as both walks end soon. The forms are the same ones each time, and other ones with LONG=1.
func TestReductionsOfAnyForm(t *testing.T) {
	long(t)
	if os.Getenv("LONG") == "" {
		before := flag.Lookup("rapid.seed").Value.String()
		require.NoError(t, flag.Set("rapid.seed", "14"))
		defer func() { _ = flag.Set("rapid.seed", before) }()
	}
	compared := 0
	rapid.Check(t, func(t *rapid.T) {
		f := events.Form(t)
		plan := verify.Plan(f, 1)
		if len(plan) == 0 {
			return
		}
		o := verify.Options{
			Attempts: 1, Tries: 1, Loads: 1, Rows: 1, States: 3_000, Edited: rapid.SampledFrom(plan).Draw(t, "edited"),
			Earlier: rapid.Bool().Draw(t, "earlier"), Wanted: func(lifecycle.Transition) bool { return false },
		}
		reduced, err := verify.Walk(f, o)
		require.NoError(t, err)
		o.Whole = true
		whole, err := verify.Walk(f, o)
		require.NoError(t, err)
		if whole.Complete() && reduced.Complete() {
			compared++
			require.Equal(t, verdict(whole), verdict(reduced))
		}
	})
	require.Greater(t, compared, 1)
	t.Log(compared, "compared")
}

func verdict(r *verify.Result) (all struct {
	Broken, Prices []string
	Shown          []int
	Reached        map[string]bool
},
) {
	for _, b := range r.Breaches {
		all.Broken = append(all.Broken, b.Guarantee.String())
	}
	for _, w := range r.Waived {
		all.Prices = append(all.Prices, w.Policy)
		all.Shown = append(all.Shown, len(w.Events))
	}
	all.Reached = map[string]bool{}
	for _, t := range r.Reached {
		all.Reached[t.String()] = true
	}
	return all
}

// Wider bounds find what narrower ones find: a walk in which no row comes or goes takes nothing for
// broken that is not. Each walk goes on from bounds to bounds, as far as the states reach, and says
// which were finished.
func TestWalksGoOnToWiderBounds(t *testing.T) {
	long(t)
	rapid.Check(t, func(t *rapid.T) {
		f := events.Form(t)
		walks := verify.Walks(f, verify.Options{Attempts: 1, Tries: 1, Loads: 1, Rows: 1, States: 600}, verify.Plan(f, 1))
		if len(walks) == 0 {
			return
		}
		o := rapid.SampledFrom(walks).Draw(t, "walk")
		wide, err := verify.Walk(f, o)
		require.NoError(t, err)
		o.RowsStay = true
		narrow, err := verify.Walk(f, o)
		require.NoError(t, err)
		if wide.Complete() {
			require.Subset(t, append(verdict(wide).Broken, ""), append(verdict(narrow).Broken, ""))
		}
	})
	source := formOf(t, `form: crew
schema: {properties: {ship: {type: string}, crew: {type: array, items: {type: object, properties: {name: {type: string}}}}}}
fields: {ship: {}, crew/*/name: {}}
prefill: {url: /crew, needed: false}
submit: {url: /crew, method: PUT, undeclared: leave}
`)
	o := verify.Options{Attempts: 1, Tries: 2, Loads: 1, Rows: 1}
	walks := verify.Walks(source.Form, o, [][]string{{"ship"}, {"crew/0/name"}})
	within := func(states int) (bounds []string, notDeep int) {
		report, err := verify.Deepen(source.Form, walks, states)
		require.NoError(t, err)
		require.Empty(t, report.Breaches)
		require.Empty(t, report.Unfinished())
		for _, w := range report.Walks {
			t.Log(w.Bounds, w.States)
			bounds = append(bounds, w.Bounds)
		}
		return bounds, len(report.NotDeep)
	}
	bounds, notDeep := within(0)
	require.Equal(t, len(walks), notDeep)
	require.Contains(t, bounds, "1 attempt, 1 try each, 1 load, 1 row")
	require.Contains(t, bounds, "1 attempt, 1 try each, 1 load, no row added or removed")
	bounds, notDeep = within(40_000)
	require.Positive(t, notDeep)
	require.Contains(t, bounds, "1 attempt, 2 tries each, 1 load, 1 row")
	require.Contains(t, bounds, "after an earlier page 1 attempt, 1 try each, 1 load, no row added or removed")
	bounds, notDeep = within(1 << 30)
	require.Zero(t, notDeep)
	for k, o := range walks {
		require.Contains(t, bounds[k], "1 attempt, 2 tries each, 1 load, 1 row", o.Edited)
	}
}

// Fields that are declared alike are interchangeable: fewer states, one verdict.
func TestFieldsThatAreAlike(t *testing.T) {
	long(t)
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string}, b: {type: string}, c: {type: string}}}\nprefill: {url: /a}\n")
	alike := walk(t, source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 1, Edited: []string{"a", "b", "c"}})
	require.Empty(t, alike.Breaches)
	source = formOf(t, "form: f\nschema: {properties: {a: {type: string, maxLength: 2001}, b: {type: string, maxLength: 2002}, c: {type: string, maxLength: 2003}}}\nprefill: {url: /a}\n")
	different := walk(t, source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 1, Edited: []string{"a", "b", "c"}})
	require.Less(t, 3*alike.States, different.States)
}

func TestAWalkStopsAtItsLimit(t *testing.T) {
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string}}}\n")
	require.Contains(t, walk(t, source.Form, verify.Options{States: 50}).Unfinished, "limit of 50 states")
	require.Contains(t, walk(t, source.Form, verify.Options{Memory: 1 << 16}).Unfinished, "of memory")
	stop := make(chan struct{})
	close(stop)
	require.Contains(t, walk(t, source.Form, verify.Options{Stop: stop}).Unfinished, "interrupted")
	_, err := verify.Walk(source.Form, verify.Options{Edited: []string{"z"}})
	require.ErrorContains(t, err, "no field z")
}

// A guarantee that a policy trades away is waived, and its price is shown by a
// session that plays.
func TestWhatPoliciesCost(t *testing.T) {
	for policy, text := range map[string]string{
		guarantee.PolicyNeverAsk:   "leave: {when: never}\n",
		guarantee.PolicyAskTouched: "leave: {when: dirtyAndTouched}\n",
		guarantee.PolicyInFlight:   "leave: {inFlight: allow}\n",
		guarantee.PolicyKeep:       "prefill: {url: /a}\nsubmit: {method: PUT}\n",
	} {
		source := formOf(t, "form: f\nschema: {properties: {a: {type: string}}}\n"+text)
		result := walk(t, source.Form, verify.Options{Attempts: 1, Tries: 1, Loads: 2})
		require.Empty(t, result.Breaches)
		require.Len(t, result.Waived, 1, policy)
		require.Equal(t, policy, result.Waived[0].Policy)
		require.Empty(t, plays(t, source, result.Waived[0].Session, nil), policy)
		require.Less(t, len(result.Waived[0].Events), 5)
	}
}

// Every transition comes with a scenario that takes it.
func TestWrittenScenariosTakeTheirTransition(t *testing.T) {
	long(t)
	for _, name := range []string{"visit.form.yaml", "vessel.form.yaml", "pilot.form.yaml"} {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		all := func(lifecycle.Transition) bool { return true }
		walks := verify.Walks(source.Form, verify.Options{Attempts: 2, Tries: 2, Loads: 2, States: 20_000, Wanted: all}, verify.Plan(source.Form, 1)[:1])
		report, err := verify.Verify(source.Form, walks)
		require.NoError(t, err)
		require.Greater(t, len(report.Reached), 40)
		for _, r := range report.Reached {
			took := false
			failures := plays(t, source, r.Session, func(t lifecycle.Transition) { took = took || t == r.Transition })
			require.Empty(t, failures, "%s\n%s", r.String(), r.Scenario)
			require.True(t, took, "%s\n%s", r.String(), r.Scenario)
		}
	}
}

// bounds are the walks of a harbour form as they are committed beside it.
func bounds(t testing.TB, form string) (*declare.Source, []verify.Options) {
	source, err := declare.OpenFS(harbour.Files(), form)
	require.NoError(t, err)
	file := strings.Replace(form, ".form.", ".bounds.", 1)
	data, err := fs.ReadFile(harbour.Files(), file)
	require.NoError(t, err)
	walks, err := verify.Bounds(source, file, data, verify.Options{Rows: 2})
	require.NoError(t, err)
	return source, walks
}

func TestBoundsFiles(t *testing.T) {
	for _, name := range harbour.Forms() {
		_, walks := bounds(t, name)
		require.True(t, walks[0].Attempts == 0 || walks[0].Attempts >= 2, name)
		require.True(t, walks[len(walks)-1].Earlier, name)
	}
	source := formOf(t, "form: f\nschema: {properties: {a: {type: string}}}\n")
	for text, message := range map[string]string{
		"walks: [{edit: [b]}]":              `f.bounds.yaml:1:17: found the path b`,
		"walks: [{edit: [a], attempts: 0}]": "right would be a whole number, at least 1",
		"walks: [{attempts: 1}]":            "a walk that edits nothing",
		"walk: []":                          "the unknown key walk",
		"{}":                                "no walks",
	} {
		_, err := verify.Bounds(source, "f.bounds.yaml", []byte(text), verify.Options{})
		require.ErrorContains(t, err, message, text)
	}
}

// Whatever a bounds file says, it is read or told to be wrong.
func FuzzBounds(f *testing.F) {
	f.Add("walks: [{edit: [a], attempts: any, tries: 2, loads: 1, rows: 3, earlier: true}]")
	f.Add("walks: [{edit: [b]}, {attempts: 0}]")
	f.Add("walks: 7")
	source := formOf(f, "form: f\nschema: {properties: {a: {type: string}}}\n")
	f.Fuzz(func(t *testing.T, text string) {
		walks, err := verify.Bounds(source, "f.bounds.yaml", []byte(text), verify.Options{})
		if err == nil && len(walks) == 0 {
			t.Error("nothing is walked, and nothing is wrong")
		}
	})
}

// A form that holds what is unchanged has a way forward, however few answers a field has: one
// address, a box that has to be ticked, a choice of one, a box that decides what is asked.
func TestUnchangedFormsWithFewAnswers(t *testing.T) {
	held := func(schema string) *form.Form {
		return formOf(t, "form: reader\nschema: "+schema+"\nprefill: {url: /reader, needed: true}\nsubmit: {url: /reader, method: PUT, unchanged: hold}\n").Form
	}
	bounds := verify.Options{Attempts: 1, Tries: 1, Loads: 2}
	for _, schema := range []string{
		`{properties: {email: {type: string, format: email}}, required: [email]}`,
		`{properties: {email: {type: string, format: email}, agreed: {const: true}}, required: [email, agreed]}`,
		`{properties: {site: {type: string, format: uri}, kind: {enum: [only]}}, required: [kind]}`,
		`{properties: {power: {type: boolean}, since: {type: string, format: date}}, if: {properties: {power: {const: true}}, required: [power]}, then: {required: [since]}}`,
	} {
		f := held(schema)
		for _, o := range verify.Walks(f, bounds, verify.Plan(f, 1)) {
			require.Empty(t, walk(t, f, o).Breaches, "%s, edited: %v", schema, o.Edited)
		}
	}
	// Where there is no other answer at all, it is said what is in the way.
	bounds.Edited = []string{"agreed"}
	result := walk(t, held(`{properties: {agreed: {const: true}}, required: [agreed]}`), bounds)
	require.NotEmpty(t, result.Breaches)
	require.Contains(t, result.Breaches[0].What, "in the way: unchanged")
}

// Time bounds the walks: what was not walked is told, also where the walk that was under way has
// come to its end.
func TestTheTimeIsOver(t *testing.T) {
	source, err := declare.OpenFS(harbour.First(), "berth.form.yaml")
	require.NoError(t, err)
	past := time.Now().Add(-time.Second)
	report, err := verify.Verify(source.Form, []verify.Options{{Edited: []string{"name"}, Until: past}, {Edited: []string{"length"}, Until: past}})
	require.NoError(t, err)
	require.Equal(t, [][]string{{"length"}}, report.NotTaken)
	require.Contains(t, report.Unfinished(), "its time is over")
	small := verify.Options{Edited: []string{"name"}, Attempts: 1, Tries: 1, Loads: 1}
	whole, err := verify.Verify(source.Form, []verify.Options{small})
	require.NoError(t, err)
	require.Empty(t, whole.Unfinished())
	stop := make(chan struct{})
	small.Stop = stop
	small.Progress = func(p verify.Progress) {
		if p.Frontier == 0 { // the last that is told of this walk
			close(stop)
		}
	}
	report, err = verify.Verify(source.Form, []verify.Options{small, {Edited: []string{"length"}}})
	require.NoError(t, err)
	require.Equal(t, whole.Walks[0].States, report.Walks[0].States)
	require.Equal(t, "not every walk was taken", report.Unfinished())
}

// What is broken is told when it is found.
func TestABreachIsToldAtOnce(t *testing.T) {
	source := formOf(t, "form: hopeless\nschema: {properties: {n: {type: number, minimum: 5, maximum: 9, multipleOf: 10}}, required: [n]}\n")
	var told []string
	report, err := verify.Verify(source.Form, []verify.Options{{Attempts: 1, Tries: 1, Found: func(b verify.Breach) { told = append(told, b.Guarantee.String()) }}})
	require.NoError(t, err)
	require.Len(t, report.Breaches, 1)
	require.Equal(t, []string{"way-forward"}, told)
}
