package try

import (
	"cmp"
	"fmt"
)

func (t *tab) loads() {
	if asked := t.waitFor(2*moment, func() bool { return len(t.asked("load")) > 0 }); !asked {
		t.cannot("the page never asks for %s, which the form declares as prefill.url", t.form.Prefill.URL)
	}
}

// whileItLoads opens the page with a load that is not answered yet, and finds a text that the record has and that
// can be typed meanwhile. Where there is none, the trial ends.
func (t *tab) whileItLoads() (path string, f field) {
	t.replying("load", reply{never: true})
	t.arrive()
	t.loads()
	l := t.see() // by now the page's script has begun, which may have taken away what a server wrote
	path, ok := t.text(true)
	if !ok {
		t.cannot("the record has no text that somebody would type; right would be a record in the try file that has one")
	}
	f, there := l.Fields[path]
	if !there {
		t.release("load", reply{status: 200, body: string(t.record)})
		if _, comes := t.until(moment, func(l look) bool { return len(l.Fields) > 0 }); !comes {
			t.lacksFields()
		}
		t.end(verdict{Kept, path + " is not there before the load"})
	}
	if !f.Editable {
		t.end(verdict{Kept, path + " is locked while it loads"})
	}
	return path, f
}

func loadOverTyping(t *tab) (Verdict, string) {
	path, _ := t.whileItLoads()
	t.typeIn(path, cmp.Or(t.valid[path], t.loaded[path])+" II")
	typed := t.see().Fields[path].Value
	t.release("load", reply{status: 200, body: string(t.record)})
	now := t.quiet()
	at, stayed := now.holding(path, typed)
	if !stayed {
		return Broken, fmt.Sprintf("%q was typed at %s, and became %q when the load came", typed, path, now.Fields[path].Value)
	}
	if at != path && now.Focus == path {
		return Broken, fmt.Sprintf("%q was typed at %s and stands at %s since the load came, and what is typed next goes to %s", typed, path, at, path)
	}
	return Kept, fmt.Sprintf("%q stayed at %s", typed, at)
}

// canSend ends a trial where the page cannot be sent either when everything is answered: nothing is broken that
// was not seen to work.
func (t *tab) canSend(kind string, r reply) {
	before := len(t.sent())
	t.replying(kind, r)
	t.full()
	t.press()
	if sent := t.waitFor(2*moment, func() bool { return len(t.sent()) > before }); !sent {
		t.strayed()
		t.cannot("the form cannot be sent by this trial, with or without an answer; %s", t.says())
	}
}

func loadFails(t *tab) (Verdict, string) {
	t.replying("load", reply{status: 500, kind: problemJSON, body: `{"title": "The registry is closed."}`})
	t.arrive()
	t.loads()
	if _, there := t.until(moment, func(l look) bool { return len(l.Fields) > 0 }); !there {
		return Broken, "a load that fails takes the form away"
	}
	if _, rests := t.until(moment, func(l look) bool { return l.Busy <= t.opened.Busy }); !rests {
		return Broken, "the page is busy for ever after a load that failed"
	}
	if t.form.Prefill.Needed {
		return Kept, "the page is not busy any more"
	}
	t.fill()
	t.press()
	if sent := t.waitFor(moment, func() bool { return len(t.sent()) > 0 }); !sent {
		t.canSend("load", reply{status: 200, body: string(t.record)})
		return Broken, "after a load that failed the form cannot be sent"
	}
	return Kept, "it was sent all the same"
}
