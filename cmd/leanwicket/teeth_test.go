package main

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour"
)

// tooth names one change of the core: the function, the operator, how what is changed
// begins, and, where that is there twice, a part of its line.
type tooth struct{ function, operator, old, line string }

// find is the change that a tooth names: of several in one another the smallest.
func (x tooth) find(t *testing.T, all []mutant) mutant {
	line := func(s string) string { return strings.Join(strings.Fields(s), " ") }
	var found []mutant
	for _, m := range all {
		if m.function == x.function && m.operator == x.operator && strings.HasPrefix(line(m.old), x.old) && strings.Contains(m.within, x.line) {
			found = append(found, m)
		}
	}
	slices.SortFunc(found, func(a, b mutant) int { return len(a.old) - len(b.old) })
	require.NotEmpty(t, found, "%+v", x)
	require.True(t, len(found) == 1 || len(found[0].old) < len(found[1].old), "%+v names several", x)
	return found[0]
}

var (
	ruleOf = regexp.MustCompile(`(?ms)^\*\*(\d+)\. .*?^\*Shown by \[(\d\d)\]\(\.\./harbour/demo/([^)]*)\)\.\*$`)
	rowOf  = regexp.MustCompile("(?m)^\\| (\\d\\d) \\| `(\\w+)` \\| ([a-z ]+) \\| (?:`(.+?)`)? *\\| (?:`(.+?)`)? *\\|$")
)

// teeth are, for each scenario of the harbour, the changes that take what it is about out of the
// core, as docs/inside/teeth.md lists them. Each rule of docs/lifecycle.md is shown by one scenario, and
// the rules are numbered without a gap.
func teeth(t *testing.T) map[string][]tooth {
	read := func(names ...string) string {
		page, err := os.ReadFile(filepath.Join(append([]string{"..", "..", "docs"}, names...)...))
		require.NoError(t, err)
		return string(page)
	}
	page, shown := read("lifecycle.md"), map[string]bool{}
	rules := ruleOf.FindAllStringSubmatch(page, -1)
	require.Equal(t, len(regexp.MustCompile(`(?m)^\*\*\d`).FindAllString(page, -1)), len(rules), "each rule is shown by something")
	for k, rule := range rules {
		require.Equal(t, strconv.Itoa(k+1), rule[1])
		require.Contains(t, harbour.Scenarios(), rule[3])
		require.True(t, strings.HasPrefix(rule[3], rule[2]+"-"), rule[3])
		require.False(t, shown[rule[2]], rule[3])
		shown[rule[2]] = true
	}
	table, found := read("inside", "teeth.md"), map[string][]tooth{}
	rows := rowOf.FindAllStringSubmatch(table, -1)
	require.Equal(t, strings.Count(table, "\n| ")-1, len(rows), "each row is read")
	for _, row := range rows {
		text := func(cell int) string { return strings.ReplaceAll(row[cell], `\|`, "|") }
		require.True(t, shown[row[1]], "no rule is shown by %s", row[1])
		found[row[1]] = append(found[row[1]], tooth{row[2], row[3], text(4), text(5)})
	}
	require.Equal(t, len(harbour.Scenarios()), len(found))
	require.Len(t, shown, len(found))
	return found
}

// Each scenario fails when the lines that it is about are taken out of the
// core. Every build takes some seconds: without LONG only a few are tried.
func TestScenariosHaveTeeth(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the core once for each scenario")
	}
	demo := t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, demo))
	house, err := copyHouse(t.TempDir())
	require.NoError(t, err)
	teeth, all := teeth(t), mutants(t)
	for k, name := range harbour.Scenarios() {
		t.Run(name, func(t *testing.T) {
			changed := changedSources(t, all, teeth[name[:2]])
			if os.Getenv("LONG") == "" && k%25 != 0 {
				return
			}
			changeHouse(t, house, changed)
			require.NoError(t, buildFinder(house))
			output, err := exec.Command(filepath.Join(house, "finder"), filepath.Join(demo, name)).CombinedOutput()
			require.Error(t, err, "it passes without what it is about\n%s", output)
		})
	}
}

