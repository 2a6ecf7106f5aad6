package try

import (
	"context"
	"encoding/json"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	cdpnetwork "github.com/chromedp/cdproto/network"
	cdppage "github.com/chromedp/cdproto/page"
	"github.com/chromedp/chromedp"

	"leanwicket.dev/form"
)

// signedIn has what a sign-in leaves in a browser: cookies, and the storage of the page's
// origin.
type signedIn struct {
	cookies []*cdpnetwork.CookieParam
	storage string // JSON: the origin, its local and its session storage
}

// signIn signs in once, on a page of its own. Meanwhile the declared requests reach the
// real server.
func (p *plan) signIn(browser context.Context, page string, w *proxy) error {
	declared := p.declared.SignIn
	if declared == nil {
		return nil
	}
	at, err := url.Parse(page)
	if err == nil && declared.Page != "" {
		at, err = at.Parse(declared.Page)
	}
	if err != nil {
		return err
	}
	w.let(declared.Sends)
	defer w.let(nil)
	var who signedIn
	err = p.once(browser, at.String(), func(t *tab) {
		t.visit()
		t.take(declared.Steps, nil)
		t.quiet()
		jar, err := chromedp.Call(t.ctx, cdpnetwork.GetCookies, cdpnetwork.GetCookiesParams{URLs: []string{page, at.String()}})
		t.need(err)
		for _, c := range jar.Cookies {
			who.cookies = append(who.cookies, &cdpnetwork.CookieParam{Name: c.Name, Value: c.Value, Domain: c.Domain, Path: c.Path, Secure: c.Secure, HTTPOnly: c.HTTPOnly, SameSite: c.SameSite})
		}
		who.storage, err = t.js("[location.origin, {...localStorage}, {...sessionStorage}]")
		t.need(err)
	})
	if err != nil {
		return fmt.Errorf("the sign-in: %w", err)
	}
	p.signedIn = who
	return nil
}

// dress gives a new tab the cookies that are declared, and those of the sign-in.
func (t *tab) dress() {
	cookies := slices.Clone(t.signedIn.cookies)
	for name, value := range t.declared.Cookies {
		cookies = append(cookies, &cdpnetwork.CookieParam{Name: name, Value: value, URL: t.page})
	}
	if len(cookies) > 0 {
		_, err := chromedp.Call(t.ctx, cdpnetwork.SetCookies, cdpnetwork.SetCookiesParams{Cookies: cookies})
		t.need(err)
	}
	if t.signedIn.storage != "" {
		script := fmt.Sprintf(`{ const [origin, local, session] = %s
if (location.origin === origin && !sessionStorage.getItem("leanwicket-signed-in")) {
  Object.entries(local).forEach(([k, v]) => localStorage.setItem(k, v))
  Object.entries(session).forEach(([k, v]) => sessionStorage.setItem(k, v))
  sessionStorage.setItem("leanwicket-signed-in", "yes")
} }`, t.signedIn.storage)
		_, err := chromedp.Call(t.ctx, cdppage.AddScriptToEvaluateOnNewDocument, cdppage.AddScriptToEvaluateOnNewDocumentParams{Source: script})
		t.need(err)
	}
}

// take does what is declared, step by step. Texts stand for {NAME} in it.
func (t *tab) take(steps []Step, texts map[string]string) {
	with := func(text string) string {
		for name, value := range texts {
			text = strings.ReplaceAll(text, "{"+name+"}", value)
		}
		return text
	}
	for _, s := range steps {
		switch {
		case s.Click != "":
			t.clickOn(with(s.Click), with(s.Reading), s.IfThere)
		case s.Into != "":
			t.did("applicant", "types at %s", s.Into)
			t.comesBy(s.Into, shown(with(s.Into)))
			_, err := t.js(call("beginAt", with(s.Into)))
			t.need(err)
			t.keys(with(s.Type))
		default:
			t.comesBy(s.Until, shown(with(s.Until)))
		}
	}
}

// clickOn clicks on the first element of a selector that is shown, or on the one that reads
// so.
func (t *tab) clickOn(selector, text string, ifThere bool) {
	element, what := shown(selector), selector
	if text != "" {
		element, what = call("reading", selector, text), fmt.Sprintf("%s that reads %q", selector, text)
	}
	if ifThere && !t.waitFor(moment/8, func() bool { return t.finds(element) }) {
		return
	}
	t.comesBy(what, element)
	t.did("applicant", "clicks on %s", what)
	t.click(element)
	t.quiet()
}

// shown finds the first element of a selector that is shown.
func shown(selector string) string { return "every(" + quoted(selector) + ").filter(shows)[0]" }

func (t *tab) finds(element string) bool {
	text, err := t.js("Boolean(" + element + ")")
	return err == nil && text == "true"
}

// comesBy waits for an element, or ends the trial.
func (t *tab) comesBy(what, element string) {
	if !t.waitFor(2*moment, func() bool { return t.finds(element) }) {
		t.cannot("there is no %s on the page; right would be a step in the try file that is there", what)
	}
}

// control is what is declared of a field's control.
func (p *plan) control(path string) Control {
	place, known := p.form.Lookup(path)
	if !known {
		return Control{}
	}
	return p.declared.Controls[p.form.Fields[place.Field].Path]
}

