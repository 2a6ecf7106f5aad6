package declare

import (
	"fmt"
	"slices"
	"strconv"

	"github.com/santhosh-tekuri/jsonschema/v6"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
)

// need is when a place must be present.
type need struct {
	always bool
	when   []condition // any of them; with always unused
}

var objectKeywords = []string{
	"type", "properties", "required", "additionalProperties", "unevaluatedProperties", "dependentRequired", "if", "then", "else",
}

// conditional is a property, and when it is asked.
type conditional struct {
	schema *jsonschema.Schema
	name   string
	when   []condition
}

// closedParts refuses a part of an object that allows no other properties while
// another part has some, because nothing could satisfy both.
func (s *schemaReader) closedParts(parts []*jsonschema.Schema, order []conditional) {
	for k, part := range parts {
		at, file := s.node(part)
		if n := at.Get("unevaluatedProperties"); n != nil && k > 0 && n.Text != "true" {
			s.wrong(n, file, "unevaluatedProperties inside allOf or $ref, which sees no property beside it", "the keyword at the object itself")
		}
		n := at.Get("additionalProperties")
		if n == nil || n.Text == "true" {
			continue
		}
		for _, p := range order {
			if part.Properties[p.name] == nil {
				s.wrong(n, file, "additionalProperties beside the property "+p.name+" of another part, which it does not see", "unevaluatedProperties at the object itself")
				break
			}
		}
	}
}

// object reads the properties of an object. own is when the object itself must
// be present, and asked is when it is asked.
func (s *schemaReader) object(schema *jsonschema.Schema, path string, own need, asked []condition) {
	parts := s.parts(schema)
	if parts == nil {
		return
	}
	s.walking[schema.Location] = true
	defer delete(s.walking, schema.Location)
	at, file := s.node(schema)
	if t := s.typeOf(parts); t != "" && t != "object" {
		s.wrong(at, file, "the type "+t, "object: a form is an object")
		return
	}
	before := len(s.fields)
	o := objectReader{schemaReader: s, path: path, required: map[string][]need{}}
	for _, part := range parts {
		o.properties(part)
	}
	for _, part := range parts {
		if part.If != nil {
			o.branches(part)
		}
	}
	o.placeLater()
	for _, p := range o.order {
		s.property(p.schema, join(path, p.name), o.required[p.name], own, both(asked, p.when))
	}
	s.closedParts(parts, o.order)
	for name := range sorted(o.required) {
		if o.find(name) < 0 {
			if n := at.Get("required"); n != nil {
				at = n
			}
			s.wrong(at, file, name+" among the required, which is no property", "the name of a property")
		}
	}
	s.presence(before, path, own)
}

// objectReader collects the properties of one object from its parts.
type objectReader struct {
	*schemaReader
	path     string
	required map[string][]need
	order    []conditional // declared at the object itself
	later    []conditional // declared in then or else alone
}

func (o *objectReader) find(name string) int {
	return slices.IndexFunc(o.order, func(c conditional) bool { return c.name == name })
}

func (o *objectReader) require(name string, n need) {
	o.required[name] = append(o.required[name], n)
}

// properties reads the properties that one part declares whatever its if says.
func (o *objectReader) properties(part *jsonschema.Schema) {
	o.keywords(part, "an object", objectKeywords...)
	for _, name := range part.Required {
		o.require(name, need{always: true})
	}
	for _, name := range o.names(part) {
		at, file := o.node(part.Properties[name])
		switch {
		case o.find(name) >= 0:
			o.wrong(at, file, "the property "+name+" described in two places", "one description of each property")
		case name == "" || name == "*":
			o.wrong(at, file, "a property with the name "+strconv.Quote(name), "a name that a control can have")
		default:
			o.order = append(o.order, conditional{part.Properties[name], name, nil})
		}
	}
	at, _ := o.node(part)
	for of, names := range sorted(part.DependentRequired) {
		for _, name := range names {
			o.require(name, need{when: []condition{{{literal{path: join(o.path, of), present: true, at: at}}}}})
		}
	}
}

