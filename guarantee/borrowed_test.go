package guarantee

import (
	"go/ast"
	"go/importer"
	"go/parser"
	"go/token"
	"go/types"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// borrowed are the functions and methods of the core that the judge calls: each is
// something that everybody can read, or tables of the form. What decides in the core is
// not among them, so that a mistake there cannot hide itself.
var borrowed = []string{
	"(*Session).Activity", "(*Session).AnswerWaits", "(*Session).At", "(*Session).Attempt", "(*Session).ByID", "(*Session).CopyFrom", "(*Session).Field", "(*Session).Fields", "(*Session).Form", "(*Session).FormIssues", "(*Session).Ignored", "(*Session).Leaving", "(*Session).Prefill", "(*Session).Receipt", "(*Session).Same", "(*Session).Submission", "(*Session).UnloadGuard", "(*Session).Version", "(*Session).Waiting",
	"(FieldState).Checking", "(FieldState).Contested", "(FieldState).Declared", "(FieldState).Dirty", "(FieldState).EditedSince", "(FieldState).HasIssueOf", "(FieldState).ID", "(FieldState).Issues", "(FieldState).Path", "(FieldState).Place", "(FieldState).Raw", "(FieldState).SavedRows", "(FieldState).Shows", "(FieldState).Touched", "(FieldState).Underlying", "(FieldState).UnderlyingBaseline", "(FieldState).Wrong",
	"(AskReason).String", "(EventKind).FromApplicant", "(EventKind).String", "(Source).String", "(Submission).String",
}

func TestTheJudgeBorrowsOnlyThese(t *testing.T) {
	files := token.NewFileSet()
	names, err := filepath.Glob("*.go")
	require.NoError(t, err)
	var sources []*ast.File
	for _, name := range names {
		if strings.HasSuffix(name, "_test.go") {
			continue
		}
		source, err := parser.ParseFile(files, name, nil, 0)
		require.NoError(t, err)
		sources = append(sources, source)
	}
	info := types.Info{Uses: map[*ast.Ident]types.Object{}}
	config := types.Config{Importer: importer.ForCompiler(files, "source", nil)}
	_, err = config.Check("leanwicket.dev/guarantee", files, sources, &info)
	require.NoError(t, err)
	var called []string
	for _, used := range info.Uses {
		f, ok := used.(*types.Func)
		if ok && f.Pkg() != nil && f.Pkg().Path() == "leanwicket.dev/lifecycle" {
			called = append(called, strings.ReplaceAll(f.FullName(), "leanwicket.dev/lifecycle.", ""))
		}
	}
	slices.Sort(called)
	require.ElementsMatch(t, borrowed, slices.Compact(called))
}
