package try

import (
	"encoding/json"
	"fmt"
	"maps"
	"net/url"
	"strconv"
	"strings"

	cdpinput "github.com/chromedp/cdproto/input"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"leanwicket.dev/form"
)

// whole is the record of a form that replaces, with an answer to every field, and its values by path: others than
// those that are typed, as far as the form accepts them. A record of the try file is taken as it is, and that of a
// form that creates has no more than it needs.
func (p *plan) whole() (body []byte, values map[string]string) {
	if p.declared.Record != nil || p.form.Submit.Creates() {
		return p.record, maps.Clone(p.loaded)
	}
	var answers []form.Answer
	values = map[string]string{}
	for _, path := range p.paths {
		f, id := p.field(path)
		raw := p.valid[path]
		switch other, accepted := p.another(path); {
		case p.compared(id) || len(p.form.Dependents(id)) > 0: // other answers hang on it
		case f.Kind == form.KindBoolean:
			raw = "true"
		case accepted:
			raw = other
		}
		value := p.form.Parse(id, raw)
		if raw == "" || !p.free(path) || f.Kind == form.KindFile || !p.form.Accepts(id, value) {
			continue
		}
		answers = p.withAnswer(answers, path, value)
		values[path] = p.form.Format(value)
	}
	return p.form.AppendBody(nil, answers), values
}

// given are the answers of a body by path, as a control shows them, and whether it can be read.
func (p *plan) given(body string) (map[string]string, bool) {
	var read any
	if json.Unmarshal([]byte(body), &read) == nil {
		object := holder(read, p.form)
		return p.answersIn(object), object != nil
	}
	pairs, err := url.ParseQuery(body)
	given := map[string]string{}
	for _, path := range p.paths {
		_, id := p.field(path)
		given[path] = p.form.Format(p.form.Parse(id, strings.Join(pairs[path], "\n")))
	}
	return given, err == nil && strings.Contains(body, "=") && !strings.HasPrefix(body, "--")
}

// sendsAll fills in what no record has, sends the form, and returns what was given.
func (t *tab) sendsAll(record map[string]string) map[string]string {
	for _, path := range t.order {
		if record[path] == "" {
			t.typeIn(path, t.valid[path])
		}
	}
	t.quiet()
	t.press()
	t.sends(1)
	given, readable := t.given(t.sent()[0].Body)
	if !readable {
		t.end(verdict{NotApplicable, "the body is neither JSON nor names and values"})
	}
	return given
}

// differs is a field of the page that was loaded with one answer and is sent with another, or none.
func (t *tab) differs(shown look, record, given map[string]string, edited string) (path string, differs bool) {
	for _, path := range shown.paths() {
		f, _ := t.field(path)
		got, there := given[path]
		if want := record[path]; want != "" && path != edited && !f.Private && got != want && (there || t.form.Submit.Method != "PATCH") {
			return path, true
		}
	}
	return "", false
}

func untouchedValuesStay(t *tab) (Verdict, string) {
	body, record := t.whole()
	t.replying("load", reply{status: 200, body: string(body)})
	shown := t.open()
	edited, ok := t.text(false)
	if _, there := shown.Fields[edited]; !ok || !there {
		return CannotTell, "no text that somebody types is on the page as it opens"
	}
	t.typeIn(edited, t.valid[edited]+" II")
	given := t.sendsAll(record)
	if path, differs := t.differs(shown, record, given, edited); differs {
		return Broken, fmt.Sprintf("%s was loaded as %q, nobody touched it, and it is sent as %q", path, record[path], given[path])
	}
	return Kept, fmt.Sprintf("%d answers went back as they were loaded", len(record))
}

// backRestores goes away and back: the browser brings back what stood in the controls, and a colleague has changed
// the record meanwhile.
func backRestores(t *tab) (Verdict, string) {
	body, record := t.whole()
	t.replying("load", reply{status: 200, body: string(body)})
	shown := t.open()
	edited, _ := t.text(false)
	other := ""
	for _, path := range shown.paths() {
		f, id := t.field(path)
		if path != edited && record[path] != "" && typed(f) && !t.compared(id) && !f.Private && shown.Fields[path].writable() && t.valid[path] != record[path] && t.valid[path] != "" {
			other = path
		}
	}
	if _, there := shown.Fields[edited]; !there || other == "" {
		return NotApplicable, "the page has no two texts of the record"
	}
	t.typeIn(edited, t.valid[edited]+" II")
	theirs := t.valid[other]
	var changed any
	var err error
	t.need(json.Unmarshal(body, &changed))
	f, id := t.field(other)
	if !put(pointed(changed, t.declared.RecordAt), other, f.Kind, t.form.Parse(id, theirs)) {
		return CannotTell, "the record of the try file has no " + other
	}
	body, err = json.Marshal(changed)
	t.need(err)
	record[other] = theirs
	t.replying("load", reply{status: 200, body: string(body)})
	t.accepting(true)
	loads := len(t.asked("load"))
	t.did("applicant", "goes to another page, and back")
	t.need(chromedp.Do(t.ctx, chromedp.Navigate("about:blank")))
	_, _ = t.js("history.back()")
	again := t.waitFor(2*moment, func() bool { return len(t.asked("load")) > loads })
	if !again { // the browser has kept the page whole
		t.did("applicant", "reloads the page")
		_, _ = chromedp.Call(t.ctx, cdppage.Reload, cdppage.ReloadParams{})
		again = t.waitFor(2*moment, func() bool { return len(t.asked("load")) > loads })
	}
	if !again {
		return CannotTell, "the page asks for the record only once"
	}
	if len(t.declared.Steps) > 0 {
		t.take(t.declared.Steps, nil)
	}
	for range 3 { // a page draws itself some time after its answer
		t.quiet()
	}
	now := t.see()
	if len(now.Fields) == 0 {
		return CannotTell, "the fields are not there after going back"
	}
	if f, there := now.Fields[other]; there && f.Value != theirs {
		return Broken, fmt.Sprintf("%s became %q in the record meanwhile, and %q stands there again, which nobody typed", other, theirs, f.Value)
	}
	t.typeIn(edited, t.valid[edited]+" III")
	given := t.sendsAll(record)
	if path, differs := t.differs(now, record, given, edited); differs {
		return Broken, fmt.Sprintf("%s is %q in the record, nobody touched it, and it is sent as %q", path, record[path], given[path])
	}
	return Kept, fmt.Sprintf("%s is %q, as the record has it now", other, theirs)
}

