package try

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	cdpinput "github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"

	"leanwicket.dev/form"
	"leanwicket.dev/sample"
)

// open opens the page, and waits until the loaded answers show.
func (t *tab) open() look {
	l := t.arrive()
	if t.form.Prefill.Loads() {
		t.waitFor(moment, func() bool { return len(t.asked("load")) > 0 })
		l = t.quiet()
	}
	if len(l.Fields) == 0 && !t.isReached() { // a script that has still to be compiled moves nothing meanwhile
		there := false
		if l, there = t.until(2*moment, func(l look) bool { return len(l.Fields) > 0 }); !there {
			t.lacksFields()
		}
		l = t.quiet()
	}
	if len(l.Buttons) == 0 && len(t.declared.Submit.Before) == 0 {
		t.cannot("no submit button is on the page; right would be a button of type submit, or submit.control in the try file")
	}
	t.opened = l
	return l
}

func (t *tab) lacksFields() {
	t.cannot("none of the form's fields is on the page; right would be controls whose name is the field's path or whose label is the field's, or fields.PATH.control in the try file")
}

// isReached reports whether steps lead to a field.
func (p *plan) isReached() bool {
	for _, c := range p.declared.Controls {
		if len(c.Before) > 0 {
			return true
		}
	}
	return false
}

// arrive opens the page, and does what is declared for each opening.
func (t *tab) arrive() look {
	l := t.visit()
	if len(t.declared.Steps) > 0 {
		t.take(t.declared.Steps, nil)
		l = t.quiet()
	}
	return l
}

// visit opens the page. It accepts the dialog with which the page before it asks to stay.
func (t *tab) visit() look {
	t.did("applicant", "opens the page")
	t.accepting(true)
	defer t.accepting(false)
	err := t.navigate()
	for range 2 { // a reload that was just turned down may end what follows it, or hold it up
		if err == nil || !errors.Is(err, context.DeadlineExceeded) && !strings.Contains(err.Error(), "ERR_ABORTED") {
			break
		}
		t.quiet()
		err = t.navigate()
	}
	if err != nil {
		t.cannot("%s cannot be opened: %v; right would be the address of a page that is served", t.page, err)
	}
	l := t.quiet()
	for end := time.Now().Add(10 * time.Second); !t.come() && time.Now().Before(end); {
		l = t.quiet()
	}
	return l
}

func (t *tab) navigate() error {
	ctx, cancel := context.WithTimeout(t.ctx, 20*time.Second)
	defer cancel()
	return chromedp.Do(ctx, chromedp.Navigate(t.page))
}

func (t *tab) keys(keys string) {
	t.need(chromedp.Do(t.ctx, chromedp.KeyEvent(keys)))
}

// withRow is the page with a field, whose row is added where it is not there.
func (t *tab) withRow(path string) look {
	l := t.reachField(path)
	_, there := l.Fields[path]
	for group, row := t.inRows(path); group != "" && !there && row >= l.rows(group); {
		t.addRow(group)
		l = t.see()
		_, there = l.Fields[path]
	}
	return l
}

// typeIn puts a text into a control: by keys where it is typed.
func (t *tab) typeIn(path, raw string) {
	t.did("applicant", "%s", t.edits(path, raw))
	t.typed[path] = append(t.typed[path], raw)
	f, there := t.withRow(path).Fields[path]
	if !there {
		t.cannot("%s is not on the page; right would be a control of that name or with the field's label, or fields.%s.control in the try file", path, path)
	}
	var text string
	var err error
	if typed := t.control(path).Typed; typed != "" {
		raw = dated(typed, raw)
	}
	switch {
	case t.operate(path, raw, f.Type):
		return
	case f.Type == "checkbox" || f.Type == "radio" || f.Type == "switch":
		text, err = t.js(call("tick", path, raw))
	case f.writable():
		t.write(path, raw)
		if part := t.see().Fields[path].Value; len(part) < len(raw) && strings.HasPrefix(raw, part) {
			t.write(path, raw) // the browser has lost a key
		}
		return
	default:
		text, err = t.js(call("pick", path, raw))
	}
	t.need(err)
	if text != "true" {
		t.cannot("the control of %s takes no %q; right would be fields.%s.samples in the form file", path, raw, path)
	}
}

// edits says in words what is put into a control.
func (t *tab) edits(path, raw string) string {
	place, known := t.form.Lookup(path)
	switch box := known && t.form.Fields[place.Field].Kind == form.KindBoolean; {
	case box && raw == "":
		return "takes the tick from " + path
	case box:
		return "ticks " + path
	default:
		return fmt.Sprintf("types %q at %s", raw, path)
	}
}

func (t *tab) write(path, raw string) {
	_, err := t.js(call("begin", path))
	t.need(err)
	t.keys(orBackspace(raw))
}

// orBackspace are the keys that leave a text in a control whose text is selected.
func orBackspace(raw string) string { return cmp.Or(raw, "\b") }

