package declare

import (
	"math/big"
	"slices"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// protoField is a field while it is being read, first from the schema and then from the
// form file.
type protoField struct {
	form.Field
	required []condition // when it must be present; with Field.Required: always
	asked    []condition
	compares []comparison
	fallback *form.Value // the schema's default
	listed   int         // place in the fields section, or -1
}

type comparison struct {
	op   form.ConstraintOp
	path string
	say  form.Wording
	at   *document.Node
}

var fieldKeywords = map[string][]string{
	"string":  {"type", "anyOf", "minLength", "maxLength", "pattern", "format", "enum", "const", "oneOf", "contentMediaType", "contentEncoding"},
	"number":  {"type", "format", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "enum", "const", "oneOf"},
	"integer": {"type", "format", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf", "enum", "const", "oneOf"},
	"boolean": {"type", "const", "enum"},
	"array":   {"type", "items", "minItems", "maxItems", "uniqueItems"},
}

// field reads a property that is one answer, or rows.
func (s *schemaReader) field(parts []*jsonschema.Schema, t, path string, own need, asked []condition) {
	if t == "" {
		t = s.guessType(parts)
	}
	honoured, known := fieldKeywords[t]
	if !known {
		at, file := s.node(parts[0])
		found, want := "no type", "string, number, integer, boolean, array or object"
		if t != "" {
			found = "the type " + t
		}
		for _, union := range []string{"oneOf", "anyOf"} {
			if n := at.Get(union); n != nil && t == "" {
				at, found, want = n, union+" of several kinds", "one type, with or without null; what belongs to one kind alone stands in if and then"
			}
		}
		s.wrong(at, file, found+" at "+path, want)
		return
	}
	f := &protoField{Field: form.Field{Path: path}, asked: asked, listed: -1}
	for _, part := range parts {
		s.keywords(part, "a field of type "+t, honoured...)
		if f.Label == "" {
			f.Label = part.Title
		}
		if f.Help == "" {
			f.Help = part.Description
		}
	}
	f.Kind = map[string]form.FieldKind{
		"string": form.KindText, "number": form.KindNumber, "integer": form.KindInteger,
		"boolean": form.KindBoolean, "array": form.KindRows,
	}[t]
	f.Required, f.required = own.always, own.when
	if own.always && t != "boolean" || len(own.when) > 0 && t != "boolean" {
		f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpRequired})
	}
	s.fields = append(s.fields, f)
	s.byPath[path] = f
	defer s.possible(f, parts)
	if t == "array" {
		s.array(f, parts, path)
		return
	}
	for _, part := range parts {
		s.formatOf(f, part)
		s.alternativesOf(f, part)
		s.optionsOf(f, part)
	}
	for _, part := range parts {
		s.constraintsOf(f, part)
		if part.Default != nil {
			if v, ok := f.ValueOf(*part.Default); ok {
				f.fallback = &v
			} else {
				at, file := s.node(part)
				s.wrong(at.Get("default"), file, "a default that is no "+f.Kind.String(), "a value that the field can hold")
			}
		}
	}
}

// possible refuses bounds that no answer can keep. The mistake is told at the first part that has
// one of them.
func (s *schemaReader) possible(f *protoField, parts []*jsonschema.Schema) {
	problem := f.Impossible()
	if problem == "" {
		return
	}
	at, file := s.node(parts[0])
	for _, part := range parts {
		n, in := s.node(part)
		for _, keyword := range []string{"minLength", "minItems", "minimum", "exclusiveMinimum"} {
			if bound := n.Get(keyword); bound != nil {
				at, file = bound, in
			}
		}
	}
	s.wrong(at, file, problem, "a lower bound that is not above the upper one")
}

func (s *schemaReader) guessType(parts []*jsonschema.Schema) string {
	for _, part := range parts {
		values := []any{}
		if part.Const != nil {
			values = append(values, *part.Const)
		}
		if part.Enum != nil {
			values = append(values, part.Enum.Values...)
		}
		for _, v := range values {
			switch v.(type) {
			case string:
				return "string"
			case bool:
				return "boolean"
			case nil:
			default:
				return "number"
			}
		}
		if part.Format != nil || part.Pattern != nil || part.MinLength != nil || part.MaxLength != nil || part.ContentMediaType != nil {
			return "string"
		}
		if part.Items2020 != nil {
			return "array"
		}
		switch oneOf, anyOf := branches(part); {
		case len(oneOf) > 0:
			return s.guessType(oneOf)
		case len(anyOf) > 0:
			return s.guessType(anyOf)
		}
	}
	return ""
}

