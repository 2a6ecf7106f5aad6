package formhttp

import (
	"encoding/json"
	"reflect"
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/decode"
)

// member is a member of a JSON body that the form does not have.
type member struct {
	pointer  string // a JSON Pointer
	declared string // the same with * for the number of a row
	value    any
}

// appendBeyond adds the members of an object that the form does not have. The path of the object, and as it is
// declared, end with a slash, or are empty.
func appendBeyond(list []member, f *form.Form, object map[string]any, path, declared string) []member {
	for name, value := range object {
		at, as := path+form.EscapeToken(name), declared+form.EscapeToken(name)
		id, isField := f.FieldAt(as)
		below, isObject := value.(map[string]any)
		rows, isList := value.([]any)
		switch {
		case isField && f.Fields[id].Kind == form.KindRows && isList && !f.IsList(id):
			for k, row := range rows {
				if row, is := row.(map[string]any); is {
					list = appendBeyond(list, f, row, at+"/"+strconv.Itoa(k)+"/", as+"/*/")
				}
			}
		case isField:
		case slices.ContainsFunc(f.Fields, func(field form.Field) bool { return strings.HasPrefix(field.Path, as+"/") }):
			if isObject {
				list = appendBeyond(list, f, below, at+"/", as+"/")
			}
		default:
			list = append(list, member{"/" + at, as, value})
		}
	}
	return list
}

// refuseUnknown refuses the members of a body that the form does not have, unless they are as they are in the
// saved record: nothing that is sent vanishes.
func (h *Handler) refuseUnknown(v *visit, s *sent) {
	if h.o.UnknownMembers == IgnoreUnknown || h.form.Submit.Undeclared || len(s.beyond) == 0 {
		return
	}
	saved, _ := plainJSON(v.record) // what is no JSON was never read by a client
	for _, m := range s.beyond {
		if !slices.ContainsFunc(savedAt(saved, m.declared), func(own any) bool { return reflect.DeepEqual(own, m.value) }) {
			s.wrong = append(s.wrong, problemEntry{"#" + m.pointer, "customError", h.form.Words(form.MessageUnknownMember, "member", strings.TrimPrefix(m.pointer, "/"))})
		}
	}
}

// plainJSON is a record as a client reads it: without types of Go, and with numbers as they are written.
func plainJSON(record map[string]any) (plain map[string]any, err error) {
	text, err := json.Marshal(record)
	if err == nil {
		err = decode.JSON(text, &plain)
	}
	return plain, err
}

// savedAt lists what a record has at a declared path: of rows what each of them has.
func savedAt(v any, declared string) []any {
	name, rest, deeper := strings.Cut(declared, "/")
	var below []any
	switch v := v.(type) {
	case map[string]any:
		if own, there := v[form.UnescapeToken(name)]; there {
			below = []any{own}
		}
	case []any:
		below = v
	}
	if !deeper {
		return below
	}
	var list []any
	for _, one := range below {
		list = append(list, savedAt(one, rest)...)
	}
	return list
}
