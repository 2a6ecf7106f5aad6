package try

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"leanwicket.dev/lifecycle"
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
		t.cannot("the page says %q before anything is refused; right would be --refusal with other words", t.refusal.says)
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
	f := now.Fields[path]
	switch {
	case !now.has(t.refusal.says):
		return NotApplicable, "what the server says is not shown"
	case !strings.Contains(f.Described, t.refusal.says):
		return Broken, fmt.Sprintf("it is not what %s is described by (aria-describedby or aria-errormessage)", path)
	case !f.Invalid:
		return Broken, fmt.Sprintf("%s has no aria-invalid", path)
	}
	return Kept, path + " is described by it"
}

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

func refusalKeepsValues(_ *tab, before, now look) (Verdict, string) {
	for _, path := range before.paths() {
		if f := before.Fields[path]; f.Shown && now.Fields[path].Value != f.Value {
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
	before := t.full()
	t.replying("submit", reply{status: 401, kind: problemJSON, body: `{"title": "Sign in to go on."}`})
	t.press()
	t.sends(1)
	var news []string
	now, told := t.until(moment, func(l look) bool { news = l.news(before); return len(news) > 0 && !l.waits(before) })
	if len(now.Fields) == 0 {
		return Broken, "the page is gone, and what was typed with it"
	}
	if verdict, why := refusalKeepsValues(t, before, now); verdict == Broken {
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

func lostReply(t *tab) (Verdict, string) {
	before := t.full()
	t.replying("submit", reply{broken: true})
	t.press()
	t.sends(1)
	now, told := t.until(moment, func(l look) bool { return len(l.news(before)) > 0 && !l.waits(before) })
	if len(now.Fields) == 0 {
		return Broken, "the page is gone, and what was typed with it"
	}
	if !told {
		return Broken, "nobody learns that it is not known whether it arrived"
	}
	first := t.sent()[0]
	count := len(t.sent())
	t.replying("submit", reply{status: 201, body: `{"id": "R-1"}`})
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

// success sends a form that is accepted.
func (t *tab) success() (before, now look, news []string) {
	before = t.full()
	t.press()
	t.sends(1)
	now, _ = t.until(moment, func(l look) bool {
		news = l.news(before)
		return (len(news) > 0 || l.URL != before.URL) && !l.waits(before)
	})
	return before, now, news
}

func successTold(t *tab) (Verdict, string) {
	before, _, _ := t.success()
	now := t.quiet()
	news := now.news(before)
	if now.URL != before.URL {
		return Kept, "the page goes on to " + now.URL
	}
	if len(news) == 0 {
		return Broken, "nothing is said"
	}
	for k, line := range news {
		if slices.Contains(news[:k], line) {
			return Broken, fmt.Sprintf("%q is said more than once", line)
		}
	}
	return Kept, fmt.Sprintf("%q", news[0])
}

// resetAfter sends what was called wrong before it was mended, with a row more.
func resetAfter(t *tab) (Verdict, string) {
	t.open()
	var said []string
	if gap := t.gap(); gap != "" {
		t.fillBut(gap)
		t.press()
		if said = t.quiet().news(t.opened); len(t.sent()) > 0 { // another trial's matter
			said = nil
			t.open()
		}
	}
	sent := len(t.sent())
	t.fill()
	for _, group := range t.groups {
		t.oneMore(group[0])
	}
	before := t.quiet()
	t.press()
	t.sends(sent + 1)
	t.until(moment, func(l look) bool { return (len(l.news(before)) > 0 || l.URL != before.URL) && !l.waits(before) })
	now := t.quiet()
	switch stays := t.form.Accepted.Then != lifecycle.ThenNavigate; {
	case !stays && now.URL == before.URL:
		return Broken, "the form declares accepted.then: navigate, and the page stays"
	case !stays:
		return Kept, "the page goes on to " + now.URL
	case len(now.Fields) == 0:
		return Broken, "the form is gone, and it declares that it stays"
	}
	for _, line := range now.news(t.opened) {
		if slices.Contains(said, line) && slices.Contains(now.Lines, line) && !slices.Contains(before.Lines, line) {
			return Broken, fmt.Sprintf("%q, said of what was mended, is there again", line)
		}
	}
	if what := t.marked(now); what != "" {
		return Broken, what
	}
	return t.asDeclared(before, now)
}

// marked is what still calls a field wrong, or nothing.
func (t *tab) marked(now look) string {
	for _, path := range now.paths() {
		switch f := now.Fields[path]; {
		case f.Invalid:
			return path + " is still called wrong"
		case f.Described != "" && f.Described != t.opened.Fields[path].Described && f.Described != t.opened.Fields[inFirstRow(path)].Described:
			return fmt.Sprintf("%q is still at %s", f.Described, path)
		}
	}
	return ""
}

// asDeclared compares values and rows after success with what the form declares.
func (t *tab) asDeclared(before, now look) (Verdict, string) {
	clears := t.form.Accepted.Then == lifecycle.ThenClear
	for _, group := range t.groups {
		want, left := before.rows(group[0]), now.rows(group[0])
		if clears {
			want = t.opened.rows(group[0])
		}
		if left != want {
			return Broken, fmt.Sprintf("%s has %d rows, and as the form declares it would have %d", group[0], left, want)
		}
	}
	for _, path := range before.paths() {
		f, there := now.Fields[path]
		was := before.Fields[path].Value
		switch {
		case !there || !f.Shown:
		case clears && f.Value == was && was != t.opened.Fields[path].Value:
			return Broken, fmt.Sprintf("the form declares accepted.then: clear, and %s is still %q", path, was)
		case !clears && f.Value != was:
			return Broken, fmt.Sprintf("%s was %q and is %q", path, was, f.Value)
		}
	}
	return Kept, "nothing is left of it"
}

// reload asks for the page once more; whoever is asked stays.
func (t *tab) reload() {
	t.did("applicant", "reloads the page")
	_, _ = chromedp.Call(t.ctx, cdppage.Reload, cdppage.ReloadParams{}) // turned down where somebody is asked
}

func (t *tab) closes() {
	t.did("applicant", "closes the page")
	_, _ = chromedp.Call(t.ctx, cdppage.Close, chromedp.Void{})
}

func (t *tab) back() {
	t.did("applicant", "goes back")
	_, _ = t.js("history.back()") // no answer where the page goes
}

func (t *tab) link() {
	t.did("applicant", "follows a link")
	t.click("link()")
}

// linked are the trials of a page with a link to another page of its site.
func linked(run func(*tab) (Verdict, string)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.open()
		text, err := t.js("Boolean(link())")
		t.need(err)
		if text != "true" {
			return NotApplicable, "the page has no link to another page of its site"
		}
		return run(t)
	}
}

// asks types something, leaves, and expects the browser's own prompt or a dialog.
func asks(leave func(*tab)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.open()
		path, _ := t.text(false)
		t.typeIn(path, t.valid[path]+" II")
		typed := t.quiet().Fields[path].Value
		switch asker, stays := t.leaving(leave); {
		case asker != "":
			return Kept, asker + " asks"
		case stays && t.see().Fields[path].Value == typed:
			return Kept, "the page stays, and what was typed with it"
		}
		return Broken, "the work is gone without a question"
	}
}

// leaving leaves, and says who asks, or whether the page is there all the same.
func (t *tab) leaving(leave func(*tab)) (asker string, stays bool) {
	from := t.see().URL
	_, err := t.js("void (globalThis.stays = true)")
	t.need(err)
	leave(t)
	for end := time.Now().Add(moment); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		switch prompts, confirms := t.prompted(); {
		case prompts > 0:
			return "the browser", true
		case confirms > 0:
			return "the page", true
		}
		text, err := t.js("globalThis.stays === true ? look() : null")
		var l look
		switch stays = err == nil; {
		case !stays: // a page that is closed never answers
		case text == "null":
			return "", false // another document has come
		case json.Unmarshal([]byte(text), &l) == nil && l.Dialog:
			return "the page", true
		case l.URL != from:
			return "", false
		}
	}
	return "", stays
}

// unasked leaves, by a link if there is one, and expects no question.
func (t *tab) unasked() (Verdict, string) {
	leave := func(t *tab) { t.reload() }
	if text, err := t.js("Boolean(link())"); err == nil && text == "true" {
		leave = func(t *tab) { t.link() }
	}
	switch asker, stays := t.leaving(leave); {
	case asker != "":
		return Broken, asker + " asks, and nothing would be lost"
	case stays:
		return CannotTell, "the page stays where it is"
	}
	return Kept, "nobody was asked"
}

func quietUntouched(t *tab) (Verdict, string) {
	l := t.open()
	path, ok := t.text(false)
	if _, there := l.Fields[path]; !ok || !there {
		path = l.paths()[0]
	}
	t.did("applicant", "clicks into %s", path)
	t.click(call("named", path) + "[0]")
	t.quiet()
	return t.unasked()
}

func quietAfterSuccess(t *tab) (Verdict, string) {
	before, now, _ := t.success()
	t.quiet()
	if now.URL != before.URL {
		return NotApplicable, "the page goes on after success"
	}
	return t.unasked()
}
