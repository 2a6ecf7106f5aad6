package main

import (
	"bytes"
	"fmt"
	"go/ast"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/declare"
	"leanwicket.dev/scenario"
)

// aroundBlocks is what the Go blocks of the pages take for granted.
const aroundBlocks = `package docs

import (
	"context"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"testing"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"leanwicket.dev/browser"
	"leanwicket.dev/declare"
	"leanwicket.dev/formhttp"
	"leanwicket.dev/formhttp/metrics"
	"leanwicket.dev/ledger"
	"leanwicket.dev/ledger/sqlite"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/runner"
	"leanwicket.dev/runner/overhttp"
	"leanwicket.dev/scenario"
	"leanwicket.dev/try"
	"leanwicket.dev/verify"
)

type Permit struct{ Vessel string }

var (
	account  func(*http.Request) string
	signedIn func(*http.Request) *formhttp.Answer
	submit   func(context.Context, formhttp.Submission) (formhttp.Answer, error)
	permitsOf func(string) []Permit
	client   *http.Client
	renew    func(*http.Client) error
	stamped  func(body []byte) ([]byte, error)
	read     func(id string) (values []byte, version string, err error)
	page     *formhttp.Handler
	registry struct {
		Find func(id string) (map[string]any, string, error)
	}
	source      *declare.Source
	secret      []byte
	store       ledger.Store
	options     formhttp.Options
	questions   *formhttp.Handler
	interrupted context.Context
	mux         *http.ServeMux
	request     struct{ Body []byte }
	seed        lifecycle.Seed
	announce    func(string)
	show        func(path, raw string, issues []lifecycle.Issue)
)
`

// documentation lists the pages in docs.
func documentation(t *testing.T) (pages []string) {
	for _, folder := range []string{"../../docs", "../../docs/inside"} {
		found, err := filepath.Glob(folder + "/*.md")
		require.NoError(t, err)
		pages = append(pages, found...)
	}
	return pages
}

// The Go blocks of the pages compile: those that declare something by itself, the others as
// the body of a function.
func TestTheGoBlocksOfThePagesCompile(t *testing.T) {
	pages := documentation(t)
	files := token.NewFileSet()
	parse := func(name, text string) *ast.File {
		tree, err := parser.ParseFile(files, name, text, 0)
		require.NoError(t, err)
		return tree
	}
	trees, blocks := []*ast.File{parse("around the blocks", aroundBlocks)}, 0
	imports := aroundBlocks[:strings.Index(aroundBlocks, "type Permit")]
	for _, page := range append(pages, "../../README.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, block := range fenced.FindAllStringSubmatch(string(text), -1) {
			if block[1] != "go" {
				continue
			}
			if blocks++; !strings.HasPrefix(block[2], "func ") {
				block[2] = fmt.Sprintf("func block%d() error {\n%s\nreturn nil\n}\n", blocks, block[2])
			}
			trees = append(trees, parse(fmt.Sprintf("%s, Go block %d", page, blocks), imports+block[2]))
		}
	}
	require.Greater(t, blocks, 7)
	export := exportData(t, "leanwicket.dev/...")
	var wrong []string
	check := types.Config{
		Importer: importer.ForCompiler(files, "gc", func(path string) (io.ReadCloser, error) { return os.Open(export[path]) }),
		Error: func(err error) {
			if e := err.(types.Error); !e.Soft { // soft: a block does not use what it makes
				wrong = append(wrong, e.Error())
			}
		},
	}
	_, _ = check.Check("docs", files, trees, nil)
	require.Empty(t, wrong)
}

// exportData lists where the compiler keeps what packages export, and those that they import.
func exportData(t *testing.T, packages string) map[string]string {
	list := exec.Command("go", "list", "-deps", "-export", "-f", "{{.ImportPath}} {{.Export}}", packages, "testing")
	var failed bytes.Buffer
	list.Stderr = &failed
	output, err := list.Output()
	require.NoError(t, err, failed.String())
	export := map[string]string{}
	for line := range strings.Lines(string(output)) {
		path, file, _ := strings.Cut(strings.TrimSpace(line), " ")
		export[path] = file
	}
	return export
}

// blocksOf are the YAML blocks of a page that have no name.
func blocksOf(t *testing.T, page string) (blocks []string) {
	text, err := os.ReadFile(filepath.Join("..", "..", "docs", page))
	require.NoError(t, err)
	for _, block := range fenced.FindAllStringSubmatch(string(text), -1) {
		if block[1] == "yaml" {
			blocks = append(blocks, block[2])
		}
	}
	return blocks
}

