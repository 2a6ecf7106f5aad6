package declare_test

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
)

// Schemas as other programs write them are forms, or errors that name the place and the way. UPDATE=1 writes schemas.txt, which says
// what each is.
func TestSchemasOfOtherPrograms(t *testing.T) {
	files, err := filepath.Glob("testdata/schemas/*.json")
	require.NoError(t, err)
	require.GreaterOrEqual(t, len(files), 12)
	told := regexp.MustCompile(`^[\w-]+\.json:\d+:\d+: found .+; right would be .+`)
	var text strings.Builder
	for _, file := range files {
		schema, err := os.ReadFile(file)
		require.NoError(t, err)
		dir, name := t.TempDir(), filepath.Base(file)
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), schema, 0o600))
		require.NoError(t, os.WriteFile(filepath.Join(dir, "it.form.yaml"), []byte("form: it\nschema: "+name+"\nsubmit: {url: /it, method: PUT}\nprefill: {url: /it}\n"), 0o600))
		fmt.Fprintf(&text, "%s\n", name)
		source, err := declare.Open(filepath.Join(dir, "it.form.yaml"))
		var problems form.Problems
		if errors.As(err, &problems) {
			for line := range strings.Lines(strings.ReplaceAll(err.Error()+"\n", dir+string(filepath.Separator), "")) {
				require.Regexp(t, told, line)
				fmt.Fprint(&text, "  ", line)
			}
			continue
		}
		require.NoError(t, err)
		for _, f := range source.Form.Declared() {
			fmt.Fprintf(&text, "  %s: %s", f.Path, f.Kind)
			for _, c := range f.Constraints {
				fmt.Fprintf(&text, ", %s", c.Op)
			}
			if slices.Contains(source.Form.Nulls, f.Path) {
				fmt.Fprint(&text, ", or null")
			}
			fmt.Fprintln(&text)
		}
		for _, path := range source.Form.Nulls {
			if _, isField := source.Form.FieldAt(path); !isField {
				fmt.Fprintf(&text, "  %s: an object, or null\n", path)
			}
		}
		for _, b := range source.Beyond {
			fmt.Fprintf(&text, "  %s: no field, %s\n", b.Path, b.Why)
		}
	}
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile("testdata/schemas.txt", []byte(text.String()), 0o600))
	}
	want, err := os.ReadFile("testdata/schemas.txt")
	require.NoError(t, err)
	require.Equal(t, string(want), text.String())
}
