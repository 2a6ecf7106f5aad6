package declare

import (
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/internal/members"
)

// FromStruct makes a form of a Go struct. Members are named by their json tags;
// nested structs are objects, slices of structs rows, slices of strings with an
// enum several choices, time.Time a date-time. Three tags say the rest:
//
//	label:"Vessel name"
//	help:"As in the registry"
//	form:"required; maxLength=40; pattern=^[A-Z]; format=date; enum=radio|phone; ticked; private"
//
// Every other item of the form tag is a keyword of JSON Schema with its value.
// settings is the text of a form file without its schema: labels, rules and
// policies beyond the tags. Its mistakes are told by line and column, those of
// the tags by the struct's field.
func FromStruct[T any](settings string) (*Source, error) {
	t := reflect.TypeFor[T]()
	if t.Kind() != reflect.Struct {
		return nil, fmt.Errorf("a form needs a struct, not %s", t)
	}
	b := structReader{private: map[string]bool{}}
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
	}, b.private)
}

type structReader struct {
	private  map[string]bool
	problems []error
}

func (b *structReader) wrong(path, problem string) {
	b.problems = append(b.problems, &form.Error{Path: path, Problem: problem})
}

// object is the schema of a struct. Its properties stand in the struct's order.
func (b *structReader) object(t reflect.Type, prefix string) *document.Node {
	properties, required := document.NewMap(), document.NewList()
	for _, m := range members.Of(t) {
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
	schema := b.member(t, path)
	for _, tag := range [...][2]string{{"label", "title"}, {"help", "description"}} {
		if text := field.Tag.Get(tag[0]); text != "" {
			schema.Set(tag[1], document.NewText(text))
		}
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
			b.wrong(path, "the form tag has "+strconv.Quote(key)+" without a value; right would be required, ticked, private or keyword=value")
		case key == "enum":
			setEnum(schema, t, value)
		default:
			schema.Set(key, document.NewScalar(value))
		}
	}
	return schema, required
}

// setEnum lists the options of a choice, or of each item of several.
func setEnum(schema *document.Node, t reflect.Type, value string) {
	options := document.NewList()
	for option := range strings.SplitSeq(value, "|") {
		node := document.NewScalar(option)
		if t.Kind() == reflect.String || t.Kind() == reflect.Slice {
			node = document.NewText(option)
		}
		options.Items = append(options.Items, node)
	}
	if t.Kind() == reflect.Slice {
		schema.Set("items", document.NewMap().Set("enum", options)).Set("uniqueItems", document.NewScalar("true"))
		return
	}
	schema.Set("enum", options)
}

// ofType is the schema that names a type of JSON.
func ofType(name string) *document.Node {
	return document.NewMap().Set("type", document.NewText(name))
}

// member is the schema of a member's type.
func (b *structReader) member(t reflect.Type, path string) *document.Node {
	switch t.Kind() {
	case reflect.String:
		return ofType("string")
	case reflect.Bool:
		return ofType("boolean")
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return ofType("integer")
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return ofType("integer").Set("minimum", document.NewScalar("0"))
	case reflect.Float32, reflect.Float64:
		return ofType("number")
	case reflect.Struct:
		if t == reflect.TypeFor[time.Time]() {
			return ofType("string").Set("format", document.NewText("date-time"))
		}
		return b.object(t, path)
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Struct {
			return ofType("array").Set("items", b.object(t.Elem(), path+"/*"))
		}
		if t.Elem().Kind() == reflect.String {
			return ofType("array")
		}
	}
	b.wrong(path, "a "+t.String()+" cannot be a field; right would be a text, number, bool, time.Time, struct, or a slice of structs or strings")
	return document.NewMap()
}