// hold presses a key once and lets the keyboard repeat it.
func (t *tab) hold(key string, repeats int) {
	for k := range repeats + 1 {
		again := k > 0
		_, err := chromedp.Call(t.ctx, cdpinput.DispatchKeyEvent, cdpinput.DispatchKeyEventParams{
			Type: "keyDown", Key: key, Code: key, Text: "\r", WindowsVirtualKeyCode: 13, AutoRepeat: &again,
		})
		t.need(err)
		time.Sleep(30 * time.Millisecond) // as a keyboard does
	}
	_, _ = chromedp.Call(t.ctx, cdpinput.DispatchKeyEvent, cdpinput.DispatchKeyEventParams{Type: "keyUp", Key: key, Code: key, WindowsVirtualKeyCode: 13})
}

// call writes a call of one of look.js's functions.
func call(function string, texts ...string) string {
	list, _ := json.Marshal(texts)
	return function + "(..." + string(list) + ")"
}

// click presses and releases the pointer in the middle of what an expression finds.
func (t *tab) click(element string) { t.clickAt(t.place(element)) }

// place finds where an expression's element is. An element that is covered may be moving, so that
// place waits for it for a while.
func (t *tab) place(element string) (at []float64) {
	var covers string
	uncovered := t.waitFor(moment/2, func() bool {
		text, err := t.js("middle(" + element + ")")
		t.need(err)
		var found []any
		if json.Unmarshal([]byte(text), &found) != nil || len(found) != 3 {
			t.strayed()
			t.cannot("there is nothing to click on: %s", element)
		}
		x, _ := found[0].(float64)
		y, _ := found[1].(float64)
		at = []float64{x, y}
		covers, _ = found[2].(string)
		return covers == ""
	})
	if !uncovered {
		t.cannot("what would be clicked on is covered by %s", covers)
	}
	return at
}

func (t *tab) clickAt(at []float64) {
	for _, what := range []cdpinput.DispatchMouseEventType{"mouseMoved", "mousePressed", "mouseReleased"} {
		t.pointer(what, at)
	}
}

func (t *tab) pointer(what cdpinput.DispatchMouseEventType, at []float64) {
	p := cdpinput.DispatchMouseEventParams{Type: what, X: at[0], Y: at[1], Button: "left", ClickCount: 1}
	if what == "mouseMoved" {
		p.Button, p.ClickCount = "none", 0
	}
	_, err := chromedp.Call(t.ctx, cdpinput.DispatchMouseEvent, p)
	t.need(err)
}

// addRow adds a row by its button.
func (t *tab) addRow(group string) {
	t.did("applicant", "adds a row of %s", group)
	k := slices.IndexFunc(t.groups, func(g located) bool { return g.Path == group })
	adder := "adder(groups[" + strconv.Itoa(k) + "])"
	if text, err := t.js("Boolean(" + adder + ")"); err != nil || text != "true" {
		t.cannot("no button adds a row of %s; right would be fields.%s.control in the try file, a selector of that button", group, group)
	}
	count := t.see().rows(group)
	t.click(adder)
	if _, more := t.until(moment, func(l look) bool { return l.rows(group) > count }); !more {
		t.cannot("the button that adds a row of %s adds none; right would be controls whose name is such as %s/%d/…, or fields.….control with {row} for the row's number", group, group, count)
	}
}

// press clicks on the submit button so often, with a gap between.
func (t *tab) press(gaps ...time.Duration) {
	t.reachButton()
	at := t.place("buttons()[0]")
	before, err := t.js("heard()")
	t.need(err)
	sent := len(t.sent())
	t.did("applicant", "clicks on the submit button")
	t.clickAt(at)
	came := func() bool {
		if len(t.sent()) > sent {
			return true
		}
		now, err := t.jsWithin(moment/8, "heard()")
		return err != nil || now != before // a page that goes says nothing
	}
	if len(gaps) == 0 && !t.waitFor(moment/8, came) {
		t.did("applicant", "clicks on it again: it has moved away under the pointer")
		t.clickAt(t.place("buttons()[0]"))
	}
	for _, gap := range gaps {
		time.Sleep(gap) // what the trial is about
		t.did("applicant", "clicks on the submit button")
		t.clickAt(at)
	}
}

// fill enters everything that makes the form complete, except the answers that are left out.
func (t *tab) fill(but ...string) {
	for _, path := range t.order {
		if f, there := t.see().Fields[path]; slices.Contains(but, path) || there && f.Value == t.valid[path] {
			continue
		}
		t.typeIn(path, t.valid[path])
	}
}

// oneMore adds a row where the form has room for it, and fills it in as the first one.
func (t *tab) oneMore(group string) {
	count := t.see().rows(group)
	place, _ := t.form.Lookup(group)
	if !t.free(group) || !t.form.Accepts(place.Field, form.Number(int64(count+1), 0)) {
		return
	}
	t.addRow(group)
	for _, id := range t.form.Members(place.Field) {
		f := &t.form.Fields[id]
		raw := t.valid[form.PathInRow(f.Path, 0)]
		if raw == "" && needs(f) {
			raw, _ = sample.One(t.form, id)
		}
		if raw != "" {
			t.typeIn(form.PathInRow(f.Path, count), raw)
		}
	}
}
