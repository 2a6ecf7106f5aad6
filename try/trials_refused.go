package try

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// refused sends a form that is refused at one of its fields.
func refused(judge func(t *tab, before, now look) (Verdict, string)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		before := t.full()
		t.refuses(before, t.refusal.reply)
		now := t.quiet()
		if len(now.Fields) == 0 {
			return Broken, "the page is gone, and what was typed with it"
		}
		return judge(t, before, now)
	}
}

// refuses sends the form, and waits for the words of the refusal.
func (t *tab) refuses(before look, r reply) {
	if before.has(t.refusal.says) {
		t.cannot("the page says %q before anything is refused; right would be refusal in the try file, with other words", t.refusal.says)
	}
	t.replying("submit", r)
	t.press()
	t.sends(1)
	t.until(moment, func(l look) bool { return l.has(t.refusal.says) })
}

func refusalShown(t *tab, _, now look) (Verdict, string) {
	if now.has(t.refusal.says) {
		return Kept, fmt.Sprintf("%q can be read", t.refusal.says)
	}
	return Broken, "what the server says cannot be read"
}

func refusalAtItsField(t *tab, _, now look) (Verdict, string) {
	path := t.refusal.path
	f, there := now.Fields[path]
	group, _ := t.inRows(path)
	switch {
	case !now.has(t.refusal.says):
		return NotApplicable, "what the server says is not shown"
	case !there && group != "":
		return NotApplicable, "the page has no " + path
	case !strings.Contains(f.Described, t.refusal.says):
		return Broken, fmt.Sprintf("it is not what %s is described by (aria-describedby or aria-errormessage)", path)
	case !f.Invalid:
		return Broken, fmt.Sprintf("%s has no aria-invalid", path)
	}
	return Kept, path + " is described by it"
}

// refusalAnnounced looks for the words in a live region, or where the focus has gone.
// A refusal has to be heard, in the server's words or in the page's own.
func refusalAnnounced(t *tab, before, now look) (Verdict, string) {
	says := t.refusal.says
	switch at := now.Fields[now.Focus]; {
	case !now.has(says):
		return NotApplicable, "what the server says is not shown"
	case slices.ContainsFunc(now.Alerts, func(text string) bool { return strings.Contains(text, says) }):
		return Kept, "the browser's own dialog says it"
	case now.announces(append(now.news(before), says)...):
		return Kept, "a live region says so"
	case now.Focus != "" && strings.Contains(at.Described, says) || strings.Contains(now.FocusText, says):
		return Kept, "the focus has gone to what says it"
	}
	return Broken, "no live region says it, and the focus does not go to it"
}

// announces reports whether a live region says one of some texts.
func (l look) announces(says ...string) bool {
	return slices.ContainsFunc(l.Live, func(text string) bool {
		return slices.ContainsFunc(says, func(one string) bool { return strings.Contains(text, one) })
	})
}

// refusalStays waits, because a refusal that has to be read and mended must not go by itself.
func refusalStays(t *tab, _, now look) (Verdict, string) {
	if !now.stands(t.refusal.says) {
		return NotApplicable, "what the server says does not stand on the page"
	}
	if _, gone := t.until(stays, func(l look) bool { return !l.stands(t.refusal.says) }); gone {
		return Broken, fmt.Sprintf("it goes away by itself within %.0f s, before it can be read and mended", stays.Seconds())
	}
	return Kept, fmt.Sprintf("it is there after %.0f s", stays.Seconds())
}

// stays is how long a refusal is watched.
const stays = 7 * time.Second

func refusalFocus(t *tab, _, now look) (Verdict, string) {
	path := t.refusal.path
	switch {
	case !now.has(t.refusal.says):
		return NotApplicable, "what the server says is not shown"
	case now.Focus == path:
		return Kept, path + " has the focus"
	case strings.Contains(now.FocusText, t.refusal.says):
		return Kept, "a summary that says so has the focus"
	}
	return Broken, "the focus stays where it was"
}

