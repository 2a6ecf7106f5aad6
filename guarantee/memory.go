package guarantee

import (
	"encoding/binary"
	"maps"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// work is what a key carries, by what is written down of it.
func (w *Watch) work(f *lifecycle.Effect) *sentWork {
	return w.workOf(f.Button, f.Values)
}

func (w *Watch) workOf(button string, values []form.Answer) *sentWork {
	w.text = appendContent(w.text[:0], button, values)
	if known := w.works[string(w.text)]; known != nil {
		return known
	}
	work := &sentWork{content: string(w.text), button: button, values: slices.Clone(values)}
	for _, a := range values {
		if !a.Value.Absent() {
			work.present = append(work.present, form.Answer{Place: a.Place, Value: a.Value})
		}
	}
	if w.works != nil {
		w.works[work.content] = work
	}
	return work
}

// samePresent reports whether two works carry the same button and answers, in any
// order, beside those that are absent and groups without rows.
func (w *Watch) samePresent(a, b *sentWork) bool {
	f := w.session.Form()
	present := func(work *sentWork) map[form.Place]form.Value {
		values := make(map[form.Place]form.Value, len(work.present))
		for _, v := range work.present {
			if f.Fields[v.Field].Kind != form.KindRows || v.Value.Integer() > 0 {
				values[v.Place] = v.Value
			}
		}
		return values
	}
	return a.button == b.button && maps.Equal(present(a), present(b))
}

func appendContent(to []byte, button string, values []form.Answer) []byte {
	to = append(to, button...)
	for _, a := range values {
		to = append(to, 0, byte(a.Value.Kind))
		if a.Changed {
			to = append(to, 1)
		}
		for _, n := range [...]int64{int64(a.Field), int64(a.Row), a.Value.Coef, int64(a.Value.Exp)} {
			to = binary.AppendVarint(to, n)
		}
		to = append(to, a.Value.Text...)
	}
	return to
}

// CopyFrom makes w the same watch as v, of a session that is a copy of v's.
// Both see the state that v has taken down before a step, until v takes down another.
func (w *Watch) CopyFrom(v *Watch, s *lifecycle.Session) {
	w.session, w.then, w.seen = s, v.then, v.seen
	w.checks = append(w.checks[:0], v.checks...)
	w.timers = append(w.timers[:0], v.timers...)
	w.late = append(w.late[:0], v.late...)
	w.sent, w.sentIDs = v.sent, append(w.sentIDs[:0], v.sentIDs...)
	w.keys = append(w.keys[:0], v.keys...)
	w.works = v.works
	w.breaches = w.breaches[:0]
}

// Session is what is watched.
func (w *Watch) Session() *lifecycle.Session { return w.session }

// Armed lists the timers that run, in the order in which they were armed. It is
// valid until the next step.
func (w *Watch) Armed() []ArmedTimer { return w.timers }

// Loading is the load that is on its way, or 0.
func (w *Watch) Loading() lifecycle.RequestID { return w.load }

// AppendChecks lists the checks that are out.
func (w *Watch) AppendChecks(to []lifecycle.RequestID) []lifecycle.RequestID {
	for _, c := range w.checks {
		to = append(to, c.request)
	}
	return to
}

// AppendTries lists the tries of the newest attempt whose answer still counts. These are the one in
// flight, and those that were left behind, of which only an acceptance counts.
func (w *Watch) AppendTries(to []int32) []int32 {
	if w.settled {
		return to
	}
	to = append(to, w.late...)
	if w.inFlight != 0 {
		to = append(to, w.inFlight)
	}
	return to
}
