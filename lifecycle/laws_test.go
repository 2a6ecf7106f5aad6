package lifecycle_test

import (
	"fmt"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"leanwicket.dev/internal/state"
	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
)

func TestAnyOrderOfEventsKeepsEveryGuarantee(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := walk.New(walk.Form(t))
		if rapid.IntRange(0, 3).Draw(t, "kept") == 0 {
			w.Step(lifecycle.Restore(w.Draft(t)))
			for _, breach := range w.Breaches {
				t.Fatal(breach)
			}
		}
		copied, mirror := &lifecycle.Session{}, walk.NewMirror(w.Session)
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			e := w.Event(t)
			if step := w.Step(e); step.Err == nil {
				mirror.Follow(w.Session)
			}
			if problem := mirror.Difference(w.Session); problem != "" {
				t.Fatalf("%s\n%s", problem, strings.Join(w.Log, "\n"))
			}
			for _, breach := range w.Breaches {
				t.Fatalf("%v\n%s", breach, strings.Join(w.Log, "\n"))
			}
			if problem := lifecycle.Recount(w.Session); problem != "" {
				t.Fatalf("%s\n%s", problem, strings.Join(w.Log, "\n"))
			}
		}
		copied.CopyFrom(w.Session)
		if string(state.AppendExact(nil, copied)) != string(state.AppendExact(nil, w.Session)) {
			t.Fatal("a copy is another state")
		}
		would := w.Session.AppendValues(nil)
		if sent := lifecycle.CopiedValues(w.Session); fmt.Sprint(would) != fmt.Sprint(sent) {
			t.Fatalf("what would be sent is %v, and what an attempt copies %v", would, sent)
		}
		e := w.Event(t)
		a, errA := w.Session.Apply(e)
		b, errB := copied.Apply(e)
		if fmt.Sprint(a, errA) != fmt.Sprint(b, errB) || string(state.AppendExact(nil, copied)) != string(state.AppendExact(nil, w.Session)) {
			t.Fatalf("a copy goes another way at %v", e)
		}
	})
}
