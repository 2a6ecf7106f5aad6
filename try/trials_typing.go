package try

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"
)

// typeHalf types the first letter at the first of them that is typed on the page.
func (t *tab) typeHalf() (before look, h half) {
	before = t.open()
	for _, h := range t.halves() {
		group, _ := t.inRows(h.path)
		if f, there := before.Fields[h.path]; !there && group != "" || f.writable() {
			before = t.withRow(h.path)
			t.typeIn(h.path, h.letter)
			return before, h
		}
	}
	t.end(verdict{NotApplicable, "nothing is typed on the page whose first letter is not yet an answer"})
	return before, h
}

// wrong returns what calls a field wrong, or an empty text.
func wrong(before, now look, path string) string {
	f := now.Fields[path]
	switch {
	case f.Invalid:
		return "aria-invalid is set"
	case f.Described != "" && f.Described != before.Fields[path].Described:
		return fmt.Sprintf("%q is at it", f.Described)
	}
	if news := now.news(before); len(news) > 0 {
		return fmt.Sprintf("%q appeared", news[0])
	}
	return ""
}

// withoutHints leaves out of a page what it said before anybody typed, and says in other words since: how much is
// still missing is no issue. It begins as before, or differs in numbers alone.
func withoutHints(before, now look) look {
	hint := func(line string) bool {
		return slices.ContainsFunc(before.Lines, func(was string) bool {
			return !slices.Contains(now.Lines, was) && (alike(was, line) || begins(was, line))
		})
	}
	now.Lines = slices.DeleteFunc(slices.Clone(now.Lines), func(line string) bool { return !slices.Contains(before.Lines, line) && hint(line) })
	fields := map[string]field{}
	for path, f := range now.Fields {
		was := before.Fields[path]
		if was.Described != "" && f.Described != "" && (alike(was.Described, f.Described) || begins(was.Described, f.Described)) {
			f.Described = was.Described
		}
		f.Invalid = f.Invalid && !was.Invalid
		fields[path] = f
	}
	now.Fields = fields
	return now
}

// begins reports whether two lines begin with the same two words.
func begins(one, other string) bool {
	a, b := strings.Fields(one), strings.Fields(other)
	return len(a) > 2 && len(b) > 2 && a[0] == b[0] && a[1] == b[1]
}

func quietWhileTyping(t *tab) (Verdict, string) {
	before, h := t.typeHalf()
	var what string
	t.until(moment/2, func(l look) bool { // a page may take its time
		what = wrong(before, withoutHints(before, l), h.path)
		return what != ""
	})
	if what != "" {
		return Broken, fmt.Sprintf("after the first letter of %s %s", h.path, what)
	}
	return Kept, "nothing was said after the first letter of " + h.path
}

// leftWrong leaves a field with its first letter only. Said are the lines that
// appeared.
func leftWrong(t *tab) (before look, h half, what string, said []string) {
	before, h = t.typeHalf()
	t.did("applicant", "goes on to the next field")
	t.keys("\t")
	t.until(moment, func(l look) bool {
		what, said = wrong(before, l, h.path), l.news(before)
		return what != ""
	})
	return before, h, what, said
}

func toldAfterLeaving(t *tab) (Verdict, string) {
	_, h, what, _ := leftWrong(t)
	if what == "" {
		return Broken, fmt.Sprintf("%s was left wrong, and nothing was said", h.path)
	}
	return Kept, what
}

// clickAfterAWrongField presses the pointer on the submit button, as long as a person does, while a field holds its first letter
// only. What shows when the field is left can move the button away from the pointer: then nobody has clicked on it.
func clickAfterAWrongField(t *tab) (Verdict, string) {
	_, h := t.typeHalf()
	t.reachButton()
	at := t.place("buttons()[0]")
	before, err := t.js("heard()")
	t.need(err)
	t.did("applicant", "clicks on the submit button, with %s left wrong", h.path)
	t.pointer("mouseMoved", at)
	t.pointer("mousePressed", at)
	time.Sleep(150 * time.Millisecond) // what the trial is about
	t.pointer("mouseReleased", at)
	came := func() bool {
		now, err := t.jsWithin(moment/8, "heard()")
		return err != nil || now != before || len(t.sent()) > 0
	}
	if !t.waitFor(moment/4, came) {
		return Broken, fmt.Sprintf("the click was lost: when %s was left, the button moved away from under the pointer", h.path)
	}
	return Kept, "the click has come"
}

