package declare

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/decode"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/internal/members"
)

// FromStruct makes a form of a Go struct. Members are named by their json tags;
// nested structs are objects, slices of structs rows, slices of strings with an
// enum several choices, time.Time a date-time. A type with UnmarshalText or UnmarshalJSON is a text,
// unless its tag says type=number. Five tags say the rest:
//
//	label:"Vessel name"
//	help:"As in the registry"
//	unit:"m"
//	samples:"12.5|14"
//	form:"required; maxLength=40; pattern=^[A-Z]; format=date; enum=radio|phone; ticked; private"
//
// A time.Time can be a date-time, or with format=date or format=time a date or a time of day. An option
// of an enum can have a label: enum=radio=By radio|phone=By phone. Every other item of the form tag is a
// keyword of JSON Schema with its value. A number keeps the bounds of its Go type, so that what the form
// accepts can be decoded: an int8 takes no 300.
// settings is the text of a form file without its schema: labels, rules and
// policies beyond the tags. Its mistakes are told by line and column, those of
// the tags by the struct's field.
func FromStruct[T any](settings string) (*Source, error) {
	t := reflect.TypeFor[T]()
	if t.Kind() != reflect.Struct {
		return nil, fmt.Errorf("a form needs a struct, not %s", t)
	}
	return fromType(t, settings)
}

func fromType(t reflect.Type, settings string) (*Source, error) {
	b := structReader{private: map[string]bool{}, settings: map[string]*document.Node{}}
	schema := b.object(t, "")
	if len(b.problems) > 0 {
		return nil, errors.Join(b.problems...)
	}
	schema.Set("$schema", document.NewText(draft))
	name := t.Name() + ".form.yaml"
	root, err := document.Read(name, []byte(settings))
	if err != nil {
		return nil, err
	}
	if n := root.Get("schema"); n != nil {
		report := document.NewReport(name)
		report.Wrong(n, "a schema", "none: the struct is the schema")
		return nil, report.Err()
	}
	if root.Kind == document.Map {
		root.Set("schema", schema)
	}
	return readRoot(name, root, func(asked string) ([]byte, error) {
		return nil, &fs.PathError{Op: "open", Path: asked, Err: fs.ErrNotExist}
	}, &b)
}

type structReader struct {
	private  map[string]bool
	settings map[string]*document.Node // of the tags that a form file has in its section fields, by path
	member   string                    // that is read now, as Go names it
	problems []error
}

func (b *structReader) wrong(problem string) {
	b.problems = append(b.problems, &form.Error{Path: b.member, Problem: problem})
}

// object is the schema of a struct. Its properties stand in the struct's order.
func (b *structReader) object(t reflect.Type, prefix string) *document.Node {
	properties, required := document.NewMap(), document.NewList()
	for _, m := range members.Of(t) {
		b.member = cmp.Or(t.Name(), "struct") + "." + m.Field.Name
		property, must := b.property(m.Field, join(strings.TrimSuffix(prefix, "/"), m.Name))
		properties.Set(m.Name, property)
		if must {
			required.Items = append(required.Items, document.NewText(m.Name))
		}
	}
	schema := ofType("object").Set("properties", properties)
	if len(required.Items) > 0 {
		schema.Set("required", required)
	}
	return schema
}

// property is the schema of one member, and whether it is required.
func (b *structReader) property(field reflect.StructField, path string) (*document.Node, bool) {
	t := field.Type
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	named := b.member
	schema := b.schemaOf(t, path)
	b.member = named
	for _, tag := range [...][2]string{{"label", "title"}, {"help", "description"}} {
		if text := field.Tag.Get(tag[0]); text != "" {
			schema.Set(tag[1], document.NewText(text))
		}
	}
	if unit := field.Tag.Get("unit"); unit != "" {
		b.set(path, "unit", document.NewText(unit))
	}
	if samples := field.Tag.Get("samples"); samples != "" {
		list := document.NewList()
		for sample := range strings.SplitSeq(samples, "|") {
			list.Items = append(list.Items, document.NewText(sample))
		}
		b.set(path, "samples", list)
	}
	required := false
	for item := range strings.SplitSeq(field.Tag.Get("form"), ";") {
		key, value, given := strings.Cut(strings.TrimSpace(item), "=")
		switch {
		case key == "":
		case key == "required":
			required = true
		case key == "private":
			b.private[path] = true
		case key == "ticked":
			schema.Set("const", document.NewScalar("true"))
		case !given:
			b.wrong("tag " + key + ": found no value; right would be required, ticked, private or keyword=value")
		case key == "enum":
			setEnum(schema, t, value)
		case !slices.Contains(tagKeywords, key):
			b.wrong("tag " + key + "=" + value + ": found no such keyword; right would be required, ticked, private, enum, " + strings.Join(tagKeywords, ", "))
		case t.Kind() == reflect.Slice && schema.Get("items") != nil && !slices.Contains(listKeywords, key):
			schema.Get("items").Set(key, document.NewScalar(value))
			withinType(schema.Get("items"), t.Elem())
		default:
			schema.Set(key, document.NewScalar(value))
		}
	}
	withinType(schema, t)
	return schema, required
}

