package scenario

import (
	"bytes"
	"io/fs"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/santhosh-tekuri/jsonschema/v6"
	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/harbour"
	"leanwicket.dev/internal/document"
)

func shipped(t *testing.T, text []byte) *jsonschema.Schema {
	t.Helper()
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	require.NoError(t, err)
	c := jsonschema.NewCompiler()
	require.NoError(t, c.AddResource("shipped.json", doc))
	schema, err := c.Compile("shipped.json")
	require.NoError(t, err)
	return schema
}

// changes makes copies of a document, each with one change that a hand could
// make: a key misspelt, a value of another kind, a member left out.
func changes(text string) []string {
	var list []string
	lines := strings.Split(text, "\n")
	replace := func(k int, line string) {
		changed := append([]string(nil), lines...)
		changed[k] = line
		list = append(list, strings.Join(changed, "\n"))
	}
	for k, line := range lines {
		if key, rest, ok := strings.Cut(line, ":"); ok && strings.TrimSpace(key) != "" {
			replace(k, key+"x:"+rest)
			replace(k, key+": [7]")
			replace(k, key+": {z: 7}")
			replace(k, key+": -3")
			replace(k, key+": true")
			replace(k, key+": soon")
		}
		replace(k, "")
		for _, swap := range [][2]string{
			{"at:", "att:"},
			{"status: 2", "status: 9"},
			{"after: ", "after: -"},
			{"expect: {", "expect: {pending: 1, "},
			{"submit: true", "submit: [1]"},
			{"edit: {", "edit: {}, edits: {"},
			{"never: true", "never: maybe"},
			{"ms", "msec"},
			{"reset: true", "reset: false"},
			{", shown: {}", ", shown: []"},
		} {
			if strings.Contains(line, swap[0]) {
				replace(k, strings.Replace(line, swap[0], swap[1], 1))
			}
		}
	}
	return list
}

// TestSchemasAgreeWithTheReaders: what the shipped schema refuses the reader
// refuses. The other way round only where the mistake is one of form: a schema
// does not know the paths of a form.
func TestSchemasAgreeWithTheReaders(t *testing.T) {
	forms, scenarios := shipped(t, declare.FileSchema), shipped(t, FileSchema)
	reader := NewReader(harbour.Files())
	refused, agreed := 0, 0
	compare := func(name, text string, schema *jsonschema.Schema, read func(string) error) {
		root, err := document.Read(name, []byte(text))
		if err != nil {
			require.Error(t, read(text), text)
			return
		}
		bySchema := schema.Validate(root.Any())
		byReader := read(text)
		if bySchema != nil {
			refused++
			require.Error(t, byReader, "only the schema refuses this: %v\n%s", bySchema, text)
		}
		if byReader != nil && !ofMeaning(byReader) {
			require.Error(t, bySchema, "only the reader refuses this: %v\n%s", byReader, text)
		}
		agreed++
	}
	for _, name := range harbour.Names() {
		data, err := fs.ReadFile(harbour.Files(), name)
		require.NoError(t, err)
		with := func(text string) fs.FS {
			files := fstest.MapFS{name: {Data: []byte(text)}}
			for _, other := range harbour.Names() {
				if other != name && !strings.HasSuffix(other, ".scenario.yaml") {
					beside, _ := fs.ReadFile(harbour.Files(), other)
					files[other] = &fstest.MapFile{Data: beside}
				}
			}
			return files
		}
		for _, text := range append(changes(string(data)), string(data)) {
			switch {
			case strings.HasSuffix(name, ".form.yaml"):
				compare(name, text, forms, func(text string) error {
					_, err := declare.OpenFS(with(text), name)
					return err
				})
			case strings.HasSuffix(name, ".scenario.yaml"):
				compare(name, text, scenarios, func(text string) error {
					_, err := reader.read(name, []byte(text))
					return err
				})
			}
		}
	}
	require.Greater(t, refused, 1000)
	t.Logf("%d documents, %d refused by both", agreed, refused)
}

// ofMeaning reports whether all mistakes are about what a path, a kind or a
// time means in this form, which no schema of the file format can know.
func ofMeaning(err error) bool {
	problems, ok := err.(form.Problems)
	if !ok {
		return true
	}
	for _, p := range problems {
		known := false
		for _, sign := range []string{
			"which the schema does not have", "which the form does not have", "a file that cannot be read", "which cannot be read", "a value that",
			"a value for", "a comparison of", "a comparison that would show", "a form file", "a JSON Schema file", "does not go back", "an answer to", "answers to", "an edit of rows",
			"right would be apply", "right would be book", "right would be save", "right would be submit", "right would be crew", "a field with a check", "the row ", "a row of ", "a default of ",
			"draft 2020-12", "rows, and this form has none", "a schema without properties", "the keyword",
		} {
			known = known || strings.Contains(p.Error(), sign)
		}
		if !known {
			return false
		}
	}
	return true
}
