package try

import (
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
)

// trial is one thing that is easily got wrong.
type trial struct {
	name, asks string
	without    func(*plan) string // why it does not apply to a form; nil: it always does
	run        func(*tab) (Verdict, string)
}

// trials are in the order in which a form is worked on.
var trials = []trial{
	{"load-over-typing", "a late load spares what was typed meanwhile", noPrefill, loadOverTyping},
	{"load-fails", "a form whose load fails can still be filled in and sent", noPrefill, loadFails},
	{"quiet-while-typing", "nothing is called wrong while its first letter is typed", noFirstLetter(lifecycle.ShowInput), quietWhileTyping},
	{"told-after-leaving", "what is wrong is told when the field is left", noFirstLetter(lifecycle.ShowInput, lifecycle.ShowSubmit), toldAfterLeaving},
	{"gone-when-mended", "what was told goes when it is mended", noFirstLetter(), goneWhenMended},
	{"late-check", "an answer about an older value is not shown at a newer one", noCheck, lateCheck},
	{"check-never-answers", "a check that is never answered does not lock the form", noCheck, checkNeverAnswers},
	{"invalid-by-button", "an invalid form is not sent by the button, and the person learns why", noGap, invalid(func(t *tab, _ string) { t.press() })},
	{"invalid-by-enter", "an invalid form is not sent by Enter, and the person learns why", noGap, invalid(pressEnter)},
	{"invalid-by-script", "an invalid form is not sent by a script's submit, and the person learns why", noGap, invalid(func(t *tab, _ string) {
		t.did("page", "a script asks for a submit")
		_, err := t.js("form().requestSubmit()")
		t.need(err)
	})},
	{"plain-buttons", "a button that is for something else sends nothing", nil, plainButtons},
	{"two-clicks-5", "two clicks 5 ms apart are one submission", nil, twice(5 * time.Millisecond)},
	{"two-clicks-40", "two clicks 40 ms apart are one submission", nil, twice(40 * time.Millisecond)},
	{"two-clicks-150", "two clicks 150 ms apart are one submission", nil, twice(150 * time.Millisecond)},
	{"enter-and-click", "Enter and a click together are one submission", noTyped, enterAndClick},
	{"pending-shown", "a submission that is under way can be seen", nil, pendingShown},
	{"pending-told", "it is told to assistive technology too", nil, pendingTold},
	{"pending-ends", "a submission without an answer ends, and the person learns it", nil, pendingEnds},
	{"edit-while-sending", "an edit made while it is sent is not lost", noTyped, editWhileSending},
	{"refusal-shown", "what the server refuses can be seen", noTyped, refused(refusalShown)},
	{"refusal-at-its-field", "it is at its field, and linked to it", noTyped, refused(refusalAtItsField)},
	{"refusal-focus", "the focus goes to it", noTyped, refused(refusalFocus)},
	{"refusal-keeps-values", "nothing typed is lost by it", noTyped, refused(refusalKeepsValues)},
	{"refusal-goes", "it goes when the field is edited", noTyped, refused(refusalGoes)},
	{"nothing-swallowed", "a refusal that belongs to no field is seen as well", noTyped, nothingSwallowed},
	{"signed-out", "who is signed out in the middle learns it, and loses nothing", nil, signedOut},
	{"lost-reply", "after a lost reply the same submission is sent again, not a second one", nil, lostReply},
	{"success-told", "success is told, once", nil, successTold},
	{"reset-after", "after success everything is as the form declares: values, marks, lists", nil, resetAfter},
	{"asks-at-reload", "a reload with unsaved work asks", neverAsks, asks(func(t *tab) { t.reload() })},
	{"asks-at-close", "closing with unsaved work asks", neverAsks, asks(func(t *tab) { t.closes() })},
	{"asks-at-link", "a link with unsaved work asks", neverAsks, linked(asks(func(t *tab) { t.link() }))},
	{"asks-at-back", "going back with unsaved work asks", neverAsks, asks(func(t *tab) { t.back() })},
	{"quiet-untouched", "who has changed nothing is asked nothing", nil, quietUntouched},
	{"quiet-after-success", "after success nobody is asked", nil, quietAfterSuccess},
}

func noPrefill(p *plan) string {
	if p.form.Prefill.URL == "" {
		return "the form declares no prefill.url"
	}
	return ""
}

// text is the first field that somebody types, of those that have a record's value
// where that is asked.
func (p *plan) text(loaded bool) (string, bool) {
	for _, path := range p.paths {
		f, _ := p.field(path)
		if f.Kind == lifecycle.KindText && !f.Private && (loaded && p.loaded[path] != "" || !loaded && p.valid[path] != "") {
			return path, true
		}
	}
	return "", false
}

func noTyped(p *plan) string {
	if _, ok := p.text(false); !ok {
		return "the form has no text that has to be typed"
	}
	return ""
}

// half is a field whose first letter is not yet an answer, and its texts.
type half struct{ path, letter, whole string }

