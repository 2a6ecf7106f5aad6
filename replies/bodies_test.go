package replies_test

import (
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

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
