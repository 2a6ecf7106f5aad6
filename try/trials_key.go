package try

import "fmt"

// again sends once more and returns the keys of the submission before and of this one; or
// it ends the trial.
func (t *tab) again(before int) (first, second string) {
	t.replying("submit", t.success())
	t.press()
	if !t.waitFor(moment, func() bool { return len(t.sent()) > before }) {
		t.cannot("it is not sent again: %s", t.says())
	}
	sent := t.sent()
	return sent[before-1].Key, sent[len(sent)-1].Key
}

// keyed sends something once, and ends the trial where it has no key.
func (t *tab) keyed(r reply) (before look) {
	before = t.submits(r)
	if t.sent()[0].Key == "" {
		t.end(verdict{NotApplicable, "the page sends no key; that is what lost-reply is about"})
	}
	return before
}

// settled is a submission with a key that is answered, and over.
func (t *tab) settled(r reply) (before look) {
	before = t.keyed(r)
	t.until(moment, func(l look) bool { return l.ends(before) })
	t.quiet()
	return before
}

// newKeyAfterRefusal mends what was refused: that is another submission.
func newKeyAfterRefusal(t *tab) (Verdict, string) {
	t.settled(t.refusal.reply)
	raw, accepted := t.another(t.refusal.path)
	if !accepted {
		return NotApplicable, "of the refused field no other value is known that is accepted"
	}
	t.typeIn(t.refusal.path, raw)
	t.quiet()
	if first, second := t.again(1); first == second {
		return Broken, "what was changed after a refusal carries the key of what was refused"
	}
	return Kept, "it carries another key"
}

// newKeyAfterSuccess fills the form in a second time.
func newKeyAfterSuccess(t *tab) (Verdict, string) {
	before := t.settled(t.success())
	now := t.see()
	if now.URL != before.URL || len(now.Fields) == 0 || len(now.Buttons) == 0 && len(t.declared.Submit.Before) == 0 {
		return NotApplicable, "the page goes on after success"
	}
	t.fill()
	path, _ := t.text(false)
	raw, accepted := t.another(path)
	if !accepted {
		return NotApplicable, "of no text another value is known that is accepted"
	}
	t.typeIn(path, raw)
	t.quiet()
	if first, second := t.again(1); first == second {
		return Broken, "the next application carries the key of the one before"
	}
	return Kept, "the next one carries another key"
}

// sameKeyAfter sends again what may have arrived.
func sameKeyAfter(what string, r reply) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		before := t.keyed(r)
		patience := moment
		if r.never {
			patience = t.patience()
		}
		if _, ended := t.until(patience, func(l look) bool { return l.ends(before) }); !ended {
			return NotApplicable, "it does not end after " + what
		}
		if first, second := t.again(len(t.sent())); first != second {
			return Broken, fmt.Sprintf("after %s it is sent again with another key: if the first one arrived, there are two records", what)
		}
		return Kept, "it is sent again with the same key"
	}
}