// reachField takes the steps to a field that is not there.
func (t *tab) reachField(path string) look {
	l := t.see()
	if before := t.control(path).Before; len(before) > 0 && !l.Fields[path].Shown {
		t.take(before, nil)
		l, _ = t.until(moment, func(l look) bool { return l.Fields[path].Shown })
	}
	return l
}

// reachButton takes the steps to the submit button, where it is not there.
func (t *tab) reachButton() {
	if before := t.declared.Submit.Before; len(before) > 0 && len(t.see().Buttons) == 0 {
		t.take(before, nil)
		t.until(moment, func(l look) bool { return len(l.Buttons) > 0 })
	}
}

// operate puts an answer into a control that is no text and no box of the browser's own. It
// reports whether it knew how.
func (t *tab) operate(path, raw, kind string) bool {
	c, label := t.control(path), t.labelOf(path, raw)
	switch {
	case len(c.Steps) > 0:
		t.take(c.Steps, map[string]string{"label": label, "value": raw})
	case len(c.Parts) > 0:
		t.typeParts(path, raw)
	case kind == "combobox":
		t.choose(path, raw, label)
	case kind == "listbox" || kind == "radiogroup":
		for _, one := range strings.Split(raw, "\n") {
			role := map[string]string{"listbox": "[role=option]", "radiogroup": "[role=radio], input[type=radio]"}[kind]
			element := call("inside", path, role, one, t.labelOf(path, one))
			t.comesBy(fmt.Sprintf("%q in %s", one, path), element)
			if text, err := t.js("isTicked(" + element + ") || " + element + ".getAttribute('aria-selected') === 'true'"); err == nil && text == "false" {
				t.click(element)
			}
		}
	default:
		return false
	}
	t.quiet()
	return true
}

// choose opens a combobox, types where it is typed in, and takes the option.
func (t *tab) choose(path, raw, label string) {
	t.click(call("named", path) + "[0]")
	if text, err := t.js(call("named", path) + "[0].select !== undefined"); err == nil && text == "true" {
		_, err := t.js(call("begin", path))
		t.need(err)
		t.keys(label)
	}
	option := call("reading", "[role=option]", raw, label)
	if !t.waitFor(moment/4, func() bool { return t.finds(option) }) && t.finds(call("named", path)+"[0].getAttribute('aria-expanded') === 'false'") {
		t.click(call("named", path) + "[0]") // it was drawn anew under the pointer
	}
	if !t.waitFor(moment, func() bool { return t.finds(option) }) {
		t.cannot("the combobox of %s opens no option that reads %q; right would be elements of role option, or fields.%s.steps in the try file", path, label, path)
	}
	t.click(option)
}

// typeParts puts a date into three controls.
func (t *tab) typeParts(path, raw string) {
	numbers := strings.Split(raw, "-")
	for k := range dateParts {
		number := ""
		if k < len(numbers) {
			number = numbers[k]
		}
		text, err := t.js(fmt.Sprintf("pickPart(%s, %d, %s)", quoted(path), k, quoted(number)))
		t.need(err)
		switch text {
		case `"typed"`:
			_, err := t.js(fmt.Sprintf("begin(%s, %d)", quoted(path), k))
			t.need(err)
			t.keys(orBackspace(number))
		case `""`:
			t.cannot("the %s of %s takes no %q; right would be a control that has it", dateParts[k], path, number)
		}
	}
}

// dated writes a date in the way in which the page wants it typed.
func dated(typed, raw string) string {
	numbers := strings.Split(raw, "-")
	if len(numbers) != len(dateParts) {
		return raw
	}
	for k, part := range dateParts {
		typed = strings.ReplaceAll(typed, "{"+part+"}", numbers[k])
	}
	return typed
}

// labelOf is the text of an option.
func (p *plan) labelOf(path, raw string) string {
	f, id := p.field(path)
	for _, o := range f.Options {
		if o.Value == p.form.Parse(id, raw) && o.Label != "" {
			return o.Label
		}
	}
	return raw
}

// pointed finds what a JSON pointer (RFC 6901) names in a body. It returns an empty text where there is
// nothing.
func pointed(body any, pointer string) any {
	if pointer == "" {
		return body
	}
	for _, token := range strings.Split(pointer[1:], "/") {
		switch v := body.(type) {
		case map[string]any:
			body = v[form.UnescapeToken(token)]
		case []any:
			var k int
			if json.Unmarshal([]byte(token), &k) != nil || k < 0 || k >= len(v) {
				return nil
			}
			body = v[k]
		default:
			return nil
		}
	}
	return body
}

// operationOf is the name of a GraphQL operation in a request's body.
func operationOf(body []byte) string {
	var request struct {
		OperationName string `json:"operationName"`
		Query         string `json:"query"`
	}
	if json.Unmarshal(body, &request) != nil {
		return ""
	}
	if request.OperationName != "" {
		return request.OperationName
	}
	if words := strings.FieldsFunc(request.Query, func(r rune) bool { return strings.ContainsRune(" \n\t({", r) }); len(words) > 1 {
		return words[1]
	}
	return ""
}

// settles is how long a page is watched before the trials for what it changes by itself.
const settles = 2500 * time.Millisecond
