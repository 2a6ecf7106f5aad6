package try

import (
	"cmp"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"
)

// checked is the first text whose value the form has checked by a server, and two
// values of it, of which the newer is the one that is sent.
func (p *plan) checked() (path, older, newer string) {
	for _, path := range p.paths {
		f, _ := p.field(path)
		if f.Check.URL == "" || !typed(f) || !p.free(path) {
			continue
		}
		saved := func(raw string) bool { return raw == p.loaded[path] } // which nobody has to check
		if values := slices.DeleteFunc(p.values(path), saved); len(values) > 1 {
			return path, values[1], values[0]
		}
	}
	return "", "", ""
}

func noCheck(p *plan) string {
	if path, _, _ := p.checked(); path != "" {
		return ""
	}
	for id := range p.form.Declared() {
		if f := &p.form.Fields[id]; f.Check.URL != "" {
			return fmt.Sprintf("of %s no two values are known that can be typed; right would be fields.%[1]s.samples", f.Path)
		}
	}
	return "the form declares no check.url"
}

func lateCheck(t *tab) (Verdict, string) {
	path, older, newer := t.checked()
	t.replying("check", reply{never: true})
	t.open()
	t.typeIn(path, older)
	t.keys("\t")
	f, _ := t.field(path)
	if asked := t.waitFor(2*moment, func() bool { return len(t.asked("check")) > 0 }); !asked {
		t.cannot("the page never asks for %s, which the form declares as fields.%s.check.url", f.Check.URL, path)
	}
	ofNewer := func(address string) bool {
		return strings.Contains(address, url.PathEscape(newer)) || strings.Contains(address, url.QueryEscape(newer))
	}
	t.typeIn(path, newer)
	t.keys("\t")
	t.waitFor(moment, func() bool { // one that asks only when it is answered comes later
		return slices.ContainsFunc(t.asked("check"), func(r Request) bool { return ofNewer(r.URL) })
	})
	t.release("check", reply{status: 200, body: "{}"}, ofNewer)
	t.quiet()
	t.release("check", reply{status: 422, kind: problemJSON, body: fmt.Sprintf(`{"title": %q, "detail": %[1]q}`, denial)})
	if l := t.quiet(); l.has(denial) {
		return Broken, fmt.Sprintf("what was answered about %q is shown at %q", older, newer)
	}
	return Kept, fmt.Sprintf("what was answered about %q is not shown at %q", older, newer)
}

func checkNeverAnswers(t *tab) (Verdict, string) {
	path, _, newer := t.checked()
	t.replying("check", reply{never: true})
	t.full()
	if t.see().Fields[path].Value != newer {
		t.typeIn(path, newer)
	}
	t.press()
	f, _ := t.field(path)
	patience := cmp.Or(f.Check.Timeout, 10*time.Second) + moment
	t.waitFor(patience, func() bool { return len(t.sent()) > 0 })
	if len(t.sent()) > 0 {
		return Kept, "it was sent all the same"
	}
	t.press() // who is told that the check failed tries again
	if sent := t.waitFor(patience, func() bool { return len(t.sent()) > 0 }); sent {
		return Kept, "it was sent at the second click"
	}
	t.canSend("check", reply{status: 200, body: "{}"})
	return Broken, fmt.Sprintf("the form cannot be sent while the check of %s has no answer", path)
}
