package runner

import "leanwicket.dev/lifecycle"

// keep hands over what would be lost, where that may have changed.
func (r *Runner) keep() {
	if r.o.Keep == nil {
		return
	}
	kept, more := r.session.Kept()
	if kept == nil && !more && !r.kept {
		return
	}
	r.kept = kept != nil || more
	r.o.Keep(kept, more)
}

// Kept is what a page keeps of a session: see lifecycle.Session.Kept.
func Kept(s *lifecycle.Session) *lifecycle.Restored {
	kept, _ := s.Kept()
	return kept
}