// branches reads if, then and else. They say what is required there, and which properties are
// asked only there.
func (o *objectReader) branches(part *jsonschema.Schema) {
	holds, ok := o.ifCondition(part.If, o.path)
	if !ok {
		return
	}
	for _, branch := range []struct {
		schema          *jsonschema.Schema
		when, otherwise []condition
	}{{part.Then, []condition{holds}, not(holds)}, {part.Else, not(holds), []condition{holds}}} {
		if branch.schema == nil {
			continue
		}
		o.keywords(branch.schema, "then or else", "properties", "required", "type")
		for _, name := range branch.schema.Required {
			o.require(name, need{when: branch.when})
		}
		for _, name := range o.names(branch.schema) {
			property := branch.schema.Properties[name]
			found := o.find(name)
			at, file := o.node(property)
			if at.Kind == document.Bool && at.Text == "false" { // taken away
				if found >= 0 {
					o.order[found].when = both(o.order[found].when, branch.otherwise)
				}
				continue
			}
			if found < 0 {
				o.later = append(o.later, conditional{property, name, branch.when})
				continue
			}
			if at.Kind == document.Map && len(at.Entries) > 0 {
				o.wrong(at, file, "a rule for "+name+" that holds only sometimes", "then and else that make a field required, or asked (declared there and nowhere else)")
			}
		}
	}
}

// placeLater puts the properties of then and else behind the others. A property that
// stands in several branches is asked in any of them.
func (o *objectReader) placeLater() {
	for _, x := range o.later {
		if at := o.find(x.name); at >= 0 {
			o.order[at].when = append(o.order[at].when, x.when...)
		} else {
			o.order = append(o.order, x)
		}
	}
}

// property reads one property, which is an object, rows or a field.
func (s *schemaReader) property(schema *jsonschema.Schema, path string, needs []need, parent need, asked []condition) {
	parts := s.parts(schema)
	if parts == nil {
		return
	}
	var own need
	for _, n := range needs {
		switch {
		case n.always && parent.always:
			own.always = true
		case n.always:
			own.when = append(own.when, both(parent.when, nil)...)
			own.when = append(own.when, condition{{literal{path: objectOf(path), present: true}}})
		case parent.always:
			own.when = append(own.when, n.when...)
		default:
			own.when = append(own.when, both(n.when, []condition{{{literal{path: objectOf(path), present: true}}}})...)
		}
	}
	t := s.typeOf(parts)
	if t == "" && hasProperties(parts) {
		t = "object"
	}
	switch {
	case slices.ContainsFunc(parts, func(p *jsonschema.Schema) bool { return p.ReadOnly }):
		s.beyond = append(s.beyond, Beyond{path, "readOnly"})
		return
	case t == "object" && !hasProperties(parts) && slices.ContainsFunc(parts, func(p *jsonschema.Schema) bool { _, is := p.AdditionalProperties.(*jsonschema.Schema); return is }):
		s.beyond = append(s.beyond, Beyond{path, "a map"})
		return
	}
	if t != "boolean" && isNullable(parts) { // what is required may be null
		if slices.ContainsFunc(needs, func(n need) bool { return n.always }) {
			s.declaration.Nulls = append(s.declaration.Nulls, path)
		}
		own = need{}
	}
	if t == "array" && s.isListOfMaps(parts) {
		s.beyond = append(s.beyond, Beyond{path, "a list of maps"})
		return
	}
	if t == "object" {
		if own.always {
			s.declaration.Objects = append(s.declaration.Objects, path)
		}
		s.object(schema, path, own, asked)
		return
	}
	s.field(parts, t, path, own, asked)
}

