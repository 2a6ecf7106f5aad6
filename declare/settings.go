package declare

import (
	"fmt"
	"slices"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

var settingKeys = []string{
	"label", "unit", "help", "placeholder", "autocomplete", "lines", "private", "say", "rules", "check", "when", "samples",
}

// readTags reads what the tags of a struct say of single fields.
func (r *reader) readTags() {
	for path, settings := range r.tags {
		for _, setting := range settings.Entries {
			if f := r.byPath[path]; f != nil { // else the schema has a mistake
				r.setting(f, setting.Key, setting.Value)
			}
		}
	}
}

// readFields reads what the form file says of single fields.
func (r *reader) readFields(n *document.Node) {
	if n == nil {
		return
	}
	for k, e := range r.Map(n) {
		f := r.known(e.Key, e.At)
		if f == nil {
			continue
		}
		f.listed = k
		r.settings[e.Key] = e.At
		if e.Value.Kind == document.Null {
			continue
		}
		for _, setting := range r.Map(e.Value, settingKeys...) {
			r.setting(f, setting.Key, setting.Value)
		}
	}
}

// known finds a field by its path, or reports which one may be meant.
func (r *reader) known(path string, at *document.Node) *protoField {
	if f := r.byPath[path]; f != nil {
		return f
	}
	paths := make([]string, len(r.fields))
	for k, f := range r.fields {
		paths[k] = f.Path
	}
	r.Wrong(at, "the path "+path+", which the schema does not have", document.Suggest(path, paths))
	return nil
}

func (r *reader) setting(f *protoField, key string, n *document.Node) {
	switch key {
	case "label":
		f.Label = r.Text(n)
	case "unit":
		f.Unit = r.Text(n)
	case "help":
		f.Help = r.Text(n)
	case "placeholder":
		f.Placeholder = r.Text(n)
	case "autocomplete":
		f.Autocomplete = r.Text(n)
	case "lines":
		if f.Lines = r.Int(n, 1); f.Kind != form.KindText || f.Lines > 100 {
			r.Wrong(n, "lines at "+f.Path+", "+document.Describe(n), "1 to 100, at a text")
		}
	case "private":
		f.Private = r.Bool(n)
	case "say":
		for _, e := range r.Map(n, form.CodeWords()...) {
			code := form.Code(slices.Index(form.CodeWords(), e.Key))
			f.Says = append(f.Says, form.CodeText{Code: code, Wording: r.wording(e.Value, form.MessageNone)})
		}
	case "rules":
		for _, rule := range r.List(n) {
			r.rule(f, rule)
		}
	case "check":
		r.check(f, n)
	case "when":
		r.when(f, n)
	case "samples":
		f.Samples = nil
		for _, sample := range r.List(n) {
			f.Samples = append(f.Samples, r.Text(sample))
		}
	}
}

var comparisons = map[string]form.ConstraintOp{
	"greaterThan": form.OpGreaterThan, "atLeast": form.OpAtLeast, "lessThan": form.OpLessThan,
	"atMost": form.OpAtMost, "equalTo": form.OpEqualTo,
}

func (r *reader) rule(f *protoField, n *document.Node) {
	var c comparison
	found := 0
	for _, e := range r.Map(n, "greaterThan", "atLeast", "lessThan", "atMost", "equalTo", "say") {
		if e.Key == "say" {
			c.say = r.wording(e.Value, form.MessageNone)
			continue
		}
		found++
		c.op, c.path, c.at = comparisons[e.Key], r.Text(e.Value), e.Value
	}
	if n.Kind == document.Map && found != 1 {
		r.Wrong(n, fmt.Sprintf("%d comparisons in one rule", found), "one of greaterThan, atLeast, lessThan, atMost or equalTo, and say")
		return
	}
	if found == 0 {
		return
	}
	other := r.known(c.path, c.at)
	if other == nil {
		return
	}
	switch {
	case f.Kind == form.KindRows || other.Kind == form.KindRows:
		r.Wrong(c.at, "a comparison of rows", "a comparison of two answers")
	case other.Path == f.Path:
		r.Wrong(c.at, "a comparison of a field with itself", "another field")
	case scale(f) != scale(other):
		r.Wrong(c.at, fmt.Sprintf("a comparison of a %s with a %s", f.Kind, other.Kind), "two fields of the same kind")
	case c.op != form.OpEqualTo && scale(f) != form.KindNumber && !isClock(f.Kind):
		r.Wrong(c.at, fmt.Sprintf("an order of two fields of kind %s", f.Kind), "equalTo, or numbers, dates or times")
	default:
		f.compares = append(f.compares, c)
	}
}

// scale is the kind on which a field's values are compared.
func scale(f *protoField) form.FieldKind {
	kind := f.Kind
	if kind == form.KindChoice {
		kind = f.Of
	}
	if kind == form.KindInteger {
		return form.KindNumber
	}
	return kind
}

func isClock(k form.FieldKind) bool {
	return k == form.KindDate || k == form.KindTime || k == form.KindDateTime
}

func (r *reader) check(f *protoField, n *document.Node) {
	f.Check = form.CheckPolicy{Delay: 300 * time.Millisecond, Timeout: 4 * time.Second}
	for _, e := range r.Map(n, "url", "delay", "timeout") {
		switch e.Key {
		case "url":
			f.Check.URL = r.url(e.Value, checkedValue)
		case "delay":
			f.Check.Delay = r.Duration(e.Value)
		case "timeout":
			f.Check.Timeout = r.bound(e.Value)
		}
	}
	if n.Kind == document.Map && f.Check.URL == "" {
		r.Wrong(n, "a check without url", `url: "/berths/{value}"`)
	}
	if f.Kind == form.KindRows {
		r.Wrong(n, "a check of rows", "a check of one answer")
	}
}

// bound reads a duration that bounds a wait, and refuses one of no length.
func (r *reader) bound(n *document.Node) time.Duration {
	before := r.Count()
	d := r.Duration(n)
	if d == 0 && r.Count() == before {
		r.Wrong(n, document.Describe(n), "a time longer than nothing: every wait has to end")
	}
	return d
}

// when reads the condition on which a field is asked. The condition of every path must hold.
func (r *reader) when(f *protoField, n *document.Node) {
	var c condition
	for _, e := range r.Map(n) {
		other := r.known(e.Key, e.At)
		if other == nil {
			continue
		}
		l := literal{path: e.Key, at: e.At}
		values := []*document.Node{e.Value}
		if e.Value.Kind == document.List {
			values = e.Value.Items
		}
		for _, v := range values {
			value, ok := other.ValueOf(v.Any())
			if !ok && v.Kind == document.Number || !ok && v.Kind == document.Bool {
				value, ok = other.ValueOf(v.Text) // an unquoted number that is an option's text
			}
			if other.Kind == form.KindChoices {
				value, ok = form.Choices(v.Text), true
			}
			if !ok {
				r.Wrong(v, document.Describe(v), "a value that "+e.Key+" can have ("+other.Kind.String()+")")
				continue
			}
			if value.Absent() {
				l.orAbsent = true
			} else {
				l.values = append(l.values, value)
			}
		}
		c = append(c, clause{l})
	}
	if len(c) > 0 {
		f.asked = both(f.asked, []condition{c})
	}
}

// order puts the fields in the order of the page. Those that the fields section lists come first, in
// its order, and then the others in the schema's. The fields of rows follow their group.
func (r *reader) order() {
	type unit struct{ place, schema int }
	head := func(f *protoField) string {
		group, _, _ := form.CutRow(f.Path)
		return group
	}
	units := map[string]unit{}
	inSchema := map[*protoField]int{}
	place := func(f *protoField, k int) int {
		if f.listed >= 0 {
			return f.listed
		}
		return 1<<20 + k
	}
	for k, f := range r.fields {
		inSchema[f] = k
		u, seen := units[head(f)]
		if !seen {
			u = unit{place(f, k), k}
		}
		u.place = min(u.place, place(f, k))
		units[head(f)] = u
	}
	slices.SortStableFunc(r.fields, func(a, b *protoField) int {
		x, y := units[head(a)], units[head(b)]
		if head(a) != head(b) {
			if x.place != y.place {
				return x.place - y.place
			}
			return x.schema - y.schema
		}
		if a.Path == head(a) || b.Path == head(b) { // the group comes before its fields
			return len(a.Path) - len(b.Path)
		}
		return place(a, inSchema[a]) - place(b, inSchema[b])
	})
}

// guardPrivate refuses rules through which a private value would show in
// another field. Such a rule may ask whether the value is there, and whether two private values are
// equal.
func (r *reader) guardPrivate(f *protoField) {
	private := func(path string) bool {
		other := r.byPath[path]
		return other != nil && (other.Private || r.private[path])
	}
	for _, c := range f.compares {
		mine := private(f.Path)
		if (mine || private(c.path)) && (c.op != form.OpEqualTo || !mine || !private(c.path)) {
			r.Wrong(c.at, "a comparison that would show a private value", "equalTo between two private fields")
		}
	}
	for _, set := range [][]condition{f.asked, f.required} {
		for _, c := range set {
			for _, cl := range c {
				for _, l := range cl {
					if private(l.path) && !l.present {
						r.Wrong(l.at, "a condition on the value of "+l.path+", which is private", "a field that is not private")
					}
				}
			}
		}
	}
}

// resolveFields makes the declaration's table.
func (r *reader) resolveFields() {
	r.ids = make(map[string]form.FieldID, len(r.fields))
	for k, f := range r.fields {
		r.ids[f.Path] = form.FieldID(k)
		if f.Kind == form.KindBoolean && r.carried[f.Path] {
			f.Field.Required = true // an unticked box is false there, so it is sent as false
		}
	}
	for _, f := range r.fields {
		r.guardPrivate(f)
		field := f.Field
		field.Private = field.Private || r.private[f.Path]
		field.Constraints = slices.Clone(field.Constraints)
		for k := range field.Constraints {
			if c := &field.Constraints[k]; c.Op == form.OpRequired && !f.Required {
				c.When = r.resolve(f.required)
			}
		}
		field.Asked = r.resolve(f.asked)
		for _, c := range f.compares {
			field.Constraints = append(field.Constraints, form.Constraint{Op: c.op, Other: r.ids[c.path], Say: c.say})
		}
		r.declaration.Fields = append(r.declaration.Fields, field)
		if f.fallback != nil && !f.fallback.Absent() && field.Private {
			r.Wrong(r.root, "a default of the private field "+f.Path, "no default: it would stand in every copy of the form")
		} else if f.fallback != nil && !f.fallback.Absent() {
			r.declaration.Defaults = append(r.declaration.Defaults, form.Answer{
				Place: form.Place{Field: r.ids[f.Path], Row: -1}, Value: *f.fallback,
			})
		}
	}
}
