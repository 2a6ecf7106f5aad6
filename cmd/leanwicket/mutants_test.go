package main

import (
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
)

// mutant is one change in one place of the core's source.
type mutant struct {
	file       string
	line       int
	function   string
	operator   string
	start, end int // bytes of the file that are replaced
	old, by    string
	within     string // the line of the source
}

func (m mutant) String() string {
	line := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	return fmt.Sprintf("%s:%d %s: %s: %.60q → %.60q", m.file, m.line, m.function, m.operator, line(m.old), line(m.by))
}

// in is a source with the change.
func (m mutant) in(source []byte) []byte {
	return slices.Concat(source[:m.start], []byte(m.by), source[m.end:])
}

// mutated are the files of the core that decide what happens. Reading and writing are
// not what verify and scenarios are about.
var mutated = map[string][]string{
	"form":           {"constraints.go"},
	"internal/state": {"rows.go", "tally.go"},
	"lifecycle": {
		"accepting.go", "attempt.go", "baseline.go", "checks.go", "contest.go", "fields.go", "issues.go", "draft.go", "leaving.go", "loading.go",
		"marks.go", "merge.go", "merge_rows.go", "restoring.go", "rows.go", "rules.go", "session.go", "settling.go", "submission.go", "waiting.go",
	},
}

// untouched are functions of those files that only read, or that no session
// runs.
var untouched = regexp.MustCompile(`^(copyFrom|same|lists|visit|Count)$`)

// mutants lists every change that the operators can make.
func mutants(t *testing.T) []mutant {
	constants := constantsOf(t)
	var all []mutant
	for _, name := range mutatedFiles() {
		source, err := os.ReadFile(sourceOf(t, name))
		require.NoError(t, err)
		files := token.NewFileSet()
		tree, err := parser.ParseFile(files, name, source, 0)
		require.NoError(t, err)
		for _, declared := range tree.Decls {
			function, ok := declared.(*ast.FuncDecl)
			if !ok || untouched.MatchString(function.Name.Name) {
				continue
			}
			add := func(operator string, from, to token.Pos, by string) {
				start, end, line := files.Position(from).Offset, files.Position(to).Offset, files.Position(from).Line
				within := strings.TrimSpace(strings.Split(string(source), "\n")[line-1])
				all = append(all, mutant{name, line, function.Name.Name, operator, start, end, string(source[start:end]), by, within})
			}
			text := func(n ast.Node) string {
				return string(source[files.Position(n.Pos()).Offset:files.Position(n.End()).Offset])
			}
			earlyReturn(function, add)
			ast.Inspect(function.Body, func(n ast.Node) bool {
				operate(n, text, constants, add)
				return true
			})
		}
	}
	return all
}

// mutatedFiles are the names of the mutated files, with their rooms, in a fixed order.
func mutatedFiles() []string {
	var names []string
	for room, files := range mutated {
		for _, name := range files {
			names = append(names, room+"/"+name)
		}
	}
	slices.Sort(names)
	return names
}

// sourceOf is where a file of the house lies.
func sourceOf(t *testing.T, name string) string {
	path, err := filepath.Abs(filepath.Join("..", "..", name))
	require.NoError(t, err)
	return path
}

func earlyReturn(function *ast.FuncDecl, add func(operator string, from, to token.Pos, by string)) {
	returned := "return"
	if results := function.Type.Results; results != nil {
		if len(results.List) != 1 {
			return
		}
		kind, _ := results.List[0].Type.(*ast.Ident)
		if kind == nil {
			return
		}
		zero := map[string]string{"error": "nil", "bool": "false", "int32": "0", "int64": "0"}[kind.Name]
		if zero == "" {
			return
		}
		returned += " " + zero
	}
	add("return early", function.Body.Lbrace+1, function.Body.Lbrace+1, "\n\tif true {\n\t\t"+returned+"\n\t}\n")
}

var swapped = map[token.Token]string{
	token.EQL: "!=", token.NEQ: "==", token.LSS: "<=", token.LEQ: "<", token.GTR: ">=", token.GEQ: ">",
	token.LAND: "||", token.LOR: "&&", token.ADD: "-", token.SUB: "+",
}

// operate makes the changes of one node.
func operate(n ast.Node, text func(ast.Node) string, constants map[string]string, add func(operator string, from, to token.Pos, by string)) {
	switch n := n.(type) {
	case *ast.IfStmt:
		add("negate a condition", n.Cond.Pos(), n.Cond.End(), "!("+text(n.Cond)+")")
	case *ast.BlockStmt:
		for _, statement := range n.List {
			dropStatement(statement, add)
		}
	case *ast.CaseClause:
		for _, statement := range n.Body {
			dropStatement(statement, add)
		}
		if len(n.Body) > 0 {
			add("skip a case", n.Body[0].Pos(), n.Body[len(n.Body)-1].End(), "")
		}
	case *ast.BinaryExpr:
		if by := swapped[n.Op]; by != "" {
			add("swap an operator", n.OpPos, n.OpPos+token.Pos(len(n.Op.String())), by)
		}
		if n.Op == token.LAND || n.Op == token.LOR {
			add("keep the left side", n.Pos(), n.End(), text(n.X))
			add("keep the right side", n.Pos(), n.End(), text(n.Y))
		}
	case *ast.Ident:
		if by := constants[n.Name]; by != "" {
			add("swap a constant", n.Pos(), n.End(), by)
		}
	case *ast.BasicLit:
		if v, err := strconv.Atoi(n.Value); err == nil {
			add("swap a constant", n.Pos(), n.End(), strconv.Itoa(v+1))
		}
	}
}

func dropStatement(statement ast.Stmt, add func(operator string, from, to token.Pos, by string)) {
	switch s := statement.(type) {
	case *ast.AssignStmt:
		if s.Tok == token.DEFINE {
			return
		}
	case *ast.ExprStmt, *ast.IncDecStmt, *ast.IfStmt, *ast.RangeStmt:
	default:
		return
	}
	add("drop a statement", statement.Pos(), statement.End(), "")
}

// constantsOf gives each constant of the core the next of its group; true and false, and max and
// min, are groups.
func constantsOf(t *testing.T) map[string]string {
	next := map[string]string{"true": "false", "false": "true", "max": "min", "min": "max"}
	var sources []string
	for room := range mutated {
		inRoom, err := filepath.Glob(filepath.Join(sourceOf(t, room), "*.go"))
		require.NoError(t, err)
		sources = append(sources, inRoom...)
	}
	for _, name := range sources {
		tree, err := parser.ParseFile(token.NewFileSet(), name, nil, 0)
		require.NoError(t, err)
		for _, declared := range tree.Decls {
			group, ok := declared.(*ast.GenDecl)
			if !ok || group.Tok != token.CONST || len(group.Specs) < 2 {
				continue
			}
			for k, spec := range group.Specs {
				after := group.Specs[(k+1)%len(group.Specs)].(*ast.ValueSpec)
				next[spec.(*ast.ValueSpec).Names[0].Name] = after.Names[0].Name
			}
		}
	}
	return next
}
