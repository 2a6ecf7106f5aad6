package reference

import (
	"fmt"
	"slices"
	"strings"

	"leanwicket.dev/internal/wire"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// checkReload: a page that opens with what an earlier one kept is the page that was
// left. After the same load both read the same, but for marks of touch, the activity
// and the notice. An answer that the living page keeps for later is no load yet, and
// private answers are not kept. Of a group of which single answers are kept the next
// page does not know how many rows it had.
func (a *Account) checkReload(kept *lifecycle.Draft) {
	attempt := a.s.Attempt()
	switch {
	case kept == nil, len(a.rules.private) > 0, a.s.Prefill() != lifecycle.PrefillReady, len(a.s.Waiting()) > 0,
		a.s.Activity() != lifecycle.ActivityIdle, a.s.Leaving() != lifecycle.LeavePresent,
		attempt.Number > 0 && attempt.Outcome == lifecycle.OutcomeOpen,
		len(a.screen().rows) != len(a.office.rows()) && slices.ContainsFunc(kept.Values, func(v lifecycle.DraftAnswer) bool { return strings.HasPrefix(v.Path, "crew/") }):
		return
	}
	record := a.office.load(true)
	living := &lifecycle.Session{}
	living.CopyFrom(a.s)
	refreshed, err := living.Apply(lifecycle.Refresh())
	if err != nil {
		return
	}
	a.load(living, refreshed, record)
	next, opened := lifecycle.Open(a.rules.form, lifecycle.Seed{255})
	opened = slices.Clone(opened)
	if _, err := next.Apply(lifecycle.Restore(kept)); err != nil {
		a.fail("what was kept is turned away: %v", err)
	}
	a.load(next, opened, record)
	if was, is := reading(living), reading(next); was != is {
		a.fail("after the same load the page that was left reads\n%s\nand the next one, opened from\n%s\nreads\n%s", was, show(a.rules.form, kept), is)
	}
}

// load gives a session the answer to the load that its effects ask for.
func (a *Account) load(s *lifecycle.Session, effects []lifecycle.Effect, record replies.Response) {
	for _, e := range slices.Clone(effects) {
		if e.Kind == lifecycle.EffectLoad {
			if _, err := s.Apply(replies.Event(a.rules.form, e, wire.Received(record))); err != nil {
				a.fail("a load is not taken: %v", err)
			}
		}
	}
}

// reading is what can be read of a session's answers.
func reading(s *lifecycle.Session) string {
	var b strings.Builder
	fmt.Fprintf(&b, "version %s, unsaved %v\n", s.Version(), s.Unsaved())
	for f := range s.Fields() {
		fmt.Fprintf(&b, "%s %q over %v, asked %v, dirty %v, contested %v\n", f.Path(), f.Underlying().String(), f.Baseline(), f.Asked(), f.Dirty(), f.Contested())
	}
	return b.String()
}
