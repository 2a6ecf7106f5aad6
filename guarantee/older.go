package guarantee

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// replacesAccepted reports whether a step has accepted what replaces a saved record.
func (w *Watch) replacesAccepted(o outcomes) bool {
	declared := w.session.Form()
	return o.learnt && o.kind == lifecycle.ReplyAccepted && !declared.Submit.Creates() && declared.Prefill.Loads()
}

// checkAccepted judges never-older: what was accepted is what an answer holds then, unless it was typed since, or is
// not asked any more, or the form goes on with other answers. A merge patch says nothing of what had not changed,
// what an earlier page had not loaded was not sent, and what was absent may not have been asked.
func (w *Watch) checkAccepted(o outcomes) {
	f := w.session.Form()
	if then := f.Accepted.Then; !w.replacesAccepted(o) || w.sent == nil || w.adopted || then == form.ThenClear || then == form.ThenAdopt {
		return
	}
	for _, a := range w.sent.values {
		if a.Row >= 0 || a.Value.Absent() || f.Fields[a.Field].Kind == form.KindRows || f.Submit.Method == "PATCH" && !a.Changed {
			continue
		}
		x, _ := w.session.At(a.Place)
		typed := slices.ContainsFunc(w.then.fields, func(b fieldBefore) bool { return b.place == a.Place && b.kept == x.Underlying() })
		if x.Underlying() != a.Value && !typed && (reading{w.session}).asked(x, true) {
			w.broken(NeverOlder, f.Path(a.Place), "it holds another answer than the one that was accepted, and nobody has edited it")
		}
	}
}

// checkNoneOlder judges never-older: after an acceptance no answer counts that was read before it.
func (w *Watch) checkNoneOlder(o outcomes, load lifecycle.RequestID) {
	if w.replacesAccepted(o) && (w.session.AnswerWaits() || load != 0 && load == w.load) {
		w.broken(NeverOlder, "", "an answer that was read before an acceptance still counts after it")
	}
}