// isListOfMaps reports whether an array has objects of which no property is named.
func (s *schemaReader) isListOfMaps(parts []*jsonschema.Schema) bool {
	return slices.ContainsFunc(parts, func(p *jsonschema.Schema) bool {
		if p.Items2020 == nil {
			return false
		}
		items := s.parts(p.Items2020)
		return s.typeOf(items) == "object" && !hasProperties(items) && !slices.ContainsFunc(items, func(item *jsonschema.Schema) bool { return item.If != nil })
	})
}

// hasProperties reports whether an object names properties in one of its parts.
func hasProperties(parts []*jsonschema.Schema) bool {
	return slices.ContainsFunc(parts, func(p *jsonschema.Schema) bool { return len(p.Properties) > 0 })
}

func objectOf(path string) string {
	for k := len(path) - 1; k >= 0; k-- {
		if path[k] == '/' {
			return path[:k]
		}
	}
	return ""
}

// presence records which fields make an object present.
func (s *schemaReader) presence(before int, path string, own need) {
	if own.always || path == "" {
		return
	}
	for _, f := range s.fields[before:] {
		s.leaves[path] = append(s.leaves[path], f.Path)
	}
	for _, f := range s.fields[before:] {
		f.required = s.spread(f.required, path)
	}
}

// spread replaces "the object is present" by "one of its fields is".
func (s *schemaReader) spread(set []condition, object string) []condition {
	var out []condition
	for _, c := range set {
		alternatives := []condition{{}}
		for _, cl := range c {
			if len(cl) != 1 || cl[0].path != object || !cl[0].present {
				for k := range alternatives {
					alternatives[k] = append(alternatives[k], cl)
				}
				continue
			}
			any := clause{}
			for _, leaf := range s.leaves[object] {
				any = append(any, literal{path: leaf, present: true, at: cl[0].at})
			}
			for k := range alternatives {
				alternatives[k] = append(alternatives[k], any)
			}
		}
		out = append(out, alternatives...)
	}
	return out
}

// ifCondition reads an if, which can name sibling fields with const or enum, and those that are required.
func (s *schemaReader) ifCondition(schema *jsonschema.Schema, path string) (condition, bool) {
	s.keywords(schema, "if", "properties", "required", "type")
	var c condition
	at, file := s.node(schema)
	for _, name := range append(s.names(schema), schema.Required...) {
		s.carried[join(path, name)] = true
	}
	for _, name := range schema.Required {
		c = append(c, clause{literal{path: join(path, name), present: true, at: at}})
	}
	for _, name := range s.names(schema) {
		property := schema.Properties[name]
		s.keywords(property, "a property of if", "const", "enum", "type")
		var values []any
		switch {
		case property.Const != nil:
			values = []any{*property.Const}
		case property.Enum != nil:
			values = property.Enum.Values
		default:
			n, _ := s.node(property)
			s.wrong(n, file, "a condition on "+name+" without const or enum", "const or enum")
			return nil, false
		}
		l := literal{path: join(path, name), orAbsent: !slices.Contains(schema.Required, name), at: at}
		for _, v := range values {
			value, ok := form.ScalarOf(v)
			if !ok {
				n, _ := s.node(property)
				s.wrong(n, file, fmt.Sprintf("a condition on the value %v", v), "a text, a number, true or false")
				return nil, false
			}
			if v == false { // an unticked box is false, and present
				l.orAbsent = true
				c = slices.DeleteFunc(c, func(cl clause) bool { return cl[0].path == l.path && cl[0].present })
				continue
			}
			if v == true {
				l.orAbsent = false
			}
			l.values = append(l.values, value)
		}
		c = append(c, clause{l})
	}
	return c, true
}

// sorted goes through a map in the order of its keys.
func sorted[V any](m map[string]V) func(yield func(string, V) bool) {
	keys := make([]string, 0, len(m))
	for k := range m {
		keys = append(keys, k)
	}
	slices.Sort(keys)
	return func(yield func(string, V) bool) {
		for _, k := range keys {
			if !yield(k, m[k]) {
				return
			}
		}
	}
}
