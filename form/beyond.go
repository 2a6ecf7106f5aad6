package form

import (
	"maps"
	"slices"
	"strings"

	"leanwicket.dev/internal/jsontext"
)

// What a saved record has beyond the form's fields is one answer of kind [KindBeyond] for the form, and one for each
// row. Its value is the JSON text of an object, and empty where there is nothing. Nobody sees or edits it: it goes back
// as it came, so that what replaces a record does not take away what the form does not know.

// beyondPath is the path of such an answer, and the last token of one in rows. No declared path has it.
const beyondPath = "*"

// addBeyond adds the fields of kind KindBeyond behind the declared ones. A merge patch leaves alone what it does not
// mention, so that only the rows need one there, which a patch has as a whole.
func (f *Form) addBeyond() {
	if !f.Submit.Undeclared {
		return
	}
	for k, field := range f.Declared() {
		if field.Kind == KindRows && !f.HeadsList(k) {
			f.Fields = append(f.Fields, Field{Path: field.Path + "/*/" + beyondPath, Kind: KindBeyond})
		}
	}
	if f.Submit.Method == "PUT" {
		f.Fields = append(f.Fields, Field{Path: beyondPath, Kind: KindBeyond})
	}
}

// Covered reports whether a trace has tokens in the place of the field's values.
func (field *Field) Covered() bool { return field.Private || field.Kind == KindBeyond }

// WithoutBeyond is a list of answers without those of kind [KindBeyond].
func (f *Form) WithoutBeyond(answers []Answer) []Answer {
	return slices.DeleteFunc(slices.Clone(answers), func(a Answer) bool { return f.Fields[a.Field].Kind == KindBeyond })
}

// Declared lists the fields that are declared. Those behind them are of kind [KindBeyond].
func (f *Form) Declared() []Field { return f.Fields[:f.declaredCount] }

// BeyondOf is the field of a group's rows for what they have beyond the declared ones, where there is one.
func (f *Form) BeyondOf(group FieldID) (id FieldID, has bool) {
	fields := f.RowFields(group)
	if len(fields) == 0 || f.Fields[fields[len(fields)-1]].Kind != KindBeyond {
		return 0, false
	}
	return fields[len(fields)-1], true
}

// AppendBeyond appends what a record has beyond the fields: an answer for the form, and one for each row, of the fields
// of kind [KindBeyond].
func (f *Form) AppendBeyond(to []Answer, record map[string]any) []Answer {
	for id := f.declaredCount; id < len(f.Fields); id++ {
		group := f.group[id]
		if group < 0 {
			to = append(to, Answer{Place: Place{FieldID(id), -1}, Value: BeyondValue(f.beyond(&f.tree, record))})
			continue
		}
		rows, _ := f.member(record, f.Fields[group].Path).([]any)
		of := f.nodeAt(f.Fields[group].Path)
		for row, item := range rows {
			object, _ := item.(map[string]any)
			to = append(to, Answer{Place: Place{FieldID(id), int32(row)}, Value: BeyondValue(f.beyond(of, object))})
		}
	}
	return to
}

// BeyondSize is how long the answers of kind [KindBeyond] are together, in bytes.
func (f *Form) BeyondSize(answers []Answer) (size int) {
	for _, a := range answers {
		if f.Fields[a.Field].Kind == KindBeyond {
			size += len(a.Value.Text)
		}
	}
	return size
}

// BeyondValue is the value of an answer of kind [KindBeyond] with some members.
func BeyondValue(members map[string]any) Value {
	if len(members) == 0 {
		return Value{}
	}
	return Text(string(appendJSON(nil, members)))
}

// member follows a path into a record.
func (f *Form) member(record map[string]any, path string) any {
	var v any = record
	for token := range strings.SplitSeq(path, "/") {
		object, _ := v.(map[string]any)
		v = object[UnescapeToken(token)]
	}
	return v
}

// beyond are the members of an object that no field below a node stands for. What stands where an object or rows are
// declared, and is none, is among them.
func (f *Form) beyond(n *node, object map[string]any) map[string]any {
	members := map[string]any{}
	for name, v := range object {
		k := slices.IndexFunc(n.children, func(c node) bool { return c.name == name })
		switch {
		case k < 0:
			members[name] = v
		case v == nil:
		case n.children[k].field < 0:
			if below, is := v.(map[string]any); !is {
				members[name] = v
			} else if more := f.beyond(&n.children[k], below); len(more) > 0 {
				members[name] = more
			}
		case f.Fields[n.children[k].field].Kind == KindRows:
			if list, is := v.([]any); !is || f.IsList(n.children[k].field) && !Plain(list) {
				members[name] = v
			}
		}
	}
	return members
}

// Plain reports whether the items of a list are no lists or objects themselves.
func Plain(list []any) bool {
	return !slices.ContainsFunc(list, func(item any) bool {
		switch item.(type) {
		case []any, map[string]any:
			return true
		default:
			return false
		}
	})
}

// beyondOf reads the members of an answer of kind KindBeyond.
func beyondOf(v Value) map[string]any {
	read, _ := jsontext.Read(v.Text)
	members, _ := read.(map[string]any)
	return members
}

// WithMembers is an answer of kind [KindBeyond] with the members of another one over its own.
func WithMembers(v, newer Value) Value {
	if newer.Absent() {
		return v
	}
	if v.Kind != ValueText || newer.Kind != ValueText {
		return newer
	}
	members := beyondOf(v)
	maps.Copy(members, beyondOf(newer))
	return BeyondValue(members)
}

// appendJSON writes a value that was read from JSON. Numbers stand as they were written, and members in the order of
// their names.
func appendJSON(to []byte, v any) []byte {
	switch v := v.(type) {
	case map[string]any:
		to = append(to, '{')
		for k, name := range jsontext.Names(v) {
			if k > 0 {
				to = append(to, ',')
			}
			to = appendJSON(append(AppendJSONString(to, name), ':'), v[name])
		}
		return append(to, '}')
	case []any:
		to = append(to, '[')
		for k := range v {
			if k > 0 {
				to = append(to, ',')
			}
			to = appendJSON(to, v[k])
		}
		return append(to, ']')
	case string:
		return AppendJSONString(to, v)
	case bool:
		if v {
			return append(to, "true"...)
		}
		return append(to, "false"...)
	case interface{ String() string }: // a number as it was written
		return append(to, v.String()...)
	case nil:
		return append(to, "null"...)
	default:
		return appendOther(to, v)
	}
}