// halves are those fields.
func (p *plan) halves() []half {
	var list []half
	for _, path := range slices.Concat(p.order, p.paths) { // those that need not be filled in come last
		f, id := p.field(path)
		raw, needed := p.valid[path]
		switch {
		case f.Kind == lifecycle.KindBoolean || f.Kind == lifecycle.KindChoice || f.Kind == lifecycle.KindChoices || f.Kind == lifecycle.KindFile:
			continue
		case !needed && (f.Kind != lifecycle.KindText || !p.free(path)):
			continue
		case !needed:
			raw, _ = declare.Sample(p.form, id)
		}
		if len(raw) > 1 && !p.form.Accepts(id, p.form.Parse(id, raw[:1])) {
			list = append(list, half{path, raw[:1], raw})
		}
	}
	return list
}

// typeHalf types the first letter at the first of them that is typed on the page.
func (t *tab) typeHalf() (before look, h half) {
	before = t.open()
	for _, h := range t.halves() {
		if f, there := before.Fields[h.path]; !there && strings.Contains(h.path, "/0/") || f.writable() {
			t.typeIn(h.path, h.letter)
			return before, h
		}
	}
	panic(verdict{NotApplicable, "nothing is typed on the page whose first letter is not yet an answer"})
}

func noFirstLetter(policies ...lifecycle.ShowPolicy) func(*plan) string {
	return func(p *plan) string {
		if slices.Contains(policies, p.form.Show) {
			return "the form declares another time to show issues"
		}
		if len(p.halves()) == 0 {
			return "the form has no field whose first letter is not yet an answer"
		}
		return ""
	}
}

// gap is a field that has to be filled in: if there is one, one that no record fills.
func (p *plan) gap() string {
	for _, path := range p.missed {
		if p.loaded[path] == "" {
			return path
		}
	}
	for _, path := range p.missed {
		if f, _ := p.field(path); typed(f) {
			return path
		}
	}
	return ""
}

func noGap(p *plan) string {
	if p.gap() == "" {
		return "the form has no field that has to be filled in"
	}
	return ""
}

func neverAsks(p *plan) string {
	if p.form.Leave.When == lifecycle.LeaveNever {
		return "the form declares leave.when: never"
	}
	return noTyped(p)
}

func (t *tab) loads() {
	if asked := t.waitFor(2*moment, func() bool { return t.asked("load") > 0 }); !asked {
		t.cannot("the page never asks for %s, which the form declares as prefill.url", t.form.Prefill.URL)
	}
}

func loadOverTyping(t *tab) (Verdict, string) {
	t.replying("load", reply{never: true})
	l := t.arrive()
	t.loads()
	path, ok := t.text(true)
	if !ok {
		return CannotTell, "the record has no text that somebody would type; right would be --record FILE with one"
	}
	if _, there := l.Fields[path]; !there {
		t.release("load", reply{status: 200, body: string(t.record)})
		if _, comes := t.until(moment, func(l look) bool { return len(l.Fields) > 0 }); !comes {
			t.lacksFields()
		}
		return Kept, path + " is not there before the load"
	}
	if !l.Fields[path].Editable {
		return Kept, path + " is locked while it loads"
	}
	t.typeIn(path, cmp.Or(t.valid[path], t.loaded[path])+" II")
	typed := t.see().Fields[path].Value
	t.release("load", reply{status: 200, body: string(t.record)})
	if now := t.quiet().Fields[path].Value; now != typed {
		return Broken, fmt.Sprintf("%q was typed at %s, and became %q when the load came", typed, path, now)
	}
	return Kept, fmt.Sprintf("%q stayed at %s", typed, path)
}

func loadFails(t *tab) (Verdict, string) {
	t.replying("load", reply{status: 500, kind: problemJSON, body: `{"title": "The registry is closed."}`})
	l := t.arrive()
	t.loads()
	if len(l.Fields) == 0 {
		return Broken, "a load that fails takes the form away"
	}
	if _, rests := t.until(moment, func(l look) bool { return !l.Busy }); !rests {
		return Broken, "the page is busy for ever after a load that failed"
	}
	if t.form.Prefill.Needed {
		return Kept, "the page is not busy any more"
	}
	t.fill()
	t.press()
	if sent := t.waitFor(moment, func() bool { return len(t.sent()) > 0 }); !sent {
		return Broken, "after a load that failed the form cannot be sent"
	}
	return Kept, "it was sent all the same"
}

// wrong is what calls a field wrong, or nothing.
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

func quietWhileTyping(t *tab) (Verdict, string) {
	before, h := t.typeHalf()
	var what string
	t.until(moment/2, func(l look) bool { // a page may take its time
		what = wrong(before, l, h.path)
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

// intoText puts the cursor into a text.
func (t *tab) intoText(but string) {
	path, ok := t.text(false)
	if !ok {
		t.cannot("there is no text to press Enter in")
	}
	if path != but {
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
	switch _, there := before.Fields[gap]; {
	case !there: // a row has to be added first
		t.typeIn(gap, "")
	case before.Fields[gap].Value != "":
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
			return Broken, fmt.Sprintf("nothing was sent, and nobody learns that %s is missing", gap)
		}
		return Kept, what
	}
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
