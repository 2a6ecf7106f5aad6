package try

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/form"
)

// full opens the page and fills everything in.
func (t *tab) full() look {
	t.open()
	t.fill()
	return t.quiet()
}

// submits fills everything in and sends it once, to be answered so.
func (t *tab) submits(r reply) (before look) {
	before = t.full()
	t.replying("submit", r)
	t.press()
	t.sends(1)
	return before
}

// pending sends a submission that is not answered.
func (t *tab) pending() (before, now look) {
	before = t.submits(reply{never: true})
	if t.goes() {
		t.end(verdict{NotApplicable, "the browser itself sends the form and waits for the next page"})
	}
	return before, t.quiet()
}

// sends waits for a number of submissions.
func (t *tab) sends(count int) {
	if !t.waitFor(2*moment, func() bool { return len(t.sent()) >= count }) {
		t.strayed()
		t.cannot("everything is filled in, and nothing was sent to %s; %s", t.form.Submit.URL, t.says())
	}
	t.mu.Lock()
	r, leaves := t.replies["submit"], t.leaves
	t.mu.Unlock()
	if leaves && !r.never && !r.broken {
		t.cannot("the browser itself sends the form, and the page that your server answers with is not known here")
	}
}

// says describes what may keep a page from sending.
func (t *tab) says() string {
	l := t.see()
	if news := l.news(t.opened); len(news) > 0 {
		return fmt.Sprintf("the page says %q", news)
	}
	for _, path := range l.paths() {
		if f := l.Fields[path]; f.Invalid || f.Native {
			return fmt.Sprintf("%s is called wrong, with %q", path, f.Value)
		}
	}
	if l.held() {
		return "the button is held"
	}
	return "nothing says why"
}

func twice(gap time.Duration) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.full()
		t.replying("submit", reply{never: true})
		t.press(gap)
		return t.one("two clicks")
	}
}

// one gives the verdict on whether the page has made one submission.
func (t *tab) one(what string) (Verdict, string) {
	t.sends(1)
	if t.goes() { // nothing can be seen until it is answered
		t.waitFor(moment, func() bool { return len(t.sent()) > 1 })
	} else {
		t.quiet()
	}
	t.release("submit", t.success())
	t.quiet()
	if n := len(t.sent()); n > 1 {
		return Broken, fmt.Sprintf("%d submissions from %s", n, what)
	}
	return Kept, "one submission"
}

func enterAndClick(t *tab) (Verdict, string) {
	t.full()
	t.replying("submit", reply{never: true})
	t.intoText("")
	at := t.place("buttons()[0]")
	t.enter()
	t.waitFor(moment/8, func() bool { return len(t.sent()) > 0 }) // of two at the very same time a browser makes one by itself
	t.did("applicant", "clicks on the submit button")
	t.clickAt(at)
	return t.one("Enter and a click")
}

// enters presses Enter twice with a gap, or, with none, holds it down.
func enters(gap time.Duration) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.full()
		t.replying("submit", reply{never: true})
		t.intoText("")
		if gap < 0 {
			t.did("applicant", "holds Enter down")
			t.hold("Enter", 6)
			return t.one("Enter held down")
		}
		t.enter()
		time.Sleep(gap) // what the trial is about
		t.enter()
		return t.one("Enter twice")
	}
}

// enterInText presses Enter in a text of several lines.
func enterInText(t *tab) (Verdict, string) {
	before := t.full()
	path := ""
	for _, at := range before.paths() {
		if f := before.Fields[at]; f.Type == "textarea" && f.Shown && f.Editable {
			path = at
			break
		}
	}
	if path == "" {
		return NotApplicable, "the page has no text of several lines"
	}
	_, err := t.js(call("begin", path))
	t.need(err)
	t.keys("Two lines")
	t.enter()
	t.keys("of words")
	now := t.quiet()
	if len(t.sent()) > 0 {
		return Broken, "Enter in " + path + " sends the form"
	}
	if value := now.Fields[path].Value; !strings.Contains(value, "\n") {
		return Broken, fmt.Sprintf("Enter in %s makes no line: %q", path, value)
	}
	return Kept, "it is a line of " + path
}

func pendingShown(t *tab) (Verdict, string) {
	before, now := t.pending()
	switch {
	case now.Busy > before.Busy:
		return Kept, "the page is busy"
	case now.held() && !before.held():
		return Kept, "the button is held"
	case now.buttonLess(before):
		return Kept, "the button is gone"
	case now.relabelled(before):
		return Kept, fmt.Sprintf("the button says %q", now.Buttons[0].Text)
	case len(now.news(before)) > 0:
		return Kept, fmt.Sprintf("%q appeared", now.news(before)[0])
	}
	return Broken, "the page looks as before"
}

func pendingTold(t *tab) (Verdict, string) {
	before, now := t.pending()
	switch {
	case now.Busy > before.Busy:
		return Kept, "aria-busy is set"
	case now.held() && !before.held():
		return Kept, "the button says that it is held"
	case !slices.Equal(before.Live, now.Live):
		return Kept, "a live region says so"
	}
	return Broken, "neither aria-busy, nor a held button, nor a live region"
}

func pendingEnds(t *tab) (Verdict, string) {
	before, pending := t.pending()
	var news []string
	now, ended := t.until(t.patience(), func(l look) bool {
		news = slices.DeleteFunc(l.news(before), func(line string) bool {
			return slices.Contains(pending.Lines, line) || slices.Contains(pending.Alerts, line)
		})
		return !l.waits(before) && len(news) > 0
	})
	switch {
	case ended:
		return Kept, fmt.Sprintf("%q", news[0])
	case now.waits(before) && len(t.sent()) > 1 && len(now.news(before)) > 0:
		return Kept, fmt.Sprintf("it is sent again by itself, and %q is said", now.news(before)[0])
	case now.waits(before):
		return Broken, fmt.Sprintf("it is still pending after %.0f s", t.patience().Seconds())
	}
	return Broken, fmt.Sprintf("after %.0f s nothing is said", t.patience().Seconds())
}

func editWhileSending(t *tab) (Verdict, string) {
	_, now := t.pending()
	path, _ := t.text(false)
	if !now.Fields[path].Editable {
		return Kept, path + " is locked while it is sent"
	}
	t.typeIn(path, t.valid[path]+" III")
	typed := t.see().Fields[path].Value
	t.release("submit", t.success())
	now = t.quiet()
	if len(now.Fields) == 0 || t.form.Accepted.Then == form.ThenNavigate {
		return NotApplicable, "the page goes on after success"
	}
	if value := now.Fields[path].Value; value != typed {
		return Broken, fmt.Sprintf("%q was typed at %s while it was sent, and became %q", typed, path, value)
	}
	return Kept, fmt.Sprintf("%q stayed at %s", typed, path)
}
