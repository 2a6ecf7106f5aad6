package declare

import (
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"reflect"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
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
	schema["$schema"] = draft
	text, err := json.Marshal(schema)
	if err != nil {
		return nil, err
	}
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
	node, err := document.Read(t.String(), text)
	if err != nil {
		return nil, err
	}
	if root.Kind == document.Map {
		root.Entries = append(root.Entries, document.Entry{Key: "schema", At: node, Value: node})
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
func (b *structReader) object(t reflect.Type, prefix string) orderedMap {
	properties, required := orderedMap{}, []string{}
	for _, m := range lifecycle.Members(t) {
		name := m.Name
		path := join(strings.TrimSuffix(prefix, "/"), name)
		property, must := b.property(m.Field, path)
		properties[orderKey(len(properties), name)] = property
		if must {
			required = append(required, name)
		}
	}
	schema := orderedMap{orderKey(0, "type"): "object", orderKey(1, "properties"): properties}
	if len(required) > 0 {
		schema[orderKey(2, "required")] = required
	}
	return schema
}

// orderedMap is a JSON object whose keys carry their order before a NUL.
type orderedMap map[string]any

func orderKey(k int, name string) string { return fmt.Sprintf("%06d\x00%s", k, name) }

// MarshalJSON writes the members in their order.
func (m orderedMap) MarshalJSON() ([]byte, error) {
	text := []byte{'{'}
	for key, value := range sorted(m) {
		if _, name, ordered := strings.Cut(key, "\x00"); ordered {
			key = name
		}
		name, err := json.Marshal(key)
		if err != nil {
			return nil, err
		}
		member, err := json.Marshal(value)
		if err != nil {
			return nil, err
		}
		if len(text) > 1 {
			text = append(text, ',')
		}
		text = append(append(append(text, name...), ':'), member...)
	}
	return append(text, '}'), nil
}

// property is the schema of one member, and whether it is required.
func (b *structReader) property(field reflect.StructField, path string) (orderedMap, bool) {
	t := field.Type
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	schema := b.ofType(t, path)
	for tag, keyword := range map[string]string{"label": "title", "help": "description"} {
		if text := field.Tag.Get(tag); text != "" {
			schema[keyword] = text
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
			schema["const"] = true
		case !given:
			b.wrong(path, "the form tag has "+strconv.Quote(key)+" without a value; right would be required, ticked, private or keyword=value")
		case key == "enum":
			b.enum(schema, t, value)
		default:
			schema[key] = scalar(value)
		}
	}
	return schema, required
}

func (b *structReader) enum(schema orderedMap, t reflect.Type, value string) {
	options := []any{}
	for option := range strings.SplitSeq(value, "|") {
		if t.Kind() == reflect.String || t.Kind() == reflect.Slice {
			options = append(options, option)
		} else {
			options = append(options, scalar(option))
		}
	}
	if t.Kind() == reflect.Slice {
		schema["items"], schema["uniqueItems"] = orderedMap{"enum": options}, true
		return
	}
	schema["enum"] = options
}

// scalar is a keyword's value: a number where it is one.
func scalar(text string) any {
	if json.Valid([]byte(text)) {
		return json.RawMessage(text)
	}
	return text
}

func (b *structReader) ofType(t reflect.Type, path string) orderedMap {
	switch t.Kind() {
	case reflect.String:
		return orderedMap{"type": "string"}
	case reflect.Bool:
		return orderedMap{"type": "boolean"}
	case reflect.Int, reflect.Int8, reflect.Int16, reflect.Int32, reflect.Int64:
		return orderedMap{"type": "integer"}
	case reflect.Uint, reflect.Uint8, reflect.Uint16, reflect.Uint32, reflect.Uint64:
		return orderedMap{"type": "integer", "minimum": 0}
	case reflect.Float32, reflect.Float64:
		return orderedMap{"type": "number"}
	case reflect.Struct:
		if t == reflect.TypeFor[time.Time]() {
			return orderedMap{"type": "string", "format": "date-time"}
		}
		return b.object(t, path)
	case reflect.Slice:
		if t.Elem().Kind() == reflect.Struct {
			return orderedMap{"type": "array", "items": b.object(t.Elem(), path+"/*")}
		}
		if t.Elem().Kind() == reflect.String {
			return orderedMap{"type": "array"}
		}
	}
	b.wrong(path, "a "+t.String()+" cannot be a field; right would be a text, number, bool, time.Time, struct, or a slice of structs or strings")
	return orderedMap{}
}