// set keeps what a tag says of a field beyond its schema.
func (b *structReader) set(path, key string, value *document.Node) {
	if b.settings[path] == nil {
		b.settings[path] = document.NewMap()
	}
	b.settings[path].Set(key, value)
}

// tagKeywords are the keywords of JSON Schema that a form tag may have.
var tagKeywords = []string{
	"type", "format", "minLength", "maxLength", "pattern", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf",
	"const", "minItems", "maxItems", "uniqueItems",
}

// listKeywords are those that say something of a list. Of a slice all others are for its items.
var listKeywords = []string{"minItems", "maxItems", "uniqueItems"}

// withinType keeps the bounds of a number within those of its Go type, so that what the form accepts
// can be decoded.
func withinType(schema *document.Node, t reflect.Type) {
	low, high := boundsOf(t)
	if low == "" || decode.ReadsItself(t) {
		return
	}
	for _, bound := range []struct {
		keyword, limit string
		tighter        int
	}{{"minimum", low, 1}, {"maximum", high, -1}} {
		given := schema.Get(bound.keyword)
		if given == nil {
			schema.Set(bound.keyword, document.NewScalar(bound.limit))
			continue
		}
		is, known := form.NumberFromText(given.Text)
		limit, _ := form.NumberFromText(bound.limit)
		if order, _ := is.Compare(limit); known && order*bound.tighter < 0 {
			schema.Set(bound.keyword, document.NewScalar(bound.limit))
		}
	}
}

// boundsOf are the least and the greatest number of a Go type that a form can have, whose numbers have
// 18 digits.
func boundsOf(t reflect.Type) (low, high string) {
	const most = 999_999_999_999_999_999
	switch t.Kind() {
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		high := int64(1)<<(t.Bits()-1) - 1
		return strconv.FormatInt(max(-high-1, -most), 10), strconv.FormatInt(min(high, most), 10)
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return "0", strconv.FormatUint(min(uint64(1)<<t.Bits()-1, most), 10)
	case reflect.Float32:
		return "-3.4e38", "3.4e38"
	case reflect.Float64:
		return "-1.7e308", "1.7e308"
	}
	return "", ""
}

// setEnum lists the options of a choice, or of each item of several.
func setEnum(schema *document.Node, t reflect.Type, value string) {
	options, keyword := document.NewList(), "enum"
	if strings.Contains(value, "=") {
		keyword = "oneOf"
	}
	for option := range strings.SplitSeq(value, "|") {
		option, label, _ := strings.Cut(option, "=")
		node := document.NewScalar(option)
		if t.Kind() == reflect.String || t.Kind() == reflect.Slice {
			node = document.NewText(option)
		}
		if keyword == "oneOf" {
			node = document.NewMap().Set("const", node).Set("title", document.NewText(cmp.Or(label, option)))
		}
		options.Items = append(options.Items, node)
	}
	if t.Kind() == reflect.Slice {
		schema.Set("items", document.NewMap().Set(keyword, options)).Set("uniqueItems", document.NewScalar("true"))
		return
	}
	schema.Set(keyword, options)
}

// ofType is the schema that names a type of JSON.
func ofType(name string) *document.Node {
	return document.NewMap().Set("type", document.NewText(name))
}

// schemaOf is the schema of a member's type.
func (b *structReader) schemaOf(t reflect.Type, path string) *document.Node {
	switch {
	case t == reflect.TypeFor[json.Number]():
		return ofType("number")
	case decode.ReadsItself(t):
		return ofType("string")
	}
	switch t.Kind() {
	case reflect.String:
		return ofType("string")
	case reflect.Bool:
		return ofType("boolean")
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64, reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return ofType("integer")
	case reflect.Float32, reflect.Float64:
		return ofType("number")
	case reflect.Struct:
		if t == reflect.TypeFor[time.Time]() {
			return ofType("string").Set("format", document.NewText("date-time"))
		}
		return b.object(t, path)
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Struct && t.Elem() != reflect.TypeFor[time.Time]() && !decode.ReadsItself(t.Elem()) {
			return ofType("array").Set("items", b.object(t.Elem(), path+"/*"))
		}
		if item := t.Elem(); item.Kind() != reflect.Slice && item.Kind() != reflect.Uint8 { // the bytes of a []byte are no list
			if item.Kind() == reflect.Pointer {
				item = item.Elem()
			}
			items := b.schemaOf(item, path+"/*")
			withinType(items, item)
			return ofType("array").Set("items", items)
		}
	}
	b.wrong("a " + t.String() + " cannot be a field; right would be a text, number, bool, time.Time, struct, a slice of these, or a type with UnmarshalText")
	return document.NewMap()
}
