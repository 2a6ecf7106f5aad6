package try

import (
	"encoding/json"
	"time"

	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"
)

// reload reloads the page. Where the page asks to stay, it stays.
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

// link follows a link to another page of the site, or ends a trial that needs one.
func (t *tab) link() {
	if !t.hasLink() {
		t.end(verdict{NotApplicable, "the page has no link to another page of its site"})
	}
	t.did("applicant", "follows a link")
	t.click("link()")
}

func (t *tab) hasLink() bool { return t.finds("link()") }

// hash follows a link to another route behind the hash, or ends a trial that needs one.
func (t *tab) hash() {
	if !t.finds("link(true)") {
		t.end(verdict{NotApplicable, "the page has no link to another route behind the hash"})
	}
	t.did("applicant", "follows a link behind the hash")
	t.click("link(true)")
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
	before := t.see()
	prompted, confirmed := t.prompted()
	_, err := t.js("void (globalThis.stays = true)")
	t.need(err)
	leave(t)
	for end := time.Now().Add(moment); time.Now().Before(end); time.Sleep(20 * time.Millisecond) {
		switch prompts, confirms := t.prompted(); {
		case prompts > prompted:
			return "the browser", true
		case confirms > confirmed:
			return "the page", true
		}
		text, err := t.js("globalThis.stays === true ? look() : null")
		var l look
		switch stays = err == nil; {
		case !stays: // a page that is closed never answers
		case text == "null":
			return "", false // another document has come
		case json.Unmarshal([]byte(text), &l) == nil && l.Dialogs > before.Dialogs:
			return "the page", true
		case l.URL != before.URL:
			return "", false
		}
	}
	return "", stays
}

// unasked leaves, by a link if there is one, and expects no question.
func (t *tab) unasked() (Verdict, string) {
	leave := (*tab).reload
	if t.hasLink() {
		leave = (*tab).link
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
	t.clickInto(t.open())
	return t.unasked()
}

// clickInto clicks into a field: a browser asks for nobody who has touched nothing.
func (t *tab) clickInto(l look) {
	path, ok := t.text(false)
	if _, there := l.Fields[path]; !ok || !there {
		if len(l.Fields) == 0 {
			return
		}
		path = l.paths()[0]
	}
	t.did("applicant", "clicks into %s", path)
	t.click(call("named", path) + "[0]")
	t.quiet()
}

// quietBy opens the page, touches nothing, leaves, and expects no question.
func quietBy(leave func(*tab)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.clickInto(t.open())
		if asker, _ := t.leaving(leave); asker != "" {
			return Broken, asker + " asks, and nothing would be lost"
		}
		return Kept, "nobody was asked"
	}
}

func quietAfterSuccess(t *tab) (Verdict, string) {
	before, now := t.succeed()
	if now.URL != before.URL {
		return NotApplicable, "the page goes on after success"
	}
	if asker, _ := t.leaving((*tab).reload); asker != "" {
		return Broken, asker + " asks, and nothing would be lost"
	}
	t.succeed()
	return t.unasked()
}