func goneWhenMended(t *tab) (Verdict, string) {
	before, h, what, said := leftWrong(t)
	if what == "" {
		return NotApplicable, "nothing was said when the field was left"
	}
	t.typeIn(h.path, h.whole)
	t.keys("\t")
	gone := func(l look) bool {
		f := l.Fields[h.path]
		stands := slices.ContainsFunc(l.news(before), func(line string) bool { return slices.Contains(said, line) && slices.Contains(l.Lines, line) })
		return !f.Invalid && f.Described == before.Fields[h.path].Described && !stands
	}
	if _, went := t.until(moment, gone); !went {
		return Broken, fmt.Sprintf("%s was mended, and still %s", h.path, what)
	}
	return Kept, "it went"
}

// pressEnter presses Enter in a text, be it the one that is left out.
func pressEnter(t *tab, but string) {
	t.intoText(but)
	t.enter()
}

// intoText puts the cursor into a text of one line that is there beside the button.
func (t *tab) intoText(but string) {
	t.reachButton()
	l := t.see()
	path := ""
	for _, at := range t.paths {
		if f := l.Fields[at]; f.Shown && f.Editable && f.writable() && f.Type != "textarea" {
			path = at
			break
		}
	}
	if path == "" {
		t.end(verdict{NotApplicable, "there is no text of one line beside the button"})
	}
	if path != but && l.Fields[path].Value == "" && t.valid[path] != "" {
		t.typeIn(path, t.valid[path])
	}
	_, err := t.js(call("begin", path))
	t.need(err)
}

func (t *tab) enter() {
	t.did("applicant", "presses Enter")
	t.keys("\r")
}

// fillBut fills everything in but one field, which is left empty.
func (t *tab) fillBut(gap string) look {
	t.fill(gap)
	before := t.quiet()
	if f, there := before.Fields[gap]; !there || f.Value != "" { // what is not there has its row added first
		t.typeIn(gap, "")
	}
	return before
}

func invalid(submit func(t *tab, but string)) func(*tab) (Verdict, string) {
	return func(t *tab) (Verdict, string) {
		t.open()
		gap := t.gap()
		before := t.fillBut(gap)
		t.quiet()
		submit(t, gap)
		var what string
		_, told := t.until(moment, func(l look) bool {
			if what = wrong(before, l, gap); what == "" && l.Focus == gap && l.Fields[gap].Native {
				what = "the browser itself says so"
			}
			return what != "" || len(t.sent()) > 0
		})
		if t.quiet(); len(t.sent()) > 0 {
			return Broken, fmt.Sprintf("it was sent, though %s is missing", gap)
		}
		if !told {
			if hint := t.hint(gap); hint != "" {
				return Kept, fmt.Sprintf("the button is held, and %q stands there until it is mended", hint)
			}
			return Broken, fmt.Sprintf("nothing was sent, and nobody learns that %s is missing", gap)
		}
		return Kept, what
	}
}

// hint is what a page with a held button says while something is missing: what describes
// the button, or a line that goes when it is mended.
func (t *tab) hint(gap string) string {
	l := t.see()
	if !l.held() {
		return ""
	}
	if described := l.Buttons[0].Described; described != "" {
		return described
	}
	t.mend(gap)
	for _, line := range l.news(t.quiet()) {
		if line != "" && !strings.Contains(line, l.Buttons[0].Text) {
			return line
		}
	}
	return ""
}

// plainButtons clicks on each button that is for something else, on a page of its own
// where the one before has left it.
func plainButtons(t *tab) (Verdict, string) {
	before := t.full()
	others := fmt.Sprintf("others(%d)", len(t.form.Buttons))
	text, err := t.js(others + ".map(b => (b.innerText || b.value || b.ariaLabel || b.name || b.id).trim())")
	t.need(err)
	var labels []string
	t.need(json.Unmarshal([]byte(text), &labels))
	if len(labels) == 0 {
		return NotApplicable, "the form has no other button"
	}
	for k, label := range labels {
		if k > 0 && !slices.Equal(t.see().Lines, before.Lines) {
			before = t.full()
		}
		t.did("applicant", "clicks on %q", label)
		t.click(fmt.Sprintf("%s[%d]", others, k))
		if t.quiet(); len(t.sent()) > 0 {
			return Broken, fmt.Sprintf("the button %q sends the form", label)
		}
	}
	return Kept, fmt.Sprintf("%q: nothing is sent", labels)
}