// changedSources are the core's files with some changes.
func changedSources(t *testing.T, all []mutant, changes []tooth) map[string][]byte {
	var found []mutant
	for _, change := range changes {
		found = append(found, change.find(t, all))
	}
	slices.SortFunc(found, func(a, b mutant) int { return b.start - a.start }) // the last of a file first
	changed := map[string][]byte{}
	for _, m := range found {
		if changed[m.file] == nil {
			source, err := os.ReadFile(sourceOf(t, m.file))
			require.NoError(t, err)
			changed[m.file] = source
		}
		changed[m.file] = m.in(changed[m.file])
	}
	return changed
}

// changeHouse puts changed sources into a copy of the house until the test ends.
func changeHouse(t *testing.T, house string, changed map[string][]byte) {
	for file, source := range changed {
		require.NoError(t, os.WriteFile(filepath.Join(house, file), source, 0o644))
		t.Cleanup(func() { require.NoError(t, mutant{file: file}.restore(house)) })
	}
}

// buildIn builds the command of a house.
func buildIn(t *testing.T, house string) (program string) {
	program = filepath.Join(house, "changed")
	build := exec.Command("go", "build", "-o", program, "./cmd/leanwicket")
	build.Dir = house
	output, err := build.CombinedOutput()
	require.NoError(t, err, string(output))
	return program
}

// What the walk leaves out of a state, because a submit begins it anew, hides no core that forgets
// to begin it anew: the audit finds that, and the walk without reductions what is broken.
func TestNothingIsHiddenByWhatIsLeftOut(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the command of a changed core")
	}
	house, err := copyHouse(t.TempDir())
	require.NoError(t, err)
	source, err := os.ReadFile(filepath.Join(house, "lifecycle/settling.go"))
	require.NoError(t, err)
	changed := bytes.Replace(source, []byte("s.attempt.repeats, s.attempt.waited = 0, false"), []byte("s.attempt.repeats = 0"), 1)
	require.NotEqual(t, source, changed)
	changeHouse(t, house, map[string][]byte{"lifecycle/settling.go": changed})
	dir := t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, dir))
	output, err := exec.Command(buildIn(t, house), "verify", filepath.Join(dir, "visit.form.yaml")).CombinedOutput()
	require.Error(t, err)
	require.Contains(t, string(output), "guarantee said-once broken")
}

// A changed core is found by verify, and the session that it gives, played with
// the same changed core, breaks the same guarantee.
func TestVerifyFindsWhatIsBroken(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the command once for each change")
	}
	teeth := teeth(t)
	for _, number := range []string{"07", "09", "10", "33"} {
		if os.Getenv("LONG") == "" && number != "07" {
			continue
		}
		dir := t.TempDir()
		require.NoError(t, writeDemo(&strings.Builder{}, dir))
		house, err := copyHouse(t.TempDir())
		require.NoError(t, err)
		changeHouse(t, house, changedSources(t, mutants(t), teeth[number]))
		program := buildIn(t, house)
		written := filepath.Join(dir, "broken")
		output, err := exec.Command(program, "verify", filepath.Join(dir, "visit.form.yaml"), "--out", written).CombinedOutput()
		require.Error(t, err, "%s is not found\n%s", number, output)
		broken := regexp.MustCompile(`guarantee (\S+) broken`).FindSubmatch(output)
		require.NotNil(t, broken, "%s\n%s", number, output)
		guarantee := string(broken[1])
		output, err = exec.Command(program, "play", "--quiet", filepath.Join(written, "visit-"+guarantee+".scenario.yaml")).CombinedOutput()
		require.Error(t, err, string(output))
		require.Contains(t, string(output), "guarantee "+guarantee)
	}
}
