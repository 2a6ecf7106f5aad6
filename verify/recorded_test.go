package verify_test

import (
	"bytes"
	"crypto/sha256"
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	events "leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
	"leanwicket.dev/scenario"
	"leanwicket.dev/trace"
	"leanwicket.dev/verify"
)

// Every harbour scenario, the shortest session for each transition of every
// harbour form, and sessions of any events on each, take the same states with
// the same effects as when they were recorded in testdata/recorded.txt. UPDATE=1
// records anew what was meant to change.
func TestRecordedSessions(t *testing.T) {
	long(t)
	var recorded bytes.Buffer
	reader := scenario.NewReader(harbour.Files())
	for _, name := range harbour.Scenarios() {
		s, err := reader.File(name)
		require.NoError(t, err)
		all := sha256.New()
		_, steps := scenario.Record(s, all)
		scenario.WriteSteps(all, steps, scenario.Style{})
		fmt.Fprintf(&recorded, "%.8x %s\n", all.Sum(nil), strings.TrimSuffix(name, ".scenario.yaml"))
	}
	for _, name := range harbour.Forms() {
		source, walks := bounds(t, name)
		for _, o := range walks {
			o.Attempts, o.Tries, o.Loads, o.States = 2, 2, 2, 10_000
			o.Wanted = func(lifecycle.Transition) bool { return true }
			all := sha256.New()
			result := walk(t, source.Form, o)
			for _, r := range result.Reached {
				record(t, source, r.Session, all)
			}
			from := ""
			if o.Earlier {
				from = " after an earlier page"
			}
			fmt.Fprintf(&recorded, "%.8x %s, %d transitions while %s is edited%s\n",
				all.Sum(nil), source.Form.Name, len(result.Reached), strings.Join(o.Edited, " and "), from)
		}
	}
	for _, name := range harbour.Forms() {
		source, err := declare.OpenFS(harbour.Files(), name)
		require.NoError(t, err)
		all := sha256.New()
		sessions := rapid.Custom(func(t *rapid.T) string { return anySession(t, source.Form) })
		for seed := range 250 {
			fmt.Fprintln(all, sessions.Example(seed))
		}
		fmt.Fprintf(&recorded, "%.8x %s, 250 sessions of any events\n", all.Sum(nil), source.Form.Name)
	}
	for part := range 8 { // forms with any rules and policies, also those that no harbour form has
		all := sha256.New()
		sessions := rapid.Custom(func(t *rapid.T) string { return anySession(t, events.Form(t)) })
		for seed := range 100 {
			fmt.Fprintln(all, sessions.Example(1000*part+seed))
		}
		fmt.Fprintf(&recorded, "%.8x 100 sessions of any form, part %d\n", all.Sum(nil), part+1)
	}
	const file = "testdata/recorded.txt"
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(file, recorded.Bytes(), 0o644))
	}
	before, err := os.ReadFile(file)
	require.NoError(t, err)
	require.Equal(t, string(before), recorded.String())
}

// anySession is what happens, and what then shows, when events come in any
// order.
func anySession(t *rapid.T, form *form.Form) string {
	w := events.New(form)
	var text, trail bytes.Buffer
	recorder := trace.NewWriter(&trail, w.Session, w.Opening)
	step := func(e lifecycle.Event) {
		taken := w.Step(e)
		_ = recorder.Step(0, taken) // to memory
		for _, effect := range taken.Effects {
			fmt.Fprintf(&text, "%+v\n", effect)
		}
		for f := range w.Session.Fields() {
			fmt.Fprintln(&text, f.Path(), f.Locked(), f.Raw(), f.Touched())
			for _, issue := range f.Issues() {
				fmt.Fprintln(&text, issue)
			}
		}
		fmt.Fprintln(&text, w.Session.FormIssues())
		for f := range w.Session.Changed() {
			fmt.Fprintln(&text, f.Path(), f.Raw())
		}
	}
	if rapid.Bool().Draw(t, "kept") {
		step(lifecycle.Restore(w.Draft(t)))
	} else if rapid.IntRange(0, 9).Draw(t, "nothing kept") == 0 {
		step(lifecycle.Restore(nil))
	}
	for range rapid.IntRange(0, 10).Draw(t, "before") {
		step(w.Event(t))
	}
	if rapid.Bool().Draw(t, "filled") { // then most submits are sent
		edits, _ := sample.Fill(form)
		for _, e := range edits {
			step(e)
		}
	}
	for range 50 {
		step(w.Event(t))
	}
	replayed(t, form, trail.Bytes())
	return text.String() + trail.String()
}

// replayed asks that a trace leads to the same states once more, private values
// redacted.
func replayed(t require.TestingT, form *form.Form, trail []byte) {
	record, err := trace.Read(bytes.NewReader(trail))
	require.NoError(t, err)
	difference, err := trace.Replay(form, record, trace.Observer{})
	require.NoError(t, err)
	require.Nil(t, difference)
}

func record(t *testing.T, source *declare.Source, session verify.Session, to io.Writer) {
	s, err := scenario.With(source, "written.scenario.yaml", session.Scenario)
	require.NoError(t, err, string(session.Scenario))
	_, steps := scenario.Record(s, to)
	scenario.WriteSteps(to, steps, scenario.Style{})
}
