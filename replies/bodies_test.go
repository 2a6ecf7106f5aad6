package replies_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// Each body of docs/replies.md lands where its table says.
func TestBodiesLandAsTheDocsSay(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "replies.md"))
	require.NoError(t, err)
	rows := regexp.MustCompile(`(?m)^\| \[([a-z-]+)\]\(\.\./replies/testdata/bodies/[a-z-]+\.json\) \| .* \| (\w+) \| (.*) \|$`).FindAllStringSubmatch(string(docs), -1)
	require.GreaterOrEqual(t, len(rows), 25)
	files, err := filepath.Glob(filepath.Join("testdata", "bodies", "*.json"))
	require.NoError(t, err)
	require.Len(t, files, len(rows), "each body is in the table")
	for _, row := range rows {
		t.Run(row[1], func(t *testing.T) {
			text, err := os.ReadFile(filepath.Join("testdata", "bodies", row[1]+".json"))
			require.NoError(t, err)
			var lands []string
			for _, p := range replies.Place(openForm(t, row[2]+".form.yaml"), replies.Response{Status: 422, Body: body(t, string(text))}) {
				where := p.Path
				if where == "" {
					where = "form"
				}
				lands = append(lands, where+": "+p.Text)
			}
			require.Equal(t, row[3], strings.Join(lands, " · "))
		})
	}
}

// A reply that is accepted by its status and refuses in its body is a refusal where the
// form says so, and settles as one.
func TestRefusedInTheBody(t *testing.T) {
	source, err := declare.OpenFS(fstest.MapFS{"f.form.yaml": {Data: []byte("form: plot\nschema: {properties: {keeper: {type: string}}}\nrefused: {inBody: /data/plot/errors}\nsubmit: {url: /plots}\n")}}, "f.form.yaml")
	require.NoError(t, err)
	compiled, err := source.Form.MarshalBinary()
	require.NoError(t, err)
	again, err := form.Read(compiled)
	require.NoError(t, err)
	require.Equal(t, []string{"/data/plot/errors"}, again.InBody)
	for text, kind := range map[string]lifecycle.ReplyKind{
		`{"data": {"plot": {"errors": [{"field": "keeper", "message": "Who?"}]}}}`: lifecycle.ReplyRefused,
		`{"data": {"plot": {"errors": {"keeper": ["Who?"]}}}}`:                     lifecycle.ReplyRefused,
		`{"data": {"plot": {"errors": []}}}`:                                       lifecycle.ReplyAccepted,
		`{"data": {"plot": {"errors": null}}}`:                                     lifecycle.ReplyAccepted,
		`{"data": {"plot": {}}}`:                                                   lifecycle.ReplyAccepted,
		`{"data": null, "errors": [{"message": "Elsewhere."}]}`:                    lifecycle.ReplyAccepted,
	} {
		reply := replies.Submit(again, replies.Response{Status: 200, Body: body(t, text)})
		require.Equal(t, kind, reply.Kind, text)
		if kind == lifecycle.ReplyRefused {
			require.Equal(t, []lifecycle.Entry{{Path: "keeper", Text: "Who?"}}, reply.Entries, text)
		}
	}
}

// What is no JSON is said where it is short, or where it has a heading.
func TestBodiesThatAreNoJSON(t *testing.T) {
	mooring := openForm(t, "mooring.form.yaml")
	untold := "The office did not accept this and gave no reason. (422)"
	for text, want := range map[string]string{
		"The quay is closed.\n":    "The quay is closed.",
		strings.Repeat("no ", 200): untold,
		"":                         untold,
		"<!doctype html><title>Oops</title><body><h1 class=\"big\">Fire &amp; flood</h1><p>x": "Fire & flood",
		"<html><title>Closed</title>":   "Closed",
		"<html><body><p>Stack trace at": untold,
		"<h1><b>Closed</b></h1>":        untold,
	} {
		placed := replies.Place(mooring, replies.Response{Status: 422, Body: text})
		require.Len(t, placed, 1)
		require.Equal(t, want, placed[0].Text, text)
	}
}

// Large and hostile bodies end soon, and something sensible is shown.
func TestHostileBodies(t *testing.T) {
	mooring := openForm(t, "mooring.form.yaml")
	deep := strings.Repeat(`{"errors":`, 3000) + "1" + strings.Repeat("}", 3000)
	for name, text := range map[string]string{
		"many":      `{"errors": [` + strings.TrimSuffix(strings.Repeat(`{"field": "arrival", "message": "Closed."},`, 10_000), ",") + `]}`,
		"deep":      deep,
		"long":      `{"errors": {"arrival": "` + strings.Repeat("x", 10<<20) + `"}}`,
		"prototype": `{"errors": {"__proto__": ["No."], "constructor": {"prototype": ["No."]}}}`,
		"invalid":   `{"errors": {"arrival": "` + "\xff\xfe" + `"}}`,
	} {
		placed := replies.Place(mooring, replies.Response{Status: 422, Body: body(t, text)})
		require.NotEmpty(t, placed, name)
		require.LessOrEqual(t, len(placed), 201, name)
		for _, p := range placed {
			require.NotEmpty(t, p.Text, name)
			require.Less(t, len(p.Text), 1100, name)
		}
	}
}
