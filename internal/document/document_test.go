package document

import (
	"testing"

	"github.com/stretchr/testify/require"
)

func TestReadTellsPlaceAndKind(t *testing.T) {
	root, err := Read("a.yaml", []byte("form: x\nat: 2031-05-02\nn: 9.40\nlist: [a, {b: true}]\nempty:\nquoted: \"9\"\n"))
	require.NoError(t, err)
	require.Equal(t, Map, root.Kind)
	require.Equal(t, "2031-05-02", root.Get("at").Text)
	require.Equal(t, String, root.Get("at").Kind)
	require.Equal(t, Number, root.Get("n").Kind)
	require.Equal(t, "9.40", root.Get("n").Text)
	require.Equal(t, 4, root.Get("list").Items[1].Get("b").Line)
	require.Equal(t, Null, root.Get("empty").Kind)
	require.True(t, root.Get("quoted").Quoted)
	require.Equal(t, String, root.Get("quoted").Kind)
}

func TestReadTellsMistakes(t *testing.T) {
	for name, c := range map[string]struct{ text, want string }{
		"twice":     {"a: 1\nb: 2\na: 3\n", "a.yaml:3:1: found"},
		"indent":    {"a: 1\n b: 2\n", "a.yaml:1:4"},
		"open":      {"a: [1, 2\nb: 3\n", "a.yaml:"},
		"alias":     {"a: &x 1\nb: *x\n", "a.yaml:1:4: found a YAML feature that JSON does not have"},
		"tag":       {"a: !!str 1\n", "a YAML feature"},
		"documents": {"a: 1\n---\nb: 2\n", "one document in a file"},
		"empty":     {"", "an empty file"},
		"tab":       {"a:\n\tb: 1\n", "a.yaml:2:"},
	} {
		_, err := Read("a.yaml", []byte(c.text))
		require.ErrorContains(t, err, c.want, name)
	}
}

func TestReadJSON(t *testing.T) {
	root, err := Read("a.json", []byte("{\n\t\"a\": [1, 2.50e3, -0, null, \"x\\u00e9\\n\"],\n\t\"b\": {\"c\": {}}\n}"))
	require.NoError(t, err)
	require.Equal(t, "xé\n", root.Get("a").Items[4].Text)
	require.Equal(t, 3, root.Get("b").Get("c").Line)
	require.Equal(t, Number, root.Get("a").Items[1].Kind)
}

func FuzzRead(f *testing.F) {
	f.Add([]byte("a: [1, {b: c}]\n"))
	f.Add([]byte("{\"a\": \"\\u0000\"}"))
	f.Add([]byte("- - - a\n"))
	f.Fuzz(func(t *testing.T, data []byte) {
		root, err := Read("f", data)
		if err == nil {
			root.Any()
		}
	})
}