// put changes a text or number in an object, at a path.
func put(object any, path string, kind form.FieldKind, v form.Value) bool {
	head, rest, deeper := strings.Cut(path, "/")
	switch in := object.(type) {
	case map[string]any:
		switch before, there := in[head]; {
		case !there:
			return false
		case deeper:
			return put(before, rest, kind, v)
		case kind == form.KindText:
			in[head] = v.String()
		default:
			in[head] = json.Number(v.String())
		}
		return true
	case []any:
		k, err := strconv.Atoi(head)
		return err == nil && k < len(in) && deeper && put(in[k], rest, kind, v)
	}
	return false
}

func halfTyped(t *tab) (Verdict, string) {
	l := t.open()
	halves := map[string]string{"date": "12", "time": "1", "datetime-local": "12", "month": "2", "number": "1e"}
	at := ""
	for _, path := range t.paths {
		if f := l.Fields[path]; halves[f.Type] != "" && f.Editable && t.control(path).Selector == "" && (at == "" || t.valid[at] != "") {
			at = path // one that need not be filled in is better: nothing else holds the form
		}
	}
	if at == "" {
		return NotApplicable, "the page has no control of the browser's for a date, a time or a number"
	}
	t.fill(at)
	t.did("applicant", "types half of %s", at)
	t.write(at, halves[l.Fields[at].Type])
	if text, err := t.js(call("named", at) + "[0].validity.badInput"); err != nil || text != "true" {
		return NotApplicable, "the browser makes something whole of what is half typed at " + at
	}
	before := t.quiet()
	t.press()
	told := func(l look) bool { return wrong(before, l, at) != "" || l.Focus == at && l.Fields[at].Native }
	_, said := t.until(moment, func(l look) bool { return told(l) || len(t.sent()) > 0 })
	if t.quiet(); len(t.sent()) > 0 {
		return Broken, fmt.Sprintf("%s was half typed, and the form was sent without it", at)
	}
	if !said && t.hint(at) == "" {
		return Broken, fmt.Sprintf("%s is half typed, nothing is sent, and nobody learns why", at)
	}
	return Kept, at + " was half typed, and nothing was sent"
}

func valuesWithoutEvents(t *tab) (Verdict, string) {
	t.full()
	path, _ := t.text(false)
	f, there := t.see().Fields[path]
	if !there || !f.writable() || !f.Editable {
		return NotApplicable, path + " is not typed on the page"
	}
	t.did("page", "a program puts a text into %s, without an event", path)
	want := t.valid[path] + " II"
	_, err := t.js(call("putUntold", path, want))
	t.need(err)
	t.press()
	t.waitFor(moment, func() bool { return len(t.sent()) > 0 })
	if len(t.sent()) == 0 {
		t.canSend("submit", t.success())
		return Broken, fmt.Sprintf("%q stands at %s, and it is not sent; %s", t.see().Fields[path].Value, path, t.says())
	}
	given, readable := t.given(t.sent()[0].Body)
	if !readable {
		return NotApplicable, "the body is neither JSON nor names and values"
	}
	if given[path] != want {
		return Broken, fmt.Sprintf("%q stood at %s, and %q was sent", want, path, given[path])
	}
	return Kept, fmt.Sprintf("%q was sent", want)
}

func composing(t *tab) (Verdict, string) {
	path, f := t.whileItLoads()
	if !f.writable() {
		return NotApplicable, path + " is not typed on the page"
	}
	_, err := t.js(call("begin", path))
	t.need(err)
	t.did("applicant", "composes a text at %s", path)
	_, err = chromedp.Call(t.ctx, cdpinput.ImeSetComposition, cdpinput.ImeSetCompositionParams{Text: "tiê", SelectionStart: 3, SelectionEnd: 3})
	t.need(err)
	t.release("load", reply{status: 200, body: string(t.record)})
	during := t.quiet().Fields[path].Value
	_, err = chromedp.Call(t.ctx, cdpinput.InsertText, cdpinput.InsertTextParams{Text: "tiếng"})
	t.need(err)
	if now := t.quiet().Fields[path].Value; now != "tiếng" {
		return Broken, fmt.Sprintf(`"tiê" was being composed at %s when the load came, which made %q of it, and in the end %q`, path, during, now)
	}
	return Kept, "the load left alone what was being composed"
}
