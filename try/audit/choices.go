package audit

import (
	"fmt"
	"slices"
	"strings"

	"leanwicket.dev/form"
)

// option looks whether an option of a choice is one that the form has.
func (p *page) option(declared *form.Form, e element) {
	place, known := declared.Lookup(strings.Replace(e.of, "*", "0", 1))
	value := e.text
	if e.has("value") {
		value = e.attribute["value"]
	}
	if known && value != "" {
		p.has(declared, place.Field, e, value, fmt.Sprintf("the option %q of %q", value, e.of))
	}
}

// box looks whether a box or radio button has a value, and one that the form has.
func (p *page) box(declared *form.Form, e element, id form.FieldID) {
	kind := declared.Fields[id].Kind
	if e.attribute["type"] != "radio" && e.attribute["type"] != "checkbox" || kind == form.KindBoolean {
		return
	}
	name := e.attribute["name"]
	if !e.has("value") {
		p.wrong(e.line, `right would be the option that it stands for, as value="…"`, "a box of %q has no value: \"on\" is sent, whichever it is", name)
		return
	}
	p.has(declared, id, e, e.attribute["value"], fmt.Sprintf("the box %q of %q", e.attribute["value"], name))
}

func (p *page) has(declared *form.Form, id form.FieldID, e element, value, what string) {
	options := declared.Fields[id].Options
	if len(options) == 0 {
		return
	}
	var texts []string
	for _, o := range options {
		texts = append(texts, declared.Format(o.Value))
	}
	if !slices.Contains(texts, value) {
		p.wrong(e.line, "right would be one of: "+strings.Join(texts, ", "), "%s is none that the form has, so that it is always refused", what)
	}
}
