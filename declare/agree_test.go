package declare_test

import (
	"encoding/json"
	"io/fs"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

type object = map[string]any

// randomSchema draws a schema of every kind of field, with any of the keywords
// that a form honours.
func randomSchema(t *rapid.T) object {
	flip := func(name string) bool { return rapid.Bool().Draw(t, name) }
	some := func(schema object, keywords object) object {
		for _, key := range sortedKeys(keywords) {
			if rapid.IntRange(0, 2).Draw(t, key) == 0 {
				schema[key] = keywords[key]
			}
		}
		return schema
	}
	text := func() object {
		return some(object{"type": "string"}, object{"minLength": 2, "maxLength": 5, "pattern": rapid.SampledFrom([]string{"^[a-z]", "é$", "[0-9]"}).Draw(t, "pattern")})
	}
	number := func(kind string) object {
		return some(object{"type": kind}, object{
			"minimum": -1, "maximum": 24.5, "exclusiveMinimum": 0, "exclusiveMaximum": 12,
			"multipleOf": json.Number(rapid.SampledFrom([]string{"0.1", "0.25", "3", "1e-2"}).Draw(t, "step")),
		})
	}
	choice := object{"enum": []any{"fuel", "water"}}
	if flip("labels") {
		choice = object{"oneOf": []any{object{"const": 6, "title": "six"}, object{"const": 16}}}
	}
	box := object{"type": "boolean"}
	if flip("ticked") {
		box = object{"const": true}
	}
	mail := object{"type": "string", "format": "email"}
	if flip("alternatives") {
		mail = object{"anyOf": []any{mail, object{"type": "string", "pattern": "^h"}, object{"pattern": "[0-9]$"}}}
	}
	properties := object{
		"maybe": object{"anyOf": []any{number("number"), object{"type": "null"}}}, "place": object{"type": []any{"object", "null"}, "properties": object{"x": object{"type": []any{"string", "null"}}, "y": text()}, "required": pick(t, "x", "y")},
		"list": some(object{"type": "array", "items": text()}, object{"minItems": 2, "maxItems": 2, "uniqueItems": true}), "counts": some(object{"type": "array", "items": number("integer")}, object{"maxItems": 1}),
		"text": text(), "mail": mail, "number": number("number"), "whole": number("integer"),
		"box": box, "power": object{"type": "boolean"}, "choice": choice,
		"extras": some(object{"type": "array", "uniqueItems": true, "items": object{"enum": []any{"net", "hook", "rope"}}}, object{"minItems": 2, "maxItems": 2}),
		"date":   object{"type": "string", "format": "date"},
		"inner":  object{"type": "object", "properties": object{"x": text(), "y": number("number")}, "required": pick(t, "x", "y")},
		"rows":   some(object{"type": "array", "items": object{"type": "object", "properties": object{"name": text(), "of": object{"type": "object", "properties": object{"z": text()}}, "pilot": object{"type": "boolean"}}, "required": pick(t, "name", "pilot")}}, object{"minItems": 2, "maxItems": 2}),
	}
	schema := object{"type": "object", "properties": properties, "required": pick(t, "text", "number", "whole", "power", "choice", "extras", "date", "inner", "maybe", "place", "list")}
	if box["const"] == true { // a box that must be ticked is one that must be there
		schema["required"] = append(schema["required"].([]any), "box")
	}
	if flip("dependent") {
		schema["dependentRequired"] = object{"text": []any{"date"}, "choice": []any{"text", "mail"}}
	}
	if flip("if") {
		on := rapid.SampledFrom([]object{
			{"properties": object{"power": object{"const": true}}},
			{"properties": object{"power": object{"const": false}}, "required": []any{"power"}},
			{"properties": object{"text": object{"enum": []any{"heron", "abc"}}}, "required": []any{"text"}},
			{"properties": object{"text": object{"const": "heron"}}},
			{"required": []any{"text", "number"}},
		}).Draw(t, "condition")
		schema["if"] = on
		schema["then"] = object{"required": []any{"mail"}, "properties": object{"lamp": object{"type": "string"}}}
		schema["else"] = object{"required": []any{"date"}}
	}
	return schema
}

func sortedKeys(m object) []string {
	text, _ := json.Marshal(m)
	var keys []string
	decoder := json.NewDecoder(strings.NewReader(string(text)))
	depth := 0
	for {
		token, err := decoder.Token()
		if err != nil {
			return keys
		}
		switch v := token.(type) {
		case json.Delim:
			if v == '{' || v == '[' {
				depth++
			} else {
				depth--
			}
		case string:
			if _, key := m[v]; key && depth == 1 {
				keys = append(keys, v)
			}
		}
	}
}

func pick(t *rapid.T, names ...string) []any {
	list := []any{}
	for _, name := range names {
		if rapid.Bool().Draw(t, "requires "+name) {
			list = append(list, name)
		}
	}
	return list
}

var typed = map[form.FieldKind][]string{
	form.KindText:    {"", "a", "heron", "ab", "abcdef", "né", "a1", "x@quay.example"},
	form.KindNumber:  {"", "-2", "-1", "0", "0.1", "0.30", "12", "24.5", "24.51", "3.333", "1e2"},
	form.KindInteger: {"", "-2", "0", "3", "12", "15", "30"},
	form.KindBoolean: {"", "true"},
	form.KindChoice:  {"", "fuel", "6", "16"},
	form.KindChoices: {"", "net", "net\nrope", "net\nhook\nrope"},
	form.KindDate:    {"", "2031-05-02"},
}

// controlsOf are the paths of what can be typed at in a session.
func controlsOf(s *lifecycle.Session) (paths []string) {
	for f := range s.Fields() {
		if f.Declared().Kind != form.KindRows {
			paths = append(paths, f.Path())
		}
	}
	return paths
}

// What a form finds right the schema library finds right in the body that is
// sent, and the other way round.
func TestCompiledConstraintsAgreeWithTheLibrary(t *testing.T) {
	valid := 0
	rapid.Check(t, func(t *rapid.T) {
		text, err := json.Marshal(randomSchema(t))
		require.NoError(t, err)
		source, err := declare.OpenFunc("p.form.yaml", func(name string) ([]byte, error) {
			switch {
			case name == "p.form.yaml":
				return []byte("form: p\nschema: p.schema.json"), nil
			case strings.HasSuffix(name, "p.schema.json"):
				return text, nil
			}
			return nil, fs.ErrNotExist
		})
		require.NoError(t, err, string(text))
		s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
		for range rapid.IntRange(0, 2).Draw(t, "rows") {
			_, err := s.Apply(lifecycle.AddRow("rows"))
			require.NoError(t, err)
		}
		for _, path := range controlsOf(s) {
			f, _ := s.Field(path)
			raws := typed[f.Declared().Kind]
			var good []string
			for _, raw := range raws {
				if v := source.Form.Parse(f.Place().Field, raw); source.Form.Accepts(f.Place().Field, v) {
					good = append(good, raw)
				}
			}
			if len(good) > 0 && rapid.IntRange(0, 19).Draw(t, "good") > 0 { // else hardly any body is valid
				raws = good[len(good)/3:]
			}
			_, err := s.Apply(lifecycle.Edit(path, rapid.SampledFrom(raws).Draw(t, path)))
			require.NoError(t, err)
		}
		for f := range s.Fields() {
			if f.Value().Kind == form.ValueUnparsed {
				return // a choice of the other kind: nothing is sent
			}
		}
		wrong := []lifecycle.Issue{}
		for f := range s.Fields() {
			wrong = append(wrong, f.Issues()...)
		}
		body := bodyOf(source.Form, s)
		byLibrary := source.Validate(decode(body))
		if len(wrong) == 0 {
			valid++
			require.NoError(t, byLibrary, "%s\n%s", text, body)
		} else {
			require.Error(t, byLibrary, "%v\n%s\n%s", wrong, text, body)
		}
	})
	t.Logf("%d bodies were valid", valid)
	require.Positive(t, valid)
}

// bodyOf is the body that the values as they are now would be sent as.
func bodyOf(declared *form.Form, s *lifecycle.Session) json.RawMessage {
	var answers []form.Answer
	for f := range s.Fields() {
		place := f.Place()
		switch {
		case f.Declared().Kind == form.KindRows:
			if f.Rows() > 0 {
				answers = append(answers, form.Answer{Place: place, Value: form.Number(int64(f.Rows()), 0)})
			}
		case f.Asked() && (!f.Value().Absent() || f.Declared().Required):
			answers = append(answers, form.Answer{Place: place, Value: f.Value()})
		}
	}
	return declared.AppendBody(nil, answers)
}
