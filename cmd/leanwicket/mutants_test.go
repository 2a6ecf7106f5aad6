package main

import (
	"bytes"
	"context"
	"fmt"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
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
	"form": {"constraints.go"},
	"lifecycle": {
		"accepting.go", "attempt.go", "baseline.go", "checks.go", "contest.go", "fields.go", "issues.go", "keeping.go", "leaving.go", "loading.go",
		"merge.go", "merge_rows.go", "restoring.go", "rows.go", "rules.go", "session.go", "settling.go", "submission.go", "tally.go", "waiting.go",
	},
}

// untouched are functions of those files that only read, or that no session
// runs.
var untouched = regexp.MustCompile(`^(CopyFrom|copyFrom|Same|count)$`)

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

// constantsOf gives each constant of the core the next of its group; true and
// false are a group.
func constantsOf(t *testing.T) map[string]string {
	next := map[string]string{"true": "false", "false": "true"}
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

// sameProgram are changes that make no difference, and why: the line, what is
// changed in it, and by what.
var sameProgram = map[[3]string]string{
	{"goes := !asked && s.has(i, bitAsked)", "!asked && s.has(i, bitAsked)", "!asked"}: "what is not asked has neither issues nor a check",
	{"x.cell = -1", "1", "2"}: "any place below zero is none",
	{
		"k.Clean = c.value == c.baseline && c.bits&bitStays == 0 && !k.Since && !k.Contested",
		"c.value == c.baseline && c.bits&bitStays == 0 && !k.Since && !k.Contested", "c.value == c.baseline && c.bits&bitStays == 0 && !k.Since",
	}: "what is contested differs from its baseline, or has not met a load",
	{"x := issue{cell: i, from: -1, source: SourceServer, code: entry.Code, text: entry.Text}", "1", "2"}:                                       "any place below zero is none",
	{"return form.MessageNone, 0, false // what it breaks by itself is written with it", "MessageNone", "MessageBlockedLoading"}:                "nobody reads the message of a rule that is kept",
	{"if c.row >= 0 && s.rows[c.row].used || c.row < 0 && s.form.GroupOf(c.field) < 0 {", "<", "<="}:                                            "cells of a group that are in no row hold nothing",
	{"case s.form.GroupOf(form.FieldID(id)) >= 0:", "0", "1"}:                                                                                   "cells of a group that are in no row were not sent",
	{"return !c.sent.Absent() || c.row < 0 && c.bits&bitSentChanged != 0 || s.form.Fields[c.field].Required && c.bits&bitSent != 0", "<", "<="}: "no body writes what is absent from a row",
	{"s.newestOutcome = OutcomeOpen", "OutcomeOpen", "OutcomeAccepted"}:                                                                         "five lines further on what is shown as accepted ends",
	{"if c := &s.cells[i]; c.bits&bitRaw != 0 {", "if c := &s.cells[i]; c.bits&bitRaw != 0 {\n\t\t\tc.raw = \"\"\n\t\t}", ""}:                   "a text is read only where it is marked, and the mark is taken off",
	{"return r < 0 || s.rowIn(r, inBase)", "<", "<="}:                                                                                           "a row that is not in the baseline has an absent one, which it keeps either way",
	{"if f.GroupOf(form.FieldID(i)) < 0 {", "0", "1"}:                                                                                           "cells of a group that are in no row hold nothing",
	{"return form.MessageNone, 0, false", "MessageNone", "MessageBlockedLoading"}:                                                               "nobody reads the message of a rule that is kept",
	{"return form.MessageNone, 0, false", "0", "1"}:                                                                                             "nobody reads the code of a rule that is kept",
	{"case s.form.GroupOf(form.FieldID(id)) >= 0:", ">=", ">"}:                                                                                  "cells of a group that are in no row were not sent",
	{"return 0, false", "0", "1"}:                                                                "nobody looks at the number beside false",
	{"return MessageNone, 0, false", "MessageNone", "MessageBlockedLoading"}:                     "nobody reads the message of a rule that is kept",
	{"s.say(form.Message{ID: form.MessageFollowing}, Polite)", "Polite", "Assertive"}:            "it joins what the refusal says, at the more urgent of the two levels",
	{"if s.tally[classInvalid] == 0 {", "if s.tally[classInvalid] == 0 {\n\t\treturn\n\t}", ""}:  "where nothing is wrong, the walk over all fields finds nothing",
	{"func (s *Session) freeRows(group form.FieldID) {", "", "\n\tif true {\n\t\treturn\n\t}\n"}: "rows that are in no list are only memory",
	{"if asked == s.has(i, bitAsked) && baseAsked == s.has(i, bitBaseAsked) {", "if asked == s.has(i, bitAsked) && baseAsked == s.has(i, bitBaseAsked) {\n\t\ts.recompute(i)\n\t\treturn\n\t}", ""}: "where nothing changes, what follows changes nothing either",
	{"if v.Exp > 0 && v.Exp <= maxDigits {", "maxDigits", "maxExponent"}:                              "no length and no number of rows has so many digits",
	{"return MessageNone, 0, false", "0", "1"}:                                                        "nobody reads the code of a rule that is kept",
	{`return 0, &UnknownError{"field", path}`, "0", "1"}:                                              "nobody looks at the number beside an error",
	{"if c := &s.cells[i]; c.bits&bitRaw != 0 {", "0", "1"}:                                           "a text is read only where it is marked, and the mark is taken off",
	{"s.byEdit, s.accepted, s.said, s.editedNow = false, false, -1, -1", "1", "2"}:                    "any place below zero is none",
	{"return -1", "1", "2"}:                                                                           "any place below zero is none",
	{"c.timer = 0", "c.timer = 0", ""}:                                                                "a check whose timer is disarmed ends, or gets another",
	{"if len(s.checks) > 0 {", ">", ">="}:                                                             "a submit that waits for no check goes on in the same step",
	{"if len(s.waiting) == 0 {", "if len(s.waiting) == 0 {\n\t\treturn false\n\t}", ""}:               "a list without answers has none of the group",
	{"s.dropCheck(i)", "s.dropCheck(i)", ""}:                                                          "who edits drops the older check already, and nobody else starts one where one is out",
	{"s.press(s.attempt.button, false)", "false", "true"}:                                             "after a denial nothing shows as accepted and no second click is waited for",
	{"if v.Kind == ValueVeiled && other.Kind == ValueVeiled {", "&&", "||"}:                           "a private value is compared with private values only",
	{"s.cells[i] = cell{field: form.FieldID(i), row: -1, bits: bitAsked | bitBaseAsked}", "1", "2"}:   "any place below zero is none",
	{"if s.form.GroupOf(a.Field) != group || a.Row < 0 || int(a.Row) >= count {", "||", "&&"}:         "the values of a body's rows come with the number of rows",
	{"if s.tally[classInvalid] == 0 {", "if s.tally[classInvalid] == 0 {\n\t\treturn count\n\t}", ""}: "without an issue of a rule the walk counts none",
	{`return 0, &UnknownError{"request", ""}`, "0", "1"}:                                              "nobody looks at the number beside an error",
}

// account is the package that plays an applicant and an office.
const account = "./internal/account"

// A change anywhere in the core is found by verify, by the scenarios or by a test. The sample is
// drawn by a seed (MUTANTS_SEED); its size is MUTANTS. MUTANT=TEXT tries those whose names have
// a text. A change that nobody finds, and with which every walk of the demo has the same
// states, transitions and verdict, counts as the same program: it matters only to a caller
// that breaks the rules, to a damaged store, or not at all.
func TestMutantsAreFound(t *testing.T) {
	if os.Getenv("MUTANTS") == "" {
		t.Skip("builds the core once for each mutant: MUTANTS=20 tries so many, as ./test does")
	}
	number := func(name string, otherwise int) int {
		if v, err := strconv.Atoi(os.Getenv(name)); err == nil {
			return v
		}
		return otherwise
	}
	seed, count := number("MUTANTS_SEED", 1), number("MUTANTS", 20)
	all := mutants(t)
	rand.New(rand.NewPCG(uint64(seed), 0)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	if only := os.Getenv("MUTANT"); only != "" {
		all = slices.DeleteFunc(all, func(m mutant) bool { return !strings.Contains(m.String(), only) })
		count = min(count, len(all))
	}
	demo, demoAsItIs := t.TempDir(), t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, demo))
	require.NoError(t, writeDemo(&strings.Builder{}, demoAsItIs))
	writeMutantBounds(t, demo)
	// The finder of the core as it is is built in the first house.
	unchangedFinder, built := filepath.Join(t.TempDir(), "finder"), make(chan bool)
	walks := sync.OnceValues(func() (string, error) {
		<-built
		return walksOf(unchangedFinder, demoAsItIs)
	})
	var mu sync.Mutex
	var table bytes.Buffer
	fmt.Fprintf(&table, "seed %d, %d of %d possible changes\n", seed, count, len(all))
	found, tried, next := map[string]int{}, 0, 0
	// One more is tried only while it is wanted.
	take := func() (m mutant, wanted bool) {
		mu.Lock()
		defer mu.Unlock()
		if tried == count || next == len(all) {
			return mutant{}, false
		}
		tried, next = tried+1, next+1
		return all[next-1], true
	}
	var work errgroup.Group
	for k := range runtime.NumCPU() {
		first := k == 0
		work.Go(func() error {
			house, err := copyHouse(t.TempDir())
			if err != nil {
				return err
			}
			if first {
				ready := sync.OnceFunc(func() { close(built) })
				defer ready()
				unchanged := mutant{file: "lifecycle/session.go"}
				if compiles, err := unchanged.build(house); err != nil || !compiles {
					return fmt.Errorf("the core as it is does not compile: %w", err)
				}
				program, err := os.ReadFile(filepath.Join(house, "finder"))
				if err != nil {
					return err
				}
				if err := os.WriteFile(unchangedFinder, program, 0o755); err != nil {
					return err
				}
				ready()
				if by, _ := unchanged.find(demo, house); by != "nobody" {
					return fmt.Errorf("the core as it is is found by %s", by)
				}
			}
			for m, wanted := take(); wanted; m, wanted = take() {
				compiles, err := m.build(house)
				if err != nil {
					return err
				}
				if !compiles {
					mu.Lock()
					tried--
					mu.Unlock()
					continue
				}
				by, took := m.find(demo, house)
				if why := sameProgram[[3]string{m.within, m.old, m.by}]; by == "nobody" && why != "" {
					by = "nobody: " + why
				} else if by == "nobody" {
					before, err := walks()
					if err != nil {
						return err
					}
					if now, err := walksOf(filepath.Join(house, "finder"), demoAsItIs); err == nil && now == before {
						by = "nobody: the same in every walk"
					}
				}
				row := fmt.Sprintf("%-40s %6.1f s  %s", by, took.Seconds(), m)
				mu.Lock()
				found[by]++
				t.Log(row)
				table.WriteString(row + "\n")
				mu.Unlock()
				if err := m.restore(house); err != nil {
					return err
				}
			}
			return nil
		})
	}
	require.NoError(t, work.Wait())
	fmt.Fprintf(&table, "found by %v\n", found)
	t.Logf("found by %v", found)
	if file := os.Getenv("MUTANTS_TABLE"); file != "" {
		require.NoError(t, os.WriteFile(file, table.Bytes(), 0o644))
	}
	require.Equal(t, count, tried)
	others := 0 // that are another program
	for by, n := range found {
		if !strings.HasPrefix(by, "nobody: ") {
			others += n
		}
	}
	t.Logf("of %d that are another program %d are found", others, others-found["nobody"])
	require.LessOrEqual(t, found["nobody"]*100, others*3, "fewer than 97 %% are found")
}

