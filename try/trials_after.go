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

// denial is what the office says of a field, or of something that no field is.
const denial = "The harbour office cannot take this."

// refuse makes a refusal as problem details, with the list of errors that RFC 9457,
// section 3, shows.
func refuse(pointer string) reply {
	body, _ := json.Marshal(map[string]any{
		"title": "Refused", "status": 422,
		"errors": []any{map[string]any{"pointer": "#/" + pointer, "detail": denial}},
	})
	return reply{status: 422, body: string(body)}
}

// refusal sends a form that is refused at its first text.
func refusal(judge func(t *tab, path string, before, now look) (Verdict, string)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		before := t.full()
		path, _ := t.text(false)
		t.replying("submit", refuse(path))
		t.press()
		t.sends(1)
		t.until(moment, func(l look) bool { return l.has(denial) })
		now := t.quiet()
		if len(now.Fields) == 0 {
			return Broken, "the page is gone, and what was typed with it"
		}
		return judge(t, path, before, now)
	}
}

func refusalShown(_ *tab, _ string, _, now look) (Verdict, string) {
	if now.has(denial) {
		return Kept, fmt.Sprintf("%q can be read", denial)
	}
	return Broken, "what the server says cannot be read"
}

func refusalAtItsField(_ *tab, path string, _, now look) (Verdict, string) {
	f := now.Fields[path]
	switch {
	case !now.has(denial):
		return NotApplicable, "what the server says is not shown"
	case !strings.Contains(f.Described, denial):
		return Broken, fmt.Sprintf("it is not what %s is described by (aria-describedby or aria-errormessage)", path)
	case !f.Invalid:
		return Broken, fmt.Sprintf("%s has no aria-invalid", path)
	}
	return Kept, path + " is described by it"
}

func refusalFocus(_ *tab, path string, _, now look) (Verdict, string) {
	switch {
	case !now.has(denial):
		return NotApplicable, "what the server says is not shown"
	case now.Focus == path:
		return Kept, path + " has the focus"
	case strings.Contains(now.FocusText, denial):
		return Kept, "a summary that says so has the focus"
	}
	return Broken, "the focus stays where it was"
}

func refusalKeepsValues(_ *tab, _ string, before, now look) (Verdict, string) {
	for path, f := range before.Fields {
		if f.Shown && now.Fields[path].Value != f.Value {
			return Broken, fmt.Sprintf("%s was %q and is %q", path, f.Value, now.Fields[path].Value)
		}
	}
	return Kept, "every value is there"
}

func refusalGoes(t *tab, path string, _, now look) (Verdict, string) {
	if !now.has(denial) {
		return NotApplicable, "what the server says is not shown"
	}
	raw, accepted := t.another(path)
	t.typeIn(path, raw)
	if _, gone := t.until(moment, func(l look) bool { return !l.has(denial) && !(accepted && l.Fields[path].Invalid) }); !gone {
		return Broken, "it stands at a value that the server never saw"
	}
	return Kept, "it went"
}

func nothingSwallowed(t *tab) (Verdict, string) {
	t.full()
	t.replying("submit", refuse("tide"))
	t.press()
	t.sends(1)
	if _, shown := t.until(moment, func(l look) bool { return l.has(denial) }); !shown {
		return Broken, "an entry for a field that the form does not have is shown nowhere"
	}
	return Kept, "it is shown"
}

func signedOut(t *tab) (Verdict, string) {
	before := t.full()
	t.replying("submit", reply{status: 401, body: `{"title": "Sign in to go on."}`})
	t.press()
	t.sends(1)
	var news []string
	now, told := t.until(moment, func(l look) bool { news = l.news(before); return len(news) > 0 && !l.waits(before) })
	if len(now.Fields) == 0 {
		return Broken, "the page is gone, and what was typed with it"
	}
	if verdict, why := refusalKeepsValues(t, "", before, now); verdict == Broken {
		return Broken, why
	}
	if t.prompted() > 0 {
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
	if _, again := t.until(moment, func(look) bool { return len(t.sent()) > count }); !again {
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

func resetAfter(t *tab) (Verdict, string) {
	before, _, _ := t.success()
	now := t.quiet()
	if t.form.Accepted.Then == lifecycle.ThenNavigate {
		if now.URL == before.URL {
			return Broken, "the form declares accepted.then: navigate, and the page stays"
		}
		return Kept, "the page goes on to " + now.URL
	}
	if len(now.Fields) == 0 {
		return Broken, "the form is gone, and it declares that it stays"
	}
	for path, f := range now.Fields {
		if f.Invalid {
			return Broken, path + " is still called wrong"
		}
		if f.Described != "" && f.Described != before.Fields[path].Described {
			return Broken, fmt.Sprintf("%q is still at %s", f.Described, path)
		}
	}
	for _, path := range t.order {
		f, there := now.Fields[path]
		if !there {
			continue
		}
		was := before.Fields[path].Value
		if t.form.Accepted.Then == lifecycle.ThenClear && f.Value == was && was != "" && t.loaded(path) == "" {
			return Broken, fmt.Sprintf("the form declares accepted.then: clear, and %s is still %q", path, was)
		}
		if t.form.Accepted.Then != lifecycle.ThenClear && f.Value != was {
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
	text, err := t.js("Boolean(link())")
	t.need(err)
	if text != "true" {
		t.cannot("the page has no link to another page of its site")
	}
	t.did("applicant", "follows a link")
	t.click("link()")
}

// asks types something, leaves, and expects the browser's own prompt or a dialog.
func asks(leave func(*tab)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.open()
		path, _ := t.text(false)
		t.typeIn(path, t.valid[path]+" II")
		t.quiet()
		_, err := t.js("void (globalThis.stays = true)")
		t.need(err)
		leave(t)
		for end := time.Now().Add(moment); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
			if t.prompted() > 0 {
				return Kept, "the browser asks"
			}
			text, err := t.js("[globalThis.stays === true, look().dialog]")
			if err == nil && strings.HasSuffix(text, "true]") {
				return Kept, "the page asks"
			}
			if err == nil && strings.HasPrefix(text, "[false") {
				break // another document has come
			}
		}
		return Broken, "the work is gone without a question"
	}
}

// unasked reloads and expects no question.
func (t *tab) unasked() (Verdict, string) {
	_, err := t.js("void (globalThis.stays = true)")
	t.need(err)
	t.reload()
	for end := time.Now().Add(moment); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		if t.prompted() > 0 {
			return Broken, "the browser asks, and nothing would be lost"
		}
		if text, err := t.js("globalThis.stays === true"); err == nil && text == "false" {
			return Kept, "nobody was asked"
		}
	}
	return CannotTell, "the page does not reload"
}

func quietUntouched(t *tab) (Verdict, string) {
	t.open()
	path, ok := t.text(false)
	if !ok {
		path = t.paths()[0]
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
