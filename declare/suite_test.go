package declare_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// suiteFolder finds the public JSON Schema test suite, draft 2020-12, in the
// module that ships it; the tools module names its version.
func suiteFolder(t *testing.T) string {
	list := exec.Command("go", "mod", "download", "-json", "github.com/google/jsonschema-go")
	list.Dir = filepath.Join("..", "tools")
	output, err := list.Output()
	var module struct{ Dir string }
	if err != nil || json.Unmarshal(output, &module) != nil {
		t.Skipf("the JSON Schema test suite cannot be fetched: %v", err)
	}
	return filepath.Join(module.Dir, "jsonschema", "testdata", "draft2020-12")
}

// honoured are the suite's files about keywords that a form honours, with the
// type that a schema without one is given: a field has exactly one.
var honoured = map[string]string{
	"minLength": "string", "maxLength": "string", "pattern": "string",
	"minimum": "number", "maximum": "number", "exclusiveMinimum": "number", "exclusiveMaximum": "number", "multipleOf": "number",
	"enum": "", "const": "", "type": "", "oneOf": "", "required": "object", "properties": "object", "dependentRequired": "object",
	"if-then-else": "object", "allOf": "", "ref": "", "items": "array", "minItems": "array", "maxItems": "array", "uniqueItems": "array",
	"anchor": "",
}

type suiteCase struct {
	Description string
	Schema      json.RawMessage
	Tests       []struct {
		Description string
		Data        json.RawMessage
		Valid       bool
	}
}

func TestPublicSuite(t *testing.T) {
	folder := suiteFolder(t)
	passed, skipped := 0, map[string][]string{}
	for name, kind := range honoured {
		text, err := os.ReadFile(filepath.Join(folder, name+".json"))
		require.NoError(t, err)
		var cases []suiteCase
		require.NoError(t, json.Unmarshal(text, &cases))
		for _, c := range cases {
			form, asField, reason := suiteForm(c.Schema, kind)
			for _, test := range c.Tests {
				title := name + ": " + c.Description + ": " + test.Description
				why := reason
				if why == "" {
					why = unlike(test.Data, form, asField)
				}
				if why != "" {
					skipped[why] = append(skipped[why], title)
					continue
				}
				passed++
				require.Equal(t, test.Valid, verdict(t, form, asField, test.Data), "%s\n%s\n%s", title, c.Schema, test.Data)
			}
		}
	}
	total := 0
	for reason, titles := range skipped {
		slices.Sort(titles)
		total += len(titles)
		t.Logf("skipped %d: %s\n\t%s", len(titles), reason, strings.Join(titles, "\n\t"))
	}
	t.Logf("%d cases agree, %d skipped", passed, total)
	require.Greater(t, passed, 140)
}

// suiteForm makes a form of a case's schema: an object is the form itself, all
// else its one field, v.
func suiteForm(schema json.RawMessage, kind string) (form *form.Form, asField bool, skip string) {
	var object map[string]any
	if json.Unmarshal(schema, &object) != nil {
		return nil, false, "a schema that is true or false"
	}
	if object["type"] == nil && kind != "" {
		object["type"] = kind
	}
	if object["type"] == nil && (object["properties"] != nil || object["if"] != nil) {
		object["type"] = "object"
	}
	asField = object["type"] != "object"
	if kind == "array" && object["items"] == nil {
		object["items"] = map[string]any{"enum": []any{1, 2, 3, 4, 5}}
		object["uniqueItems"] = true
	}
	root := any(object)
	if asField {
		root = map[string]any{"type": "object", "properties": map[string]any{"v": object}}
		if defs := object["$defs"]; defs != nil {
			return nil, true, "references to the root of a schema that is no object"
		}
	}
	text, err := json.Marshal(root)
	if err != nil {
		return nil, asField, err.Error()
	}
	source, err := declare.OpenFunc("s.form.yaml", func(name string) ([]byte, error) {
		if name == "s.form.yaml" {
			return []byte("form: s\nschema: s.schema.json\n"), nil
		}
		if strings.HasSuffix(name, "s.schema.json") {
			return text, nil
		}
		return nil, fs.ErrNotExist
	})
	if err != nil {
		first, _, _ := strings.Cut(err.Error(), "\n")
		_, reason, _ := strings.Cut(first, "found ")
		reason, _, _ = strings.Cut(reason, "; right")
		return nil, asField, "refused when it is read: " + reason
	}
	return source.Form, asField, ""
}

// unlike says why a datum cannot be held against a form: what a form takes for
// absent, and what is no answer of its one field.
func unlike(data json.RawMessage, f *form.Form, asField bool) string {
	v := decode(data)
	if holdsAbsent(v) {
		return "data with an empty text, false, null, an empty list or object: absent in a form"
	}
	if !asField {
		object, ok := v.(map[string]any)
		if !ok {
			return "data that is no object, for a form"
		}
		for name := range object {
			if _, known := f.Lookup(form.EscapeToken(name)); !known && !isObject(object[name]) {
				return "members that the form does not have: it never sends them"
			}
		}
		return ""
	}
	value, ok := f.Fields[0].ValueOf(v)
	if !ok && f.Fields[0].Kind != form.KindRows {
		return "data of another type than the field's (" + f.Fields[0].Kind.String() + "): such an answer is badInput"
	}
	if list, isList := v.([]any); isList && f.Fields[0].Kind == form.KindChoices {
		for _, item := range list {
			if !slices.ContainsFunc(f.Fields[0].Options, func(o form.Option) bool { return o.Value.String() == fmt.Sprint(item) }) {
				return "items that are none of the options 1 to 5, which several choices need"
			}
		}
	}
	if value.Kind == form.ValueChoices && value.Count() != len(v.([]any)) {
		return "the same choice twice"
	}
	return ""
}

func isObject(v any) bool { _, ok := v.(map[string]any); return ok }

func holdsAbsent(v any) bool {
	switch v := v.(type) {
	case nil:
		return true
	case string:
		return v == ""
	case bool:
		return !v
	case []any:
		return len(v) == 0 || slices.ContainsFunc(v, holdsAbsent)
	case map[string]any:
		for _, member := range v {
			if holdsAbsent(member) {
				return true
			}
		}
	}
	return false
}

func decode(data json.RawMessage) (v any) {
	decoder := json.NewDecoder(bytes.NewReader(data))
	decoder.UseNumber()
	if err := decoder.Decode(&v); err != nil {
		panic(err)
	}
	return v
}

// verdict loads a datum and asks whether the form finds anything wrong.
func verdict(t *testing.T, declared *form.Form, asField bool, data json.RawMessage) bool {
	body := decode(data)
	if asField {
		body = map[string]any{"v": body}
	}
	d := declared.Declaration
	d.Prefill = form.PrefillPolicy{URL: "/x", Timeout: 1}
	declared, err := form.New(d)
	require.NoError(t, err)
	s, _ := lifecycle.Open(declared, lifecycle.Seed{})
	_, err = s.Apply(lifecycle.Loaded(1, replies.Values(declared, body), ""))
	require.NoError(t, err)
	for f := range s.Fields() {
		if len(f.Issues()) > 0 {
			return false
		}
	}
	return true
}