// walksOf are the numbers of states and transitions of every walk of the demo, and the verdicts.
func walksOf(finder, demo string) (string, error) {
	output, err := exec.Command(finder, demo, "walks").Output()
	return string(output), err
}

// writeMutantBounds replaces the bounds of the demo by walks that take a second
// each.
func writeMutantBounds(t *testing.T, dir string) {
	for name, walks := range map[string]string{
		"visit":   "[{edit: [vessel], attempts: any, tries: any}, {edit: [vessel], earlier: true, attempts: 1, tries: 2}]",
		"contact": "[{edit: [name], attempts: 2, tries: 2, loads: 2}, {edit: [name], earlier: true, attempts: 1, tries: 1, loads: 1}]",
		"vessel":  "[{edit: [name], attempts: 2, tries: 2, loads: 2}]",
		"pilot":   "[{edit: [slot], attempts: 2, tries: 2}, {edit: [lamp, night], attempts: 1, tries: 1}, {edit: [crew/0/name], attempts: 1, tries: 1}]",
		"plan":    "[{edit: [season], attempts: 1, tries: 1, loads: 1}]",
		"regatta": "[{edit: [juniors], attempts: 1, tries: 2}, {edit: [boats/0/name], attempts: 1, tries: 1, rows: 1}]",
		"mooring": "[{edit: [vessel/length], attempts: 1, tries: 2, loads: 1}, {edit: [departure, arrival], attempts: 1, tries: 1, loads: 1}]",
	} {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name+".bounds.yaml"), []byte("walks: "+walks+"\n"), 0o644))
	}
}

