package decode

import (
	"encoding/json"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
)

// Record is a Go value as the saved record of a form: what encoding/json makes of it, with dates and times
// of day in the place of moments, and numbers and boxes in that of the strings in which a tag has put
// them.
func Record(f *form.Form, from any) (record map[string]any, err error) {
	text, err := json.Marshal(from)
	if err != nil {
		return nil, err
	}
	if err := JSON(text, &record); err != nil {
		return nil, err
	}
	for k := range f.Declared() {
		if field := &f.Fields[k]; field.Kind != form.KindRows {
			rewrite(record, field.Path, func(text string) any { return asField(field.Kind, text) })
		}
	}
	return record, nil
}

// rewrite gives the texts at a declared path another value. A * in it stands for each row.
func rewrite(v any, path string, to func(text string) any) {
	token, rest, deeper := strings.Cut(path, "/")
	switch v := v.(type) {
	case []any:
		for k, row := range v {
			if text, is := row.(string); is && !deeper { // an item of a list
				v[k] = to(text)
			} else {
				rewrite(row, rest, to)
			}
		}
	case map[string]any:
		name := form.UnescapeToken(token)
		if text, is := v[name].(string); is && !deeper {
			v[name] = to(text)
		} else if deeper {
			rewrite(v[name], rest, to)
		}
	}
}

// asField is a text as a field of the kind holds it in a record.
func asField(kind form.FieldKind, text string) any {
	at, err := time.Parse(time.RFC3339Nano, text)
	isMoment := err == nil
	switch kind {
	case form.KindDate:
		if isMoment {
			return at.Format(time.DateOnly)
		}
	case form.KindTime:
		if isMoment {
			return at.Format("15:04:05.999999Z07:00")
		}
	case form.KindNumber, form.KindInteger:
		if json.Valid([]byte(text)) {
			return json.Number(text)
		}
	case form.KindBoolean:
		if is, err := strconv.ParseBool(text); err == nil {
			return is
		}
	}
	return text
}
