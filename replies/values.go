package replies

import (
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// Load reads the reply to a load: its values and version, or why it failed. What came over a
// network has to be a whole object with status 200 that has a field of the form, or is empty.
func Load(form *form.Form, r Response) (values []form.Answer, version, why string) {
	body, isObject := r.Body.(map[string]any)
	switch {
	case r.Broken:
		return nil, "", "the connection broke"
	case r.Status < 200 || r.Status > 299 || r.came != nil && r.Status != 200:
		return nil, "", "status " + strconv.Itoa(r.Status)
	case r.came != nil && r.kind != lifecycle.ReplyAccepted:
		return nil, "", "no whole record"
	case !isObject:
		return nil, "", "the body is no JSON object"
	}
	values = Values(form, body)
	if r.came != nil && len(form.WithoutBeyond(values)) == 0 && len(body) > 0 {
		return nil, "", "the body has no field of the form"
	}
	if r.came != nil && form.BeyondSize(values) > maxBeyond {
		return nil, "", "the record has more than 1 MB that the form does not know"
	}
	return values, r.header("ETag"), ""
}

// maxBeyond bounds what a session carries of a record beyond the form, in bytes.
const maxBeyond = 1 << 20

// Values reads the answers that a body mentions, in the form's order. What a
// field cannot hold stands as a ValueUnparsed; null is absent. Members that the
// form does not have are left out, or are answers of the kind KindBeyond.
func Values(f *form.Form, body any) []form.Answer {
	root, ok := body.(map[string]any)
	if !ok {
		return nil
	}
	var answers []form.Answer
	for id := range f.Declared() {
		field := &f.Fields[id]
		if _, inRows := f.Group(form.FieldID(id)); inRows {
			continue
		}
		place := form.Place{Field: form.FieldID(id), Row: -1}
		v, mentioned := find(root, field.Path)
		if !mentioned {
			continue
		}
		if field.Kind == form.KindRows {
			answers = append(answers, rows(f, place.Field, v)...)
			continue
		}
		value, _ := field.ValueOf(v)
		answers = append(answers, form.Answer{Place: place, Value: value})
	}
	return f.AppendBeyond(answers, root)
}

// maxRows bounds what a body can make the form hold.
const maxRows = 10_000

func rows(f *form.Form, group form.FieldID, v any) []form.Answer {
	list, _ := v.([]any)
	if len(list) > maxRows {
		list = list[:maxRows]
	}
	if f.IsList(group) {
		return items(f, group, list)
	}
	answers := []form.Answer{{
		Place: form.Place{Field: group, Row: -1}, Value: form.Number(int64(len(list)), 0),
	}}
	head := f.Fields[group].Path + "/*/"
	for row, item := range list {
		object, _ := item.(map[string]any)
		for _, id := range f.Members(group) {
			if v, mentioned := find(object, f.Fields[id].Path[len(head):]); mentioned {
				value, _ := f.Fields[id].ValueOf(v)
				answers = append(answers, form.Answer{Place: form.Place{Field: id, Row: int32(row)}, Value: value})
			}
		}
	}
	return answers
}

// items reads a list of plain values. What is blank is no item, and a list with something else is none.
func items(f *form.Form, group form.FieldID, list []any) []form.Answer {
	answers := []form.Answer{{Place: form.Place{Field: group, Row: -1}}}
	item := f.Members(group)[0]
	if !form.Plain(list) {
		list = nil
	}
	for _, v := range list {
		if value, _ := f.Fields[item].ValueOf(v); !f.IsBlank(item, value) {
			answers = append(answers, form.Answer{Place: form.Place{Field: item, Row: int32(len(answers) - 1)}, Value: value})
		}
	}
	answers[0].Value = form.Number(int64(len(answers)-1), 0)
	return answers
}

// Unfit lists the places of a record where it has something else than the object or the rows that the form declares
// there. A form shows nothing of that.
func Unfit(f *form.Form, body any) (paths []string) {
	root, _ := body.(map[string]any)
	for id := range f.Declared() {
		if _, inRows := f.Group(form.FieldID(id)); inRows {
			continue
		}
		path := f.Fields[id].Path
		v, at := unfit(root, path)
		list, is := v.([]any)
		if f.Fields[id].Kind == form.KindRows && v != nil && !is {
			at = path
		}
		for row, item := range list {
			if f.Fields[id].Kind != form.KindRows {
				break
			}
			below := path + "/" + strconv.Itoa(row)
			if f.IsList(form.FieldID(id)) {
				if !form.Plain([]any{item}) {
					paths = append(paths, below)
				}
				continue
			}
			object, is := item.(map[string]any)
			if !is && item != nil {
				paths = append(paths, below)
			}
			for _, member := range f.Members(form.FieldID(id)) {
				if _, end := unfit(object, f.Fields[member].Path[len(path+"/*/"):]); end != "" && !slices.Contains(paths, below+"/"+end) {
					paths = append(paths, below+"/"+end)
				}
			}
		}
		if at != "" && !slices.Contains(paths, at) {
			paths = append(paths, at)
		}
	}
	return paths
}

// unfit follows a path into an object. Where something on the way is no object it returns how far it came.
func unfit(object map[string]any, path string) (v any, end string) {
	for at := 0; ; {
		name, _, deeper := strings.Cut(path[at:], "/")
		v = object[form.UnescapeToken(name)]
		if !deeper || v == nil {
			return v, ""
		}
		var is bool
		if object, is = v.(map[string]any); !is {
			return nil, path[:at+len(name)]
		}
		at += len(name) + 1
	}
}

// find follows a path into an object. Below a member that is null everything is
// mentioned, as null.
func find(object map[string]any, path string) (any, bool) {
	for {
		name, rest, deeper := strings.Cut(path, "/")
		v, ok := object[form.UnescapeToken(name)]
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
