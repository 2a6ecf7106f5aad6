package audit

import (
	"cmp"
	"fmt"
	"io"
	"slices"
	"strings"

	"golang.org/x/net/html"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/markup"
)

// Finding is one thing that is wrong: its line in the page, what, and what would
// be right. Advice breaks no lifecycle by itself: it is what makes a page hard to hear.
type Finding struct {
	Line   int
	What   string
	Remedy string
	Advice bool
}

func (f Finding) String() string { return fmt.Sprintf("%d: %s; %s", f.Line, f.What, f.Remedy) }

// element is a start tag inside the form, or a label anywhere.
type element struct {
	line      int
	name      string
	attribute map[string]string
	text      string // of a button or an option
	of        string // of an option: the name of its choice
	labelled  bool   // it stands in a label
}

func (e element) has(name string) bool { _, there := e.attribute[name]; return there }

// isControl reports whether an element holds an answer.
func (e element) isControl() bool {
	switch e.name {
	case "select", "textarea":
		return true
	case "input":
		return !slices.Contains([]string{"hidden", "submit", "button", "image", "reset"}, e.attribute["type"])
	}
	return false
}

// isSubmit reports whether a click on an element submits the form (HTML, form
// submission, "submit button").
func (e element) isSubmit() bool {
	kind := strings.ToLower(e.attribute["type"])
	switch e.name {
	case "button":
		return kind != "button" && kind != "reset"
	case "input":
		return kind == "submit" || kind == "image"
	}
	return false
}

// page is what has been read of a page.
type page struct {
	form     element
	inside   []element // in the form, in order
	located  []string
	speaks   bool // it has a live region
	labels   map[string]bool
	ids      map[string]int
	problems []Finding
}

func (p *page) wrong(line int, remedy, format string, args ...any) {
	p.problems = append(p.problems, Finding{Line: line, What: fmt.Sprintf(format, args...), Remedy: remedy})
}

func (p *page) advise(line int, remedy, format string, args ...any) {
	p.problems = append(p.problems, Finding{Line: line, What: fmt.Sprintf(format, args...), Remedy: remedy, Advice: true})
}

// Page reads a page and compares its first form, or the first that names a
// compiled form, with a form. Located are the fields whose controls a try file finds by
// selectors: their names are the page's own matter. The findings are in the order of the
// page; what is missing comes last. The error tells that the page could not be read.
func Page(form *form.Form, in io.Reader, located ...string) ([]Finding, error) {
	text, err := io.ReadAll(in)
	if err != nil {
		return nil, err
	}
	p := read(string(text))
	p.located = located
	if p.form.line == 0 {
		return nil, fmt.Errorf("found no form in the page; right would be one with the fields of %s", form.Name)
	}
	p.method(form)
	for _, e := range p.inside {
		p.places(form, e)
		switch {
		case e.isControl():
			p.control(form, e)
		case e.name == "option":
			p.option(form, e)
		case e.attribute["type"] == "reset":
			p.wrong(e.line, "right would be no such button, or one that asks before", "the button %q throws away everything that was typed, beside the button that sends", cmp.Or(e.text, e.attribute["value"], "Reset"))
		case e.isSubmit() && slices.Contains(rowButtons, e.attribute["name"]):
			p.rowButton(form, e)
		case e.isSubmit():
			p.button(form, e)
		case e.has("onclick"):
			p.wrong(e.line, "listen to the form's submit event, which Enter and assistive technology raise too", "<%s> has a click handler", e.name)
		}
	}
	p.enter()
	p.missing(form)
	return p.problems, nil
}

// read finds the form and what is in it. It reads tags, not a tree: a page that
// a browser would mend is read as it was written.
func read(text string) *page {
	p := &page{labels: map[string]bool{}, ids: map[string]int{}}
	z := html.NewTokenizer(strings.NewReader(text))
	line, inForm, label, textOf, chosen := 1, false, 0, -1, ""
	for {
		kind := z.Next()
		if kind == html.ErrorToken {
			return p
		}
		at := line
		line += strings.Count(string(z.Raw()), "\n")
		token := z.Token()
		switch kind {
		case html.StartTagToken, html.SelfClosingTagToken:
			e := element{line: at, name: token.Data, attribute: map[string]string{}, labelled: label > 0}
			for _, a := range token.Attr {
				e.attribute[a.Key] = a.Val
			}
			if id := e.attribute["id"]; id != "" {
				p.ids[id]++
			}
			p.speaks = p.speaks || isLive(e)
			if token.Data == "select" {
				chosen = e.attribute["name"]
			}
			e.of = chosen
			switch {
			case token.Data == "label":
				label++
				p.labels[e.attribute["for"]] = true
			case token.Data == "form" && (p.form.line == 0 || e.has("data-leanwicket-form") && !p.form.has("data-leanwicket-form")):
				p.form, p.inside, inForm = e, nil, true
			case inForm:
				p.inside = append(p.inside, e)
				if token.Data == "button" || token.Data == "option" {
					textOf = len(p.inside) - 1
				}
			}
		case html.TextToken:
			if textOf >= 0 {
				p.inside[textOf].text += strings.TrimSpace(token.Data)
			}
		case html.EndTagToken:
			switch token.Data {
			case "label":
				label = max(0, label-1)
			case "form":
				inForm = false
			case "button", "option":
				textOf = -1
			case "select":
				textOf, chosen = -1, ""
			}
		}
	}
}