// copyHouse copies the house's sources, to be changed there. The compiler keeps what a change
// leaves as it is, which it does not where files are laid over others.
func copyHouse(to string) (house string, err error) {
	from := filepath.Join("..", "..")
	return to, filepath.WalkDir(from, func(path string, entry fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name, err := filepath.Rel(from, path)
		if err != nil {
			return err
		}
		switch {
		case entry.IsDir() && (entry.Name() == "node_modules" || name != "." && strings.HasPrefix(entry.Name(), ".")):
			return fs.SkipDir
		case entry.IsDir():
			return os.MkdirAll(filepath.Join(to, name), 0o755)
		case !entry.Type().IsRegular():
			return nil
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(filepath.Join(to, name), data, 0o644)
	})
}

// build makes the change in a copy of the house, and the finder of it.
func (m mutant) build(house string) (compiles bool, err error) {
	source, err := os.ReadFile(filepath.Join("..", "..", m.file))
	if err != nil {
		return false, err
	}
	if err := os.WriteFile(filepath.Join(house, m.file), m.in(source), 0o644); err != nil {
		return false, err
	}
	if buildFinder(house) == nil {
		return true, nil
	}
	return false, m.restore(house)
}

func buildFinder(house string) error {
	build := exec.Command("go", "build", "-o", filepath.Join(house, "finder"), "./cmd/leanwicket/testdata/finder")
	build.Dir = house
	return build.Run()
}

// restore takes the change out of a copy of the house again.
func (m mutant) restore(house string) error {
	source, err := os.ReadFile(filepath.Join("..", "..", m.file))
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(house, m.file), source, 0o644)
}

