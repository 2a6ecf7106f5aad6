package examples_test

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/internal/chromiumtest"
	"leanwicket.dev/try"
)

// drawing is a page that draws the form of the tow: the file, its lines and those that are no markup, and how many trials it breaks.
type drawing struct {
	file                string
	lines, rest, broken int
}

// drawings reads the table of docs/attach.md.
func drawings(t *testing.T) (all []drawing) {
	docs, err := os.ReadFile(filepath.Join("..", "docs", "attach.md"))
	require.NoError(t, err)
	for _, row := range regexp.MustCompile("(?m)^\\| `([\\w.]+)`.*\\| (\\d+) \\| (\\d+) \\| (\\d+) \\|$").FindAllStringSubmatch(string(docs), -1) {
		number := func(k int) int {
			n, err := strconv.Atoi(row[k])
			require.NoError(t, err)
			return n
		}
		all = append(all, drawing{row[1], number(2), number(3), number(4)})
	}
	require.Len(t, all, 6)
	return all
}

// The docs say how long each drawing of the same form is, and how much of it is no markup. No line is wider than a hundred columns.
func TestLinesOfTheSameForm(t *testing.T) {
	node, err := exec.LookPath("node")
	if err != nil {
		t.Skip("node is not installed: apt-get install nodejs, or run ./test")
	}
	if _, err := os.Stat(filepath.Join("..", "tools", "npm", "node_modules", "typescript")); err != nil {
		t.Skip("typescript is not installed: npm ci --prefix tools/npm, or run ./test")
	}
	for _, d := range drawings(t) {
		file := filepath.Join("components", d.file)
		text, err := os.ReadFile(file)
		require.NoError(t, err)
		if filepath.Ext(file) == ".html" {
			require.Equal(t, [2]int{strings.Count(string(text), "\n"), 0}, [2]int{d.lines, d.rest}, file)
			continue
		}
		for line := range strings.Lines(string(text)) {
			require.LessOrEqual(t, len([]rune(line)), 101, "%s: %s", file, line)
		}
		counted, err := exec.Command(node, "lines.cjs", file).CombinedOutput()
		require.NoError(t, err, string(counted))
		require.Equal(t, strconv.Itoa(d.lines)+" "+strconv.Itoa(d.rest)+"\n", string(counted), file)
	}
}

// The docs say how many trials each drawing breaks.
func TestTrialsOfTheSameForm(t *testing.T) {
	if os.Getenv("LONG") == "" {
		t.Skip("LONG=1 makes every trial on each page, for five minutes; TestPagesOfTheirOwn makes some of them")
	}
	chromiumtest.Find(t)
	start(t, "components", "http://127.0.0.1:8721/")
	source, err := declare.Open(filepath.Join("components", "tow.form.yaml"))
	require.NoError(t, err)
	declared, err := try.ReadDeclarations(try.DeclarationsBeside(source.File), source.Form)
	require.NoError(t, err)
	for _, d := range drawings(t) {
		page := strings.TrimSuffix(d.file, filepath.Ext(d.file)) + ".html"
		if d.file == "form.jsx" {
			page = ""
		}
		answer, err := try.Run(t.Context(), source, try.Options{Page: "http://127.0.0.1:8721/" + page, Declared: declared})
		require.NoError(t, err)
		var broken []string
		for _, r := range answer.Results {
			if r.Verdict == try.Broken {
				broken = append(broken, r.Trial)
			}
		}
		require.Len(t, broken, d.broken, "%s: %v", d.file, broken)
	}
}