// method looks at where the form goes without script.
func (p *page) method(form *form.Form) {
	if strings.EqualFold(p.form.attribute["method"], "post") {
		return
	}
	for _, e := range p.inside {
		place, known := form.Lookup(e.attribute["name"])
		if e.attribute["type"] == "password" || known && form.Fields[place.Field].Private {
			p.wrong(p.form.line, `right would be method="post"`, "without script the form is sent by GET, and %q stands in the address", e.attribute["name"])
			return
		}
	}
	p.wrong(p.form.line, `right would be method="post"`, "without script the form is sent by GET: every reload sends it again, and the answers stand in the address")
}

func (p *page) control(form *form.Form, e element) {
	name := e.attribute["name"]
	place, known := form.Lookup(strings.Replace(name, "*", "0", 1)) // a * is a row of a template
	switch {
	case name == "" && len(p.located) > 0:
		return
	case name == "":
		p.wrong(e.line, `give it the path of its field: name="`+form.Fields[0].Path+`"`, "a control without a name is never sent")
		return
	case markup.Own(name):
		return
	case !known:
		p.wrong(e.line, "right would be one of: "+strings.Join(paths(form), ", "), "the control %q is no field of the form", name)
		return
	}
	p.described(e, name)
	field := &form.Fields[place.Field]
	p.box(form, e, place.Field)
	throwsAway := ""
	switch {
	case e.attribute["type"] == "number":
		throwsAway = `type="number"`
	case e.has("maxlength"):
		throwsAway = "maxlength"
	}
	if throwsAway != "" {
		remedy := "right would be a text control"
		if mode := markup.InputMode(field.Kind); mode != "" {
			remedy += ` with inputmode="` + mode + `"`
		}
		p.wrong(e.line, remedy, "%s throws away what is typed or pasted at %q, before anybody is told", throwsAway, name)
	}
	if e.has("disabled") {
		p.wrong(e.line, "right would be readonly, or aria-disabled", "a disabled control, %q, is not sent and loses the focus", name)
	}
}

// described looks for the label of a control, and for what it says describes it.
func (p *page) described(e element, name string) {
	id := e.attribute["id"]
	if !e.labelled && (id == "" || !p.labels[id]) && !e.has("aria-label") && !e.has("aria-labelledby") && !e.has("title") {
		p.advise(e.line, `right would be <label for="`+markup.Page.Control(name)+`"> and this id`, "the control %q has no label", name)
	}
	for _, by := range strings.Fields(e.attribute["aria-describedby"]) {
		if p.ids[by] == 0 {
			p.advise(e.line, "give an element this id, such as the list of the field's issues, or take the reference away", "%q is described by %q, which is not on the page", name, by)
		}
	}
	if id != "" && p.ids[id] > 1 {
		p.wrong(e.line, "ids are used once", "the id %q stands %d times on the page", id, p.ids[id])
		p.ids[id] = 1 // told once
	}
}

func (p *page) button(form *form.Form, e element) {
	if e.has("onclick") {
		p.wrong(e.line, "listen to the form's submit event, which Enter raises too", "the submit button %q has a click handler", cmp.Or(e.text, e.attribute["value"]))
	}
	alone := !slices.ContainsFunc(p.inside, func(other element) bool { return other.isSubmit() && other.line != e.line })
	if e.name == "button" && !e.has("type") && !alone && !slices.Contains(form.Buttons, e.attribute["value"]) {
		remedy := `right would be type="button", or type="submit"`
		if len(form.Buttons) > 1 {
			remedy += ` and value="` + form.Buttons[0] + `"`
		}
		p.wrong(e.line, remedy, "the button %q has no type, so it submits", e.text)
	}
}

// isLive reports whether what an element says is heard (WAI-ARIA, live regions).
func isLive(e element) bool {
	return e.name == "output" || e.has("aria-live") && e.attribute["aria-live"] != "off" || slices.Contains([]string{"status", "alert", "log"}, e.attribute["role"])
}

// rowButtons are the names of buttons that add, remove and move rows.
var rowButtons = []string{markup.Add, markup.Remove, markup.Move}

