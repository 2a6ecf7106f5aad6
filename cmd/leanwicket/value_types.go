package main

import (
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
)

// shape is an object of a body as a type of TypeScript.
type shape struct {
	names   []string // in the form's order, as JSON writes them
	members map[string]*shape
	of      string // of a field: its type; empty means an object
	list    bool   // rows
}

func (s *shape) at(path string) *shape {
	for token := range strings.SplitSeq(path, "/") {
		if token == "*" {
			continue // the rows' own members stand in their group
		}
		name := form.UnescapeToken(token)
		if s.members == nil {
			s.members = map[string]*shape{}
		}
		if s.members[name] == nil {
			s.members[name] = &shape{}
			s.names = append(s.names, name)
		}
		s = s.members[name]
	}
	return s
}

func (s *shape) String() string {
	if s.of != "" {
		return s.of
	}
	var members []string
	for _, name := range s.names {
		members = append(members, strconv.Quote(name)+"?: "+s.members[name].String())
	}
	object := "{ " + strings.Join(members, "; ") + " }"
	if s.list {
		return object + "[]"
	}
	return object
}

// valuesType is what a form sends, as a type of TypeScript. What has no answer is left out, so that each member may be absent.
func valuesType(f *form.Form) string {
	whole := &shape{}
	for k := range f.Declared() {
		field := &f.Fields[k]
		at := whole.at(field.Path)
		if field.Kind == form.KindRows {
			at.list = true
			continue
		}
		at.of = valueType(field)
		if f.IsItem(form.FieldID(k)) {
			at.of = "(" + at.of + ")[]"
		}
		if f.Submit.Method == "PATCH" {
			at.of += " | null" // what was taken away (RFC 7396)
		}
	}
	return whole.String()
}

func valueType(field *form.Field) string {
	var options []string
	for _, o := range field.Options {
		text := o.Value.String()
		if o.Value.Kind == form.ValueText {
			text = strconv.Quote(text)
		}
		if !slices.Contains(options, text) {
			options = append(options, text)
		}
	}
	switch field.Kind {
	case form.KindNumber, form.KindInteger:
		return "number"
	case form.KindBoolean:
		return "boolean"
	case form.KindChoice:
		return strings.Join(options, " | ")
	case form.KindChoices:
		return "(" + strings.Join(options, " | ") + ")[]"
	default:
		return "string"
	}
}
