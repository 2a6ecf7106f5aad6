package main

import (
	"bytes"
	"cmp"
	"context"
	"fmt"
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

// asItIs is the change that changes nothing.
var asItIs = mutant{file: "lifecycle/session.go", operator: "none"}

// number is a number that the environment gives; 0 means that it gives none.
func number(name string) int {
	v, _ := strconv.Atoi(os.Getenv(name))
	return v
}

// seed says in which order changes are tried.
func seed() int { return cmp.Or(number("MUTANTS_SEED"), 1) }

// drawn are the changes in the order in which they are tried, which a seed (MUTANTS_SEED) says, and how
// many are wanted (MUTANTS). MUTANT=EXPRESSION leaves those whose names match a regular expression.
func drawn(t *testing.T) (all []mutant, count int) {
	if number("MUTANTS") == 0 {
		t.Skip("builds the core once for each mutant: MUTANTS=20 tries so many")
	}
	all = mutants(t)
	rand.New(rand.NewPCG(uint64(seed()), 0)).Shuffle(len(all), func(i, j int) { all[i], all[j] = all[j], all[i] })
	if only := os.Getenv("MUTANT"); only != "" {
		expression, err := regexp.Compile(only)
		require.NoError(t, err, "MUTANT")
		all = slices.DeleteFunc(all, func(m mutant) bool { return !expression.MatchString(m.String()) })
	}
	return all, min(number("MUTANTS"), len(all))
}

// tryEach makes one change after the other in copies of the house, the core as it is first, until so
// many have compiled, and asks of each what comes of it. It counts the answers, and writes them to
// the file MUTANTS_TABLE.
func tryEach(t *testing.T, all []mutant, count int, ask func(m mutant, house string) (string, error)) map[string]int {
	var mu sync.Mutex
	var table bytes.Buffer
	answers, tried, next := map[string]int{}, 0, 0
	possible := len(all)
	all = append([]mutant{asItIs}, all...)
	// One more is tried only while it is wanted.
	take := func() (m mutant, wanted bool) {
		mu.Lock()
		defer mu.Unlock()
		if tried > count || next == len(all) {
			return mutant{}, false
		}
		tried, next = tried+1, next+1
		return all[next-1], true
	}
	var work errgroup.Group
	for range runtime.NumCPU() {
		work.Go(func() error {
			house, err := copyHouse(t.TempDir())
			if err != nil {
				return err
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
				start := time.Now()
				answer, err := ask(m, house)
				if err != nil {
					return err
				}
				row := fmt.Sprintf("%-40s %6.1f s  %s", answer, time.Since(start).Seconds(), m)
				mu.Lock()
				if m != asItIs {
					answers[answer]++
				}
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
	last := fmt.Sprintf("seed %d, %d of %d possible changes: %v", seed(), tried-1, possible, answers)
	t.Log(last)
	table.WriteString(last + "\n")
	if file := os.Getenv("MUTANTS_TABLE"); file != "" {
		require.NoError(t, os.WriteFile(file, table.Bytes(), 0o644))
	}
	if os.Getenv("MUTANT") == "" {
		require.Equal(t, count, tried-1)
	}
	return answers
}

// A change anywhere in the core is found by verify, by the scenarios or by a test. A change that
// nobody finds, and with which every walk of the demo has the same
// states, transitions and verdict, counts as the same program: it matters only to a caller
// that breaks the rules, to a damaged store, or not at all.
func TestMutantsAreFound(t *testing.T) {
	all, count := drawn(t)
	demo, demoAsItIs := t.TempDir(), t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, demo))
	require.NoError(t, writeDemo(&strings.Builder{}, demoAsItIs))
	writeMutantBounds(t, demo)
	unchanged, err := copyHouse(t.TempDir())
	require.NoError(t, err)
	require.NoError(t, buildFinder(unchanged))
	walks := sync.OnceValues(func() (string, error) { return walksOf(filepath.Join(unchanged, "finder"), demoAsItIs) })
	found := tryEach(t, all, count, func(m mutant, house string) (string, error) {
		if m == asItIs && os.Getenv("LONG") == "" { // other tests walk and play it
			return "nobody", nil
		}
		by := m.find(demo, house)
		if m == asItIs && by != "nobody" {
			return "", fmt.Errorf("the core as it is is found by %s", by)
		}
		if m == asItIs || by != "nobody" {
			return by, nil
		}
		if why := sameProgram[[3]string{m.within, m.old, m.by}]; why != "" {
			return "nobody: " + why, nil
		}
		before, err := walks()
		if err != nil {
			return "", err
		}
		if now, err := walksOf(filepath.Join(house, "finder"), demoAsItIs); err == nil && now == before {
			return "nobody: the same in every walk", nil
		}
		return by, nil
	})
	others := 0 // that are another program
	for by, n := range found {
		if !strings.HasPrefix(by, "nobody: ") {
			others += n
		}
	}
	t.Logf("of %d that are another program %d are found", others, others-found["nobody"])
	require.LessOrEqual(t, found["nobody"]*100, others*3, "fewer than 97 %% are found")
}

// What the walk leaves out of its states hides no change of the core: where a walk without
// reductions finds a guarantee broken, the walk with them finds one broken too, or its audit tells
// that they make a difference; and it finds none broken where the other does not.
func TestReductionsHideNoMutant(t *testing.T) {
	all, count := drawn(t)
	demo := t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, demo))
	if os.Getenv("LONG") == "" { // one form with a load and one with rows
		forms, err := filepath.Glob(filepath.Join(demo, "*.form.yaml"))
		require.NoError(t, err)
		for _, form := range forms {
			if name := filepath.Base(form); name != "vessel.form.yaml" && name != "regatta.form.yaml" {
				require.NoError(t, os.Remove(form))
			}
		}
	}
	answers := tryEach(t, all, count, func(m mutant, house string) (string, error) {
		limit, cancel := context.WithTimeout(context.Background(), 2*time.Minute)
		defer cancel()
		output, err := exec.CommandContext(limit, filepath.Join(house, "finder"), demo, "reductions").CombinedOutput()
		answer, details, _ := strings.Cut(strings.TrimSpace(string(output)), "\n")
		switch {
		case limit.Err() != nil || strings.HasPrefix(answer, "panic"):
			answer = "no walk ends"
		case err != nil:
			t.Log(m, details)
		}
		if m == asItIs && answer != "the same" {
			return "", fmt.Errorf("of the core as it is: %s", answer)
		}
		return answer, nil
	})
	require.Zero(t, answers["hidden"])
	require.Zero(t, answers["a false alarm"])
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

// buildFinder builds what finds a change. With -trimpath copies of the house share what is the same in them.
func buildFinder(house string) error {
	build := exec.Command("go", "build", "-trimpath", "-o", filepath.Join(house, "finder"), "./cmd/leanwicket/testdata/finder")
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

// find says who finds a mutant.
func (m mutant) find(demo, house string) (by string) {
	limit, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	output, err := exec.CommandContext(limit, filepath.Join(house, "finder"), demo).CombinedOutput()
	first, _, _ := strings.Cut(string(output), "\n")
	switch {
	case limit.Err() != nil:
		return "verify, which does not end"
	case strings.HasPrefix(first, "panic"):
		return "verify, a panic"
	case strings.HasPrefix(first, "at once"):
		return "verify, at once"
	case err != nil:
		return first
	}
	for _, tests := range []struct {
		room, run, name string
		checks          int // of a law that is tried more often than by itself
	}{
		{"./form", ".", "tests of the form", 0},
		{"./lifecycle", ".", "tests of the core", 0},
		{"./lifecycle", "TheEffectsAreEnough", "a driver that knows the effects alone", 3000},
		{"./scenario", "Rules", "scenarios of the rules", 0},
		{"./internal/reference", "Lost", "the account", 5000},
		{"./verify", "Recorded", "sessions, as recorded", 0},
	} {
		c := exec.Command("go", "test", "-trimpath", "-vet=off", tests.room, "-run", tests.run, "-timeout", "3m")
		if tests.checks > 0 { // the same sessions each time: the core as it is passes them
			c.Args = append(c.Args, "-rapid.checks="+strconv.Itoa(tests.checks), "-rapid.seed=14", "-rapid.nofailfile")
		}
		c.Dir = house
		if c.Run() != nil {
			return tests.name
		}
	}
	return "nobody"
}
