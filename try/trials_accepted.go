package try

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/sample"
)

// succeed sends a form that is accepted.
func (t *tab) succeed() (before, now look) {
	before = t.full()
	return before, t.accepted(before, 1)
}

// accepted sends a form that is accepted, and waits until the page shows it. count is the number of
// submissions until then.
func (t *tab) accepted(before look, count int) look {
	t.press()
	t.sends(count)
	said, _ := t.until(moment, func(l look) bool { return (len(l.news(before)) > 0 || l.URL != before.URL) && !l.waits(before) })
	now := t.quiet()
	if now.URL == before.URL && len(now.news(before)) == 0 { // it was said for some seconds only
		now.Lines, now.Live = append(now.Lines, said.news(before)...), said.Live
	}
	return now
}

func successTold(t *tab) (Verdict, string) {
	before, now := t.succeed()
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

// successAnnounced looks for a live region that says something new, or the focus at what
// says it.
func successAnnounced(t *tab) (Verdict, string) {
	before, now := t.succeed()
	news := now.news(before)
	switch {
	case now.URL != before.URL:
		return NotApplicable, "the page goes on to another one, which is announced by itself"
	case len(news) == 0:
		return NotApplicable, "nothing is said"
	case len(now.Alerts) > len(before.Alerts):
		return Kept, "the browser's own dialog says it"
	case now.announces(news...):
		return Kept, "a live region says so"
	case slices.ContainsFunc(news, func(line string) bool { return strings.Contains(now.FocusText, line) }):
		return Kept, "the focus goes to what says so"
	}
	return Broken, fmt.Sprintf("%q is in no live region, and the focus does not go to it", news[0])
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
		} else {
			t.mend(gap)
		}
	}
	sent := len(t.sent())
	t.fill()
	for _, group := range t.groups {
		t.oneMore(group.Path)
	}
	before := t.quiet()
	now := t.accepted(before, sent+1)
	switch stays := t.form.Accepted.Then != form.ThenNavigate; {
	case !stays && now.URL == before.URL:
		return Broken, "the form declares accepted.then: navigate, and the page stays"
	case !stays:
		return Kept, "the page goes on to " + now.URL
	case len(now.Fields) == 0 && len(now.news(before)) > 0:
		return Kept, fmt.Sprintf("%q stands in place of the form", now.news(before)[0])
	case len(now.Fields) == 0:
		return Broken, "the form is gone, and nothing is said"
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

// mend fills in what was left out, also in a row that nothing but the gap has asked for.
func (t *tab) mend(gap string) {
	_, id := t.field(gap)
	raw, _ := sample.One(t.form, id)
	if raw = cmp.Or(t.valid[gap], raw); raw != "" {
		t.typeIn(gap, raw)
	}
}

// marked returns what still calls a field wrong, or an empty text.
func (t *tab) marked(now look) string {
	for _, path := range now.paths() {
		switch f := now.Fields[path]; {
		case f.Invalid:
			return path + " is still called wrong"
		case f.Described != "" && f.Described != t.opened.Fields[path].Described && f.Described != t.opened.Fields[form.PathInRow(path, 0)].Described:
			return fmt.Sprintf("%q is still at %s", f.Described, path)
		}
	}
	return ""
}

// asDeclared compares values and rows after success with what the form declares.
func (t *tab) asDeclared(before, now look) (Verdict, string) {
	clears := t.form.Accepted.Then == form.ThenClear
	for _, group := range t.groups {
		want, left := before.rows(group.Path), now.rows(group.Path)
		if clears {
			want = t.opened.rows(group.Path)
		}
		if left != want {
			return Broken, fmt.Sprintf("rows of %s: %d, where the form as it declares would have %d", group.Path, left, want)
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
