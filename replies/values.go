package replies

import (
	"strings"

	"leanwicket.dev/lifecycle"
)

// Values reads the answers that a body mentions, in the form's order. What a
// field cannot hold stands as a ValueUnparsed; null is absent. Members that the
// form does not have are left out.
func Values(form *lifecycle.Form, body any) []lifecycle.Answer {
	root, ok := body.(map[string]any)
	if !ok {
		return nil
	}
	var answers []lifecycle.Answer
	for id := range form.Fields {
		field := &form.Fields[id]
		if _, inRows := form.Group(lifecycle.FieldID(id)); inRows {
			continue
		}
		place := lifecycle.Place{Field: lifecycle.FieldID(id), Row: -1}
		v, mentioned := find(root, field.Path)
		if !mentioned {
			continue
		}
		if field.Kind == lifecycle.KindRows {
			answers = append(answers, rows(form, place.Field, v)...)
			continue
		}
		value, _ := field.ValueOf(v)
		answers = append(answers, lifecycle.Answer{Place: place, Value: value})
	}
	return answers
}

// maxRows bounds what a body can make the form hold.
const maxRows = 10_000

func rows(form *lifecycle.Form, group lifecycle.FieldID, v any) []lifecycle.Answer {
	list, _ := v.([]any)
	if len(list) > maxRows {
		list = list[:maxRows]
	}
	answers := []lifecycle.Answer{{
		Place: lifecycle.Place{Field: group, Row: -1}, Value: lifecycle.Number(int64(len(list)), 0),
	}}
	head := form.Fields[group].Path + "/*/"
	for row, item := range list {
		object, _ := item.(map[string]any)
		for _, id := range form.Members(group) {
			if v, mentioned := find(object, form.Fields[id].Path[len(head):]); mentioned {
				value, _ := form.Fields[id].ValueOf(v)
				answers = append(answers, lifecycle.Answer{Place: lifecycle.Place{Field: id, Row: int32(row)}, Value: value})
			}
		}
	}
	return answers
}

// find follows a path into an object. Below a member that is null everything is
// mentioned, as null.
func find(object map[string]any, path string) (any, bool) {
	for {
		name, rest, deeper := strings.Cut(path, "/")
		v, ok := object[lifecycle.UnescapeToken(name)]
		if !ok {
			return nil, false
		}
		if !deeper || v == nil {
			return v, true
		}
		if object, ok = v.(map[string]any); !ok {
			return nil, false
		}
		path = rest
	}
}