// rowButton looks whether the rows that a button names belong to a group.
func (p *page) rowButton(declared *form.Form, e element) {
	row, _, _ := strings.Cut(e.attribute["value"], " ")
	place, known := declared.Lookup(row)
	_, isRow := declared.RowAt(strings.Replace(row, "*", "0", 1))
	if !isRow && (!known || declared.Fields[place.Field].Kind != form.KindRows) {
		p.wrong(e.line, `right would be the path of a group, such as value="`+firstGroup(declared)+`"`, "the button %q is for rows of %q, which the form does not have", cmp.Or(e.text, e.attribute["name"]), row)
	}
}

func firstGroup(declared *form.Form) string {
	for _, f := range declared.Declared() {
		if f.Kind == form.KindRows {
			return f.Path
		}
	}
	return "…"
}

// places looks whether what the page marks for a field is for one that there is.
func (p *page) places(declared *form.Form, e element) {
	for _, what := range []string{"issues", "field", "rows"} {
		attribute := "data-leanwicket-" + what
		path := e.attribute[attribute]
		if path == "" {
			continue
		}
		place, known := declared.Lookup(strings.Replace(path, "*", "0", 1))
		isGroup := known && declared.Fields[place.Field].Kind == form.KindRows
		if !known || what == "rows" && !isGroup {
			p.wrong(e.line, "right would be one of: "+strings.Join(paths(declared), ", "), "%s has %q, which is no field of that kind", attribute, path)
		}
	}
}

// enter looks which button Enter presses without script: the first.
func (p *page) enter() {
	k := slices.IndexFunc(p.inside, func(e element) bool { return e.isSubmit() && !e.has("disabled") })
	if k >= 0 && slices.Contains(rowButtons, p.inside[k].attribute["name"]) {
		p.wrong(p.inside[k].line, "right would be a button that sends the form before it, which a style can put out of sight", "without script Enter presses %q, the first button of the form, and sends nothing", cmp.Or(p.inside[k].text, p.inside[k].attribute["name"]))
	}
}

// missing looks for what the page does not have. The script makes a live region of its own.
func (p *page) missing(declared *form.Form) {
	if !p.speaks && !p.form.has("data-leanwicket-form") {
		p.advise(p.form.line, `right would be an element with role="status" that is there from the beginning`, "nothing on the page is a live region: what is said after a submit is not heard")
	}
	submits := slices.ContainsFunc(p.inside, element.isSubmit)
	if !submits {
		p.wrong(p.form.line, `right would be <button type="submit" value="`+declared.Buttons[0]+`">`, "the form has no submit button: Enter does nothing without script")
	}
	if submits && len(declared.Buttons) > 1 {
		for _, button := range declared.Buttons {
			if !slices.ContainsFunc(p.inside, func(e element) bool { return e.isSubmit() && e.attribute["value"] == button }) {
				p.wrong(p.form.line, `right would be <button type="submit" name="`+markup.Button+`" value="`+button+`">`, "no button submits with %q", button)
			}
		}
	}
	for id, f := range declared.Declared() {
		if f.Kind == form.KindRows {
			p.missingRows(f.Path)
			continue
		}
		if _, inRows := declared.Group(form.FieldID(id)); inRows {
			continue // the script adds them
		}
		if !slices.Contains(p.located, f.Path) && !slices.ContainsFunc(p.inside, func(e element) bool { return e.isControl() && e.attribute["name"] == f.Path }) {
			remedy := `right would be a control with name="` + f.Path + `"`
			if len(f.Asked) > 0 { // a script may bring it when it is asked
				p.advise(p.form.line, remedy+" when it is asked", "the field %q (%s), which is asked sometimes, has no control yet", f.Path, f.Label)
				continue
			}
			p.wrong(p.form.line, remedy, "the field %q (%s) has no control", f.Path, f.Label)
		}
	}
}

// missingRows looks for the template from which the script makes the rows of a group.
func (p *page) missingRows(path string) {
	inTemplate := func(e element) bool {
		return e.isControl() && (e.attribute["name"] == path+"/*" || strings.HasPrefix(e.attribute["name"], path+"/*/"))
	}
	holds := func(e element) bool {
		return e.attribute["data-leanwicket-rows"] == path || e.attribute["id"] == markup.Page.Control(path)
	}
	if p.form.has("data-leanwicket-form") && (!slices.ContainsFunc(p.inside, inTemplate) || !slices.ContainsFunc(p.inside, holds)) {
		p.wrong(p.form.line, `right would be an element with data-leanwicket-rows="`+path+`", and in it a <template> of one row with names such as `+path+"/*/…", "the rows of %q have no template, so that none can be added", path)
	}
}

func paths(form *form.Form) []string {
	var list []string
	for _, f := range form.Declared() {
		list = append(list, f.Path)
	}
	return list
}
