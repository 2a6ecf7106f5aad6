package try

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
)

// These trials answer a submission with what is no acceptance: success is shown only on proof.

// signInPage is what a sign-in page answers, and where it is unless the form says so.
const signInPage, signInPath = `<!doctype html><title>Sign in</title><h1>Sign in to the harbour net</h1><form><label>Name <input name="leanwicket-name"></label></form>`, "/sign-in"

func byRedirect(t *tab) (reply, string) {
	return reply{status: 302, to: append(slices.Clone(t.form.SignInPaths), signInPath)[0]}, "the submission was redirected to a page to sign in"
}

func byPage(*tab) (reply, string) {
	return reply{status: 200, kind: "text/html; charset=utf-8", body: signInPage}, "a page came for an answer"
}

// byHalf is half of the body that an acceptance has.
func byHalf(t *tab) (reply, string) {
	r := t.success()
	var body any
	if json.Unmarshal([]byte(r.body), &body) != nil || len(r.body) < 4 {
		t.end(verdict{NotApplicable, "the acceptance of the form's server has no body that could break off"})
	}
	r.body = r.body[:len(r.body)/2]
	return r, "half of an answer came"
}

// unproven shows what a page makes of an answer that is no acceptance. How it shows success is seen first.
func unproven(answer func(*tab) (reply, string)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		r, what := answer(t)
		before, accepted := t.succeed()
		if t.goes() {
			return NotApplicable, "the browser itself sends the form"
		}
		success := accepted.news(before)
		before = t.full()
		t.replying("submit", r)
		t.press()
		t.sends(2)
		var news []string
		t.until(moment, func(l look) bool { news = l.news(before); return len(news) > 0 && !l.waits(before) })
		now := t.quiet()
		news = append(news, now.news(before)...)
		for _, line := range news {
			if slices.ContainsFunc(success, func(said string) bool { return alike(said, line) }) {
				return Broken, fmt.Sprintf("%s, and the page says %q", what, line)
			}
		}
		if now.URL == accepted.URL && now.URL != before.URL {
			return Broken, fmt.Sprintf("%s, and the page goes on to %s as after a success", what, now.URL)
		}
		verdict, why := refusalKeepsValues(t, before, now)
		if len(now.Fields) == 0 {
			verdict, why = Broken, "the page is gone, and what was typed with it"
		}
		switch {
		case verdict == Broken && t.isBack(before):
			return Kept, "what was typed is there again when the page is opened"
		case verdict == Broken:
			return Broken, what + ": " + why
		case len(news) == 0:
			return Broken, what + ", and nothing is said"
		}
		return Kept, fmt.Sprintf("%q", news[0])
	}
}

// alike reports whether two lines say the same, whatever number or name of a record they have.
func alike(one, other string) bool {
	words := func(line string) string {
		return strings.Join(slices.DeleteFunc(strings.Fields(line), func(w string) bool { return strings.ContainsAny(w, "0123456789") || w == "undefined" || w == "null" }), " ")
	}
	return words(one) == words(other)
}

// closedAfterSuccess reloads the page as soon as it shows that the form was received.
func closedAfterSuccess(t *tab) (Verdict, string) {
	first := t.open()
	before := t.full()
	t.press()
	t.sends(1)
	if t.goes() {
		return NotApplicable, "the browser itself sends the form"
	}
	t.until(moment/4, func(l look) bool { return (len(l.news(before)) > 0 || l.URL != before.URL) && !l.waits(before) })
	t.did("applicant", "reloads the page at once")
	now := t.open()
	if n := len(t.sent()); n > 1 {
		return Broken, fmt.Sprintf("the page that is opened then sends it again: %d submissions", n)
	}
	for _, path := range before.paths() {
		if was, is := before.Fields[path].Value, now.Fields[path].Value; is == was && was != first.Fields[path].Value {
			return Broken, fmt.Sprintf("%q, which was received, is at %s again on the page that is opened then", was, path)
		}
	}
	return Kept, "the page that is opened then has nothing of it"
}
