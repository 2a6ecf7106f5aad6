package runner

// keep calls Options.Keep with what would be lost, where that may have changed.
func (r *Runner) keep() {
	if r.o.Keep == nil {
		return
	}
	kept, more := r.session.Draft()
	if kept != nil && kept.Attempt != nil && kept.Attempt.Key == r.prepared.key {
		kept.Attempt.Body = string(r.prepared.body)
	}
	if kept == nil && !more && !r.kept {
		return
	}
	r.kept = kept != nil || more
	r.o.Keep(kept, more)
}