// find says who finds a mutant, and after how long.
func (m mutant) find(demo, house string) (by string, took time.Duration) {
	start := time.Now()
	limit, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	output, err := exec.CommandContext(limit, filepath.Join(house, "finder"), demo).CombinedOutput()
	first, _, _ := strings.Cut(string(output), "\n")
	switch {
	case limit.Err() != nil:
		return "verify, which does not end", time.Since(start)
	case strings.HasPrefix(first, "panic"):
		return "verify, a panic", time.Since(start)
	case strings.HasPrefix(first, "at once"):
		return "verify, at once", time.Since(start)
	case err != nil:
		return first, time.Since(start)
	}
	for _, tests := range [][3]string{
		{"./form", ".", "tests of the form"},
		{"./lifecycle", ".", "tests of the core"},
		{"./scenario", "Rules", "scenarios of the rules"},
		{account, "Lost", "the account"},
		{"./verify", "Recorded", "sessions, as recorded"},
	} {
		c := exec.Command("go", "test", "-vet=off", tests[0], "-run", tests[1], "-timeout", "3m")
		if tests[0] == account {
			c.Args = append(c.Args, "-rapid.checks=5000", "-rapid.seed=14", "-rapid.nofailfile") // the same sessions each time: the core as it is passes them
		}
		c.Dir = house
		if c.Run() != nil {
			return tests[2], time.Since(start)
		}
	}
	return "nobody", time.Since(start)
}