var formatKinds = map[string]form.FieldKind{
	"date": form.KindDate, "time": form.KindTime, "date-time": form.KindDateTime, "binary": form.KindFile,
}

func (s *schemaReader) formatOf(f *protoField, part *jsonschema.Schema) {
	at, file := s.node(part)
	if at.Get("contentMediaType") != nil && f.Kind == form.KindText {
		f.Kind = form.KindFile
	}
	n := at.Get("format")
	if n == nil || f.Kind == form.KindNumber || f.Kind == form.KindInteger { // of a number it says how a program holds it
		return
	}
	switch kind, clock := formatKinds[n.Text]; {
	case clock:
		f.Kind = kind
	case n.Text == "email" || n.Text == "uri":
		f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpFormat, Text: n.Text})
	default:
		s.wrong(n, file, "the format "+n.Text+", which a form cannot honour", "date, time, date-time, email, uri or binary, or a pattern")
	}
}

// alternativesOf reads anyOf of patterns and formats: a text keeps one of them.
func (s *schemaReader) alternativesOf(f *protoField, part *jsonschema.Schema) {
	var all []form.Alternative
	_, anyOf := branches(part)
	for _, branch := range anyOf {
		if isNull(branch) {
			continue
		}
		s.keywords(branch, "a branch of anyOf", "type", "format", "pattern")
		at, file := s.node(branch)
		pattern, format := at.Get("pattern"), at.Get("format")
		switch {
		case pattern != nil && format == nil:
			all = append(all, form.Alternative{Op: form.OpPattern, Text: pattern.Text})
		case pattern == nil && format != nil && (format.Text == "email" || format.Text == "uri"):
			all = append(all, form.Alternative{Op: form.OpFormat, Text: format.Text})
		default:
			s.wrong(at, file, "a branch of anyOf at "+f.Path+" that is no pattern and no format of a text", "pattern, or format: email or uri, in each branch")
			return
		}
	}
	if len(all) > 0 {
		f.Constraints = append(f.Constraints, form.Constraint{Op: all[0].Op, Text: all[0].Text, Or: all[1:]})
	}
}

// optionsOf reads enum, const, and oneOf of const with title.
func (s *schemaReader) optionsOf(f *protoField, part *jsonschema.Schema) {
	at, file := s.node(part)
	var options []form.Option
	add := func(v any, label string, n *document.Node) {
		if v == nil {
			return // null is absent
		}
		value, ok := f.ValueOf(v)
		if !ok || value.Absent() {
			s.wrong(n, file, document.Describe(n)+" among the options of "+f.Path, "values of the type "+f.Kind.String())
			return
		}
		if label == "" {
			label = value.String()
		}
		options = append(options, form.Option{Value: value, Label: label})
	}
	if part.Enum != nil {
		n := at.Get("enum")
		for k, v := range part.Enum.Values {
			if f.Kind == form.KindBoolean {
				break
			}
			add(v, "", n.Items[k])
		}
		if f.Kind == form.KindBoolean && len(part.Enum.Values) < 2 {
			s.wrong(n, file, "an enum for a box", "const: true for a box that must be ticked")
		}
	}
	oneOf, _ := branches(part)
	for _, one := range oneOf {
		s.keywords(one, "an option", "const")
		n, _ := s.node(one)
		if one.Const == nil {
			s.wrong(n, file, "oneOf with something other than const and title", "a list of {const: …, title: …}")
			continue
		}
		add(*one.Const, one.Title, n.Get("const"))
	}
	if part.Const != nil {
		s.constOf(f, *part.Const, at.Get("const"), file)
	}
	if len(options) == 0 {
		return
	}
	if f.Kind == form.KindChoice {
		s.wrong(at, file, "options given twice", "one enum or oneOf")
		return
	}
	f.Of, f.Kind, f.Options = f.Kind, form.KindChoice, options
	f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpEnum})
}

func (s *schemaReader) constOf(f *protoField, v any, n *document.Node, file string) {
	value, ok := f.ValueOf(v)
	switch {
	case !ok || value.Absent():
		s.wrong(n, file, document.Describe(n)+" as the only value of "+f.Path, "a value of the type "+f.Kind.String()+"; for a box true")
	case f.Kind == form.KindBoolean:
		f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpTicked})
	default:
		f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpEqual, Value: value})
	}
}

