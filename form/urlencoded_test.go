package form_test

import (
	"net/url"
	"strconv"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// What a session sends as a form is what the standard library reads of it, whatever is typed.
func TestAForm(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte(`form: plot
lang: de
schema:
  properties:
    "a b/c": {type: string}
    depth: {type: number}
    day: {type: string, format: date}
    wet: {type: boolean}
    tools: {type: array, items: {enum: [spade, "rake & fork", "7"]}, uniqueItems: true}
    beds: {type: array, items: {properties: {of: {type: string}}}}
submit: {url: /plot, as: form}
`)}}, "f.form.yaml")
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		s, _ := lifecycle.Open(source.Form, lifecycle.Seed{})
		want := url.Values{}
		edit := func(path, raw string, sent ...string) {
			_, err := s.Apply(lifecycle.Edit(path, raw))
			require.NoError(t, err)
			for _, one := range sent {
				if one != "" {
					want.Add(path, strings.ReplaceAll(one, "\n", "\r\n"))
				}
			}
		}
		text := rapid.StringOf(rapid.RuneFrom([]rune("aé&=+% \n#;/?\"<>\\~*-._ß水"))).Draw(t, "text")
		edit("a b~1c", text, text)
		edit("depth", "1.234,5", "1234.5")
		edit("day", "2031-05-02", "2031-05-02")
		if rapid.Bool().Draw(t, "wet") {
			edit("wet", "true", "true")
		}
		if rapid.Bool().Draw(t, "tools") {
			edit("tools", "rake & fork\n7", "rake & fork", "7")
		}
		for k := range rapid.IntRange(0, 11).Draw(t, "beds") {
			_, err := s.Apply(lifecycle.AddRow("beds"))
			require.NoError(t, err)
			edit("beds/"+strconv.Itoa(k)+"/of", "leek", "leek")
			want.Set("beds", strconv.Itoa(k+1))
		}
		got, err := url.ParseQuery(string(form.AppendPair(source.Form.AppendForm(nil, s.AppendValues(nil)), "leanwicket-button", "submit")))
		require.NoError(t, err)
		want.Set("leanwicket-button", "submit")
		require.Equal(t, want, got)
	})
}
