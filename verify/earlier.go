package verify

import (
	"fmt"
	"strings"

	"leanwicket.dev/lifecycle"
)

// earlier is what an earlier page kept, and how a scenario file says it; kept is
// nil where there was no earlier page.
type earlier struct {
	name string
	kept *lifecycle.Restored
	text string
}

// earlierPages are what an earlier page can have kept: unsaved work, and an
// attempt that was open. That page is played: its load arrives, it is filled in
// and submitted.
func (m *mover) earlierPages() []earlier {
	var pages []earlier
	s, opening := lifecycle.Open(m.form, lifecycle.Seed{})
	for _, e := range opening {
		if e.Kind == lifecycle.EffectLoad {
			load := m.loads[0].event
			load.Request = e.Request
			_, _ = s.Apply(load) // it is the newest load's answer
		}
	}
	for _, e := range m.filled {
		_, _ = s.Apply(e) // what is turned away is not kept
	}
	for _, f := range m.fields {
		if raw, ok := f.accepted(m.form); ok {
			_, _ = s.Apply(lifecycle.Edit(f.path, raw))
		}
	}
	kept, private := &lifecycle.Restored{}, false
	baselines := ""
	for f := range s.Fields() {
		if f.Declared().Kind == lifecycle.KindRows {
			continue
		}
		private = private || f.Declared().Private && !f.Value().Absent()
		if !f.Baseline().Absent() {
			baselines += fmt.Sprintf(", %s: %s", quote(f.Path()), quote(m.form.Format(f.Baseline())))
		}
		if f.Dirty() && !f.Declared().Private {
			kept.Values = append(kept.Values, lifecycle.Kept{Path: f.Path(), Raw: f.Raw(), Baseline: f.Baseline()})
		}
	}
	if len(kept.Values) == 0 {
		return pages
	}
	text := func(attempt string) string {
		values := ""
		for _, v := range kept.Values {
			values += fmt.Sprintf(", %s: %s", quote(v.Path), quote(v.Raw))
		}
		return fmt.Sprintf("kept: {values: {%s}, baseline: {%s}%s}\n", strings.TrimPrefix(values, ", "), strings.TrimPrefix(baselines, ", "), attempt)
	}
	pages = append(pages, earlier{"with unsaved work of an earlier page", kept, text("")})
	if _, err := s.Apply(lifecycle.Submit("")); err != nil || s.Attempt().Number == 0 || private {
		return pages // private values are not kept, and with them no attempt
	}
	attempt := &lifecycle.KeptAttempt{
		Key: lifecycle.Key{0: 0xea, 15: 0x1e}, Button: s.Attempt().Button, Version: s.Attempt().Version, Values: s.AppendSent(nil),
	}
	sent := ""
	for _, a := range attempt.Values {
		if m.form.Fields[a.Field].Kind != lifecycle.KindRows && !a.Value.Absent() {
			sent += fmt.Sprintf(", %s: %s", quote(m.form.Path(a.Place)), quote(m.form.Format(a.Value)))
		}
	}
	return append(pages, earlier{
		"with an open attempt of an earlier page",
		&lifecycle.Restored{Values: kept.Values, Attempt: attempt},
		text(fmt.Sprintf(", attempt: {button: %s, version: %s, values: {%s}}", quote(attempt.Button), quote(attempt.Version), strings.TrimPrefix(sent, ", "))),
	})
}

// accepted is the first text that is typed at the field and accepted, and is not
// what a load brings.
func (f *edited) accepted(form *lifecycle.Form) (string, bool) {
	for _, raw := range f.raws {
		if v := form.Parse(f.field, raw); !v.Absent() && v != f.saved && form.Accepts(f.field, v) {
			return raw, true
		}
	}
	return "", false
}
