package form

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// The page about forms lists every message, in the order of the catalogue. UPDATE=1 writes it anew.
func TestTheCatalogueIsListed(t *testing.T) {
	var table strings.Builder
	table.WriteString("| message | text |\n|---|---|\n")
	named := map[string]bool{}
	for m := MessageNone + 1; m < messageCount; m++ {
		e := entryOf(m)
		require.NotEmpty(t, e.wording.Other, "message %d", m)
		require.False(t, named[e.name], "%s is the name of two", e.name)
		named[e.name] = true
		text := e.wording.Other
		if e.wording.One != "" {
			text = "one: " + e.wording.One + "<br>other: " + text
		}
		fmt.Fprintf(&table, "| `%s` | %s |\n", e.name, text)
	}
	name := filepath.Join("..", "docs", "form.md")
	page, err := os.ReadFile(name)
	require.NoError(t, err)
	before, rest, found := strings.Cut(string(page), "| message | text |\n")
	require.True(t, found)
	listed, after := "| message | text |\n", rest
	for strings.HasPrefix(after, "|") {
		line, more, _ := strings.Cut(after, "\n")
		listed, after = listed+line+"\n", more
	}
	if os.Getenv("UPDATE") != "" {
		require.NoError(t, os.WriteFile(name, []byte(before+table.String()+after), 0o644))
		return
	}
	require.Equal(t, table.String(), listed)
}
