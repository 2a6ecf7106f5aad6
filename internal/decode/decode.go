// Package decode reads the body of a form into a Go value.
package decode

import (
	"bytes"
	"encoding"
	"encoding/json"
	"reflect"
	"slices"
	"strings"
	"sync"
	"time"

	"leanwicket.dev/internal/members"
)

// Body reads the JSON body of a form into a Go value as encoding/json does, and beyond that what
// a form accepts and encoding/json refuses: a date, a time of day, or a date and time without offset
// into a time.Time, and a number or a box into a member whose tag says that it is a string.
func Body(body []byte, to any) error {
	t := reflect.TypeOf(to)
	if t == nil || t.Kind() != reflect.Pointer {
		return json.Unmarshal(body, to)
	}
	needs, known := fitted.Load(t)
	if !known {
		needs = needsFitting(t.Elem(), nil)
		fitted.Store(t, needs)
	}
	if !needs.(bool) {
		return json.Unmarshal(body, to)
	}
	var value any
	if err := JSON(body, &value); err != nil {
		return err
	}
	text, err := json.Marshal(fit(value, t.Elem(), false))
	if err != nil {
		return err
	}
	return json.Unmarshal(text, to)
}

// fitted holds by type what needsFitting has said of it: a server asks it for each submission.
var fitted sync.Map

// JSON reads JSON as encoding/json does, with each number as a json.Number: as it stands in the text.
func JSON(text []byte, to any) error {
	decoder := json.NewDecoder(bytes.NewReader(text))
	decoder.UseNumber()
	return decoder.Decode(to)
}

var (
	moment = reflect.TypeFor[time.Time]()
	byJSON = reflect.TypeFor[json.Unmarshaler]()
	byText = reflect.TypeFor[encoding.TextUnmarshaler]()
)

// ReadsItself reports whether a type has a method of its own that reads it from JSON or from a text.
func ReadsItself(t reflect.Type) bool {
	p := reflect.PointerTo(t)
	return t != moment && (p.Implements(byJSON) || p.Implements(byText))
}

// needsFitting reports whether a type has a time.Time or a number as a string somewhere.
func needsFitting(t reflect.Type, seen []reflect.Type) bool {
	switch t.Kind() {
	case reflect.Pointer, reflect.Slice:
		return needsFitting(t.Elem(), seen)
	case reflect.Struct:
		if t == moment || ReadsItself(t) || slices.Contains(seen, t) {
			return t == moment
		}
		for _, m := range members.Of(t) {
			if asString(m.Field) || needsFitting(m.Field.Type, append(seen, t)) {
				return true
			}
		}
	}
	return false
}

// asString reports whether a member's tag says that its number or box stands in a JSON string.
func asString(field reflect.StructField) bool {
	_, options, _ := strings.Cut(field.Tag.Get("json"), ",")
	return strings.Contains(","+options+",", ",string,")
}

// fit is a JSON value as encoding/json reads it into a type.
func fit(value any, t reflect.Type, quoted bool) any {
	if t.Kind() == reflect.Pointer {
		t = t.Elem()
	}
	switch v := value.(type) {
	case string:
		if at, is := members.Moment(v); is && t == moment {
			return at.Format(time.RFC3339Nano)
		}
	case json.Number:
		if quoted {
			return v.String()
		}
	case bool:
		if text, err := json.Marshal(v); quoted && err == nil {
			return string(text)
		}
	case []any:
		for k := range v {
			if t.Kind() == reflect.Slice {
				v[k] = fit(v[k], t.Elem(), false)
			}
		}
	case map[string]any:
		if t.Kind() != reflect.Struct || ReadsItself(t) {
			break
		}
		for _, m := range members.Of(t) {
			if member, there := v[m.Name]; there {
				v[m.Name] = fit(member, m.Field.Type, asString(m.Field))
			}
		}
	}
	return value
}
