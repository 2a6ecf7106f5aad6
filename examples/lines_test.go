package examples_test

import (
	"fmt"
	"os"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// markup is a line with a tag, or with what is put between tags.
var markup = regexp.MustCompile(`</?[a-zA-Z][\w-]*[\s>/]|^\s*\$?\{`)

// The docs say how long each drawing of the same form is, and how much of it is no markup.
func TestLinesOfTheAttachedForm(t *testing.T) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "attach.md"))
	require.NoError(t, err)
	for _, file := range []string{"form.jsx", "lit.js", "plain.js"} {
		text, err := os.ReadFile(filepath.Join("components", file))
		require.NoError(t, err)
		lines, rest := strings.Split(strings.TrimSuffix(string(text), "\n"), "\n"), 0
		for _, line := range lines {
			if strings.TrimSpace(line) != "" && (strings.HasPrefix(line, "import") || !markup.MatchString(line)) {
				rest++
			}
		}
		row := regexp.MustCompile("`" + regexp.QuoteMeta(file) + "`.*").FindString(string(docs))
		require.Contains(t, row, fmt.Sprintf("| %d | %d | 0 |", len(lines), rest), file)
	}
}
