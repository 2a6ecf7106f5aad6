package runner

import "leanwicket.dev/lifecycle"

// keep hands over what would be lost, where that may have changed.
func (r *Runner) keep() {
	if r.o.Keep == nil {
		return
	}
	kept := Kept(r.session)
	if kept == nil && !r.kept {
		return
	}
	r.kept = kept != nil
	r.o.Keep(kept)
}

// Kept is what a page keeps of a session, so that the next one can go on: every
// dirty value, every value of a group that has changed and, behind an open attempt, every edit, each with its baseline,
// and that attempt; nil: nothing would be lost. Private values are never kept, nor
// is an attempt that sent one.
func Kept(s *lifecycle.Session) *lifecycle.Restored {
	if s.Leaving() == lifecycle.LeaveGone {
		return nil
	}
	form, kept := s.Form(), &lifecycle.Restored{}
	attempt := openAttempt(s)
	changed := false // of the group whose rows follow
	for f := range s.Fields() {
		declared := f.Declared()
		if _, inRows := form.Group(f.Place().Field); declared.Kind == lifecycle.KindRows {
			changed = f.Dirty()
			continue
		} else if declared.Private || !f.Dirty() && !(inRows && changed) && (attempt == nil || !f.EditedSince()) {
			continue
		}
		kept.Values = append(kept.Values, lifecycle.Kept{Path: f.Path(), Raw: f.Raw(), Baseline: f.KeptBaseline()})
	}
	if attempt != nil && !sentPrivate(form, attempt.Values) {
		kept.Attempt = attempt
	}
	if kept.Attempt == nil && kept.Values == nil {
		return nil
	}
	return kept
}

// openAttempt is the newest attempt while its outcome is not known.
func openAttempt(s *lifecycle.Session) *lifecycle.KeptAttempt {
	a := s.Attempt()
	if a.Number == 0 || a.Outcome != lifecycle.OutcomeOpen {
		return nil
	}
	return &lifecycle.KeptAttempt{Key: a.Key, Button: a.Button, Version: a.Version, Values: s.AppendSent(nil)}
}

func sentPrivate(form *lifecycle.Form, values []lifecycle.Answer) bool {
	for _, v := range values {
		if form.Fields[v.Field].Private && !v.Value.Absent() {
			return true
		}
	}
	return false
}