// constraintsOf reads the keywords that bound a value.
func (s *schemaReader) constraintsOf(f *protoField, part *jsonschema.Schema) {
	at, file := s.node(part)
	length := func(op form.ConstraintOp, bound *int, keyword string) {
		if bound == nil {
			return
		}
		if f.Kind != form.KindText && (f.Kind != form.KindChoice || f.Of != form.KindText) {
			s.wrong(at.Get(keyword), file, keyword+" at a "+f.Kind.String(), "no "+keyword)
			return
		}
		f.Constraints = append(f.Constraints, form.Constraint{Op: op, Value: form.Number(int64(*bound), 0)})
	}
	length(form.OpMinLength, part.MinLength, "minLength")
	length(form.OpMaxLength, part.MaxLength, "maxLength")
	if n := at.Get("pattern"); n != nil {
		if f.Kind != form.KindText && f.Kind != form.KindChoice {
			s.wrong(n, file, "a pattern at a "+f.Kind.String(), "no pattern")
		} else {
			f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpPattern, Text: n.Text})
		}
	}
	for _, b := range []struct {
		op      form.ConstraintOp
		bound   *big.Rat
		keyword string
	}{
		{form.OpMinimum, part.Minimum, "minimum"},
		{form.OpMaximum, part.Maximum, "maximum"},
		{form.OpExclusiveMinimum, part.ExclusiveMinimum, "exclusiveMinimum"},
		{form.OpExclusiveMaximum, part.ExclusiveMaximum, "exclusiveMaximum"},
		{form.OpMultipleOf, part.MultipleOf, "multipleOf"},
	} {
		n := at.Get(b.keyword)
		if b.bound == nil || n == nil {
			continue
		}
		v, ok := form.NumberFromText(n.Text)
		if !ok {
			s.wrong(n, file, n.Text, "a number of at most 18 digits")
			continue
		}
		f.Constraints = append(f.Constraints, form.Constraint{Op: b.op, Value: v})
	}
}

// array reads rows (an array of objects), several choices (an array of options, each at most once), or a list (an
// array of plain values).
func (s *schemaReader) array(f *protoField, parts []*jsonschema.Schema, path string) {
	at, file := s.node(parts[0])
	var items *jsonschema.Schema
	unique := false
	for _, part := range parts {
		if part.Items2020 != nil {
			items = part.Items2020
		}
		unique = unique || part.UniqueItems
		for _, b := range []struct {
			op    form.ConstraintOp
			bound *int
		}{{form.OpMinItems, part.MinItems}, {form.OpMaxItems, part.MaxItems}} {
			if b.bound != nil {
				f.Constraints = append(f.Constraints, form.Constraint{Op: b.op, Value: form.Number(int64(*b.bound), 0)})
			}
		}
	}
	if items == nil {
		s.wrong(at, file, "an array without items at "+path, "items: an object (rows), a plain value (a list), or texts with enum (several choices)")
		return
	}
	itemParts := s.parts(items)
	t := s.typeOf(itemParts)
	isObject := t == "object" || hasProperties(itemParts)
	hasOptions := slices.ContainsFunc(itemParts, func(p *jsonschema.Schema) bool {
		oneOf, _ := branches(p)
		return p.Enum != nil || len(oneOf) > 0
	})
	if _, _, inRows := form.CutRow(path); inRows && (isObject || !hasOptions || !unique) {
		what := "a list inside rows at "
		if isObject {
			what = "rows inside rows at "
		}
		s.wrong(at, file, what+path, "fields and objects there, or several choices; what has rows of its own is edited in a form of its own")
		return
	}
	if isObject {
		if unique {
			s.wrong(at.Get("uniqueItems"), file, "uniqueItems at rows, which a form cannot honour", "no uniqueItems")
		}
		s.object(items, path+"/*", need{always: true}, nil)
		return
	}
	if !hasOptions || !unique {
		if unique {
			f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpUniqueItems})
		}
		s.property(items, path+"/*", nil, need{}, nil)
		return
	}
	options := &protoField{Field: form.Field{Path: path, Kind: form.KindText}}
	if t == "" {
		t = s.guessType(itemParts)
	}
	switch t {
	case "number":
		options.Kind = form.KindNumber
	case "integer":
		options.Kind = form.KindInteger
	}
	for _, part := range itemParts {
		s.keywords(part, "the items of a choice", "type", "enum", "oneOf")
		s.optionsOf(options, part)
	}
	f.Kind, f.Of, f.Options = form.KindChoices, options.Of, options.Options
	f.Constraints = append(f.Constraints, form.Constraint{Op: form.OpEnum})
}