func refusalKeepsValues(t *tab, before, now look) (Verdict, string) {
	for _, path := range before.paths() {
		if f := before.Fields[path]; (f.Shown || len(t.typed[path]) > 0) && now.Fields[path].Value != f.Value {
			return Broken, fmt.Sprintf("%s was %q and is %q", path, f.Value, now.Fields[path].Value)
		}
	}
	return Kept, "every value is there"
}

func refusalGoes(t *tab, _, now look) (Verdict, string) {
	path := t.refusal.path
	if !now.stands(t.refusal.says) {
		return NotApplicable, "what the server says does not stay on the page"
	}
	raw, accepted := t.another(path)
	t.typeIn(path, raw)
	if _, gone := t.until(moment, func(l look) bool { return !l.stands(t.refusal.says) && !(accepted && l.Fields[path].Invalid) }); !gone {
		return Broken, "it stands at a value that the server never saw"
	}
	return Kept, "it went"
}

func nothingSwallowed(t *tab) (Verdict, string) {
	if t.refusal.unknowable != "" {
		return NotApplicable, t.refusal.unknowable
	}
	t.refuses(t.full(), t.refusal.stray)
	if !t.see().has(t.refusal.says) {
		return Broken, "an entry for a field that the form does not have is shown nowhere"
	}
	return Kept, "it is shown"
}

func signedOut(t *tab) (Verdict, string) {
	before := t.submits(reply{status: 401, kind: problemJSON, body: `{"title": "Sign in to go on."}`})
	var news []string
	now, told := t.until(moment, func(l look) bool { news = l.news(before); return len(news) > 0 && !l.waits(before) })
	verdict, why := refusalKeepsValues(t, before, now)
	if len(now.Fields) == 0 {
		verdict, why = Broken, "the page is gone, and what was typed with it"
	}
	if verdict == Broken {
		if prompts, _ := t.prompted(); prompts == 0 && t.isBack(before) {
			return Kept, "what was typed is there again when the page is opened after the sign-in"
		}
		return Broken, why
	}
	if prompts, _ := t.prompted(); prompts > 0 {
		return Broken, "the page goes away, and the browser asks whether what was typed may be lost"
	}
	if !told {
		return Broken, "nothing is said"
	}
	return Kept, fmt.Sprintf("%q", news[0])
}

// isBack opens the page once more, and reports whether everything that was typed is there: a
// draft was kept.
func (t *tab) isBack(before look) bool {
	t.replying("submit", t.success())
	now := t.arrive()
	for path, f := range before.Fields {
		if f.Value != t.opened.Fields[path].Value && now.Fields[path].Value != f.Value {
			return false
		}
	}
	return len(now.Fields) > 0
}

// lostReply loses the answer to a submission. A page may send it again by itself.
func lostReply(t *tab) (Verdict, string) {
	before := t.submits(reply{broken: true})
	now, told := t.until(moment, func(l look) bool { return l.ends(before) })
	if sent := t.sent(); len(sent) > 1 && len(now.Fields) > 0 {
		t.replying("submit", t.success())
		t.until(moment, func(l look) bool { return !l.waits(before) })
		for _, again := range t.sent()[1:] {
			if again.Key == "" || again.Key != sent[0].Key {
				return Broken, "it is sent again by itself without the same Idempotency-Key: if the first one arrived, there are two records"
			}
		}
		return Kept, "it is sent again by itself, with the same Idempotency-Key"
	}
	if len(now.Fields) == 0 {
		return Broken, "the page is gone, and what was typed with it"
	}
	if !told {
		return Broken, "nobody learns that it is not known whether it arrived"
	}
	first := t.sent()[0]
	count := len(t.sent())
	t.replying("submit", t.success())
	t.press()
	if again := t.waitFor(moment, func() bool { return len(t.sent()) > count }); !again {
		return Broken, "it cannot be sent again"
	}
	second := t.sent()[count]
	switch {
	case first.Key == "" && second.Key == "":
		return Broken, "it is sent again without an Idempotency-Key: if the first one arrived, there are two records"
	case first.Key != second.Key:
		return Broken, "it is sent again with another Idempotency-Key: if the first one arrived, there are two records"
	}
	return Kept, "it is sent again with the same Idempotency-Key"
}
