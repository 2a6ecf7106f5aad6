package verify

import (
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/sample"
)

// fillOf finds the edits that complete a form, and the text that each field has then. These texts go
// together: each comparison of two fields holds.
func fillOf(declared *form.Form) (edits []lifecycle.Event, chosen map[string]string, err error) {
	d := declared.Declaration
	d.Prefill = form.PrefillPolicy{} // nothing is locked then
	unlocked, err := form.New(d)
	if err != nil {
		return nil, nil, err
	}
	edits, _ = sample.Fill(unlocked)
	chosen = map[string]string{}
	for _, e := range edits {
		if e.Kind == lifecycle.EventEdit {
			chosen[e.Path] = e.Raw
		}
	}
	return edits, chosen, nil
}

// fill keeps the edits that complete the fields which the walk does not edit.
func (m *successors) fill(edits []lifecycle.Event) {
	last := map[string]int{}
	for k, e := range edits {
		if e.Kind == lifecycle.EventEdit {
			last[e.Path] = k
		}
	}
	for _, f := range m.fields {
		last[f.path] = -1
	}
	for k, e := range edits {
		if e.Kind != lifecycle.EventEdit || last[e.Path] == k {
			m.filled = append(m.filled, e)
		}
	}
}

// beginning lists what happens before the walk begins. The work of an earlier page comes back, or
// the other fields are filled in, unless they are locked until the load has arrived.
func (m *successors) beginning(page earlier) []lifecycle.Event {
	if page.kept != nil {
		return []lifecycle.Event{lifecycle.Restore(page.kept)}
	}
	if m.form.Prefill.Lock && m.form.Prefill.Loads() {
		return nil
	}
	return m.filled
}