// The form file of docs/form.md can be opened as it stands, and so can its parts on a form.
func TestTheFormFilesOfThePages(t *testing.T) {
	schema := `{properties: {vessel: {properties: {name: {type: string}, length: {type: number}}}, arrival: {type: string, format: date}, departure: {type: string, format: date}, remarks: {type: string},
		berth: {type: string}, amperage: {type: integer}, shorePower: {type: boolean}, crew: {type: array, items: {properties: {name: {type: string}}}}}}`
	blocks := blocksOf(t, "form.md")
	require.Len(t, blocks, 4)
	for k, text := range blocks {
		if k > 0 && !strings.HasPrefix(text, "form:") {
			text = "form: mooring-permit\nschema: mooring.schema.json\n" + text
		}
		_, err := declare.OpenFunc("mooring.form.yaml", func(name string) ([]byte, error) {
			return map[string][]byte{"mooring.form.yaml": []byte(text), "mooring.schema.json": []byte(schema)}[name], nil
		})
		require.NoError(t, err, text)
	}
}

// The scenario of docs/scenario.md plays, and so does one with what an earlier page kept, on forms
// that have what they speak of.
func TestTheScenariosOfThePages(t *testing.T) {
	blocks := blocksOf(t, "scenario.md")
	require.Len(t, blocks, 2)
	for _, c := range []struct{ form, scenario string }{
		{
			"form: mooring\nprefill: {url: /vessel}\nsubmit: {buttons: [apply]}\nfields: {berth: {check: {url: '/berths/{value}'}}}\n" +
				"schema: {properties: {vessel: {properties: {name: {type: string}, length: {type: number}}}, berth: {type: string}}}",
			blocks[0],
		},
		{
			"form: plan\nsubmit: {url: /plans/7, method: PUT, buttons: [save]}\n" +
				"schema: {properties: {owner: {type: string}, stays: {type: array, items: {properties: {vessel: {type: string}}}}}}",
			"scenario: What an earlier page kept comes back\nform: plan.form.yaml\n" + blocks[1] +
				"timeline: [{at: 1s, expect: {submission: unsettled, contested: [owner], values: {owner: Ada Fenwick, stays: [{vessel: Heron}, {vessel: Tern}]}}}]",
		},
	} {
		source, err := declare.OpenFunc("a.form.yaml", func(string) ([]byte, error) { return []byte(c.form), nil })
		require.NoError(t, err)
		played, err := scenario.With(source, "a.scenario.yaml", []byte(c.scenario))
		require.NoError(t, err)
		require.Empty(t, scenario.Play(played, scenario.Options{}).Failures)
	}
}

var (
	linkOf    = regexp.MustCompile(`\]\(([^)\s:]+)\)`) // without a scheme
	headingOf = regexp.MustCompile(`(?m)^#+ (.*)$`)
	notOfID   = regexp.MustCompile(`[^\w\- ]`)
)

// Each link of a page leads to a file that is there, and to a heading that it has.
func TestTheLinksOfThePagesLead(t *testing.T) {
	links := 0
	for _, page := range append(documentation(t), "../../README.md", "../../CONTRIBUTING.md", "../../SECURITY.md", "../../CHANGELOG.md") {
		text, err := os.ReadFile(page)
		require.NoError(t, err)
		for _, link := range linkOf.FindAllStringSubmatch(fenced.ReplaceAllString(string(text), ""), -1) {
			links++
			path, heading, toHeading := strings.Cut(link[1], "#")
			to := page
			if path != "" {
				to = filepath.Join(filepath.Dir(page), path)
			}
			_, err := os.Stat(to)
			require.NoError(t, err, "%s: %s", page, link[1])
			if toHeading {
				text, err := os.ReadFile(to)
				require.NoError(t, err)
				var ids []string
				for _, h := range headingOf.FindAllStringSubmatch(string(text), -1) {
					ids = append(ids, strings.ReplaceAll(notOfID.ReplaceAllString(strings.ToLower(h[1]), ""), " ", "-"))
				}
				require.Contains(t, ids, heading, "%s: %s", page, link[1])
			}
		}
	}
	require.Greater(t, links, 100)
}
