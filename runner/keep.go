package runner

import "leanwicket.dev/lifecycle"

// keep hands over what would be lost, where that may have changed.
func (r *Runner) keep() {
	if r.o.Keep == nil {
		return
	}
	kept, more := Kept(r.session), sentMore(r.session)
	if kept == nil && !more && !r.kept {
		return
	}
	r.kept = kept != nil || more
	r.o.Keep(kept, more)
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

// sentMore reports whether an attempt is open that Kept leaves out.
func sentMore(s *lifecycle.Session) bool {
	attempt := openAttempt(s)
	return s.Leaving() != lifecycle.LeaveGone && attempt != nil && sentPrivate(s.Form(), attempt.Values)
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
