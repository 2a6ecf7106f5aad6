package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
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

// teeth are, for each scenario of the harbour, the changes that take what it is about
// out of the core.
var teeth = map[string][]tooth{
	"01": {{"isMine", "keep the right side", "c.value != c.baseline || c.bits&bitStays != 0", ""}},
	"02": {{"holds", "drop a statement", "add(HoldPrefillMissing,", ""}},
	"03": {{"shows", "swap a constant", "bitTouched", "return s.has(i, bitTouched)"}},
	"04": {{"block", "drop a statement", "s.reveal()", ""}},
	"05": {{"press", "keep the right side", "s.activity != ActivityIdle || !fromLeave", ""}},
	"06": {{"sentPlace", "return early", "", ""}},
	"07": {{"retry", "drop a statement", "s.startRepeat(false)", ""}},
	"08": {{"clearOrLater", "drop a statement", "s.toDefaults()", ""}},
	"09": {{"leaveAsked", "drop a statement", "s.ask(reason)", ""}},
	"10": {{"askReason", "swap an operator", ">", "dirty > 0"}},
	"11": {{"settleDenied", "drop a statement", "s.attempt.outcome, s.standing =", ""}},
	"12": {{"reset", "drop a statement", "s.conceal()", ""}},
	"13": {{"sentPlace", "negate a condition", "group < 0", ""}},
	"14": {{"BreaksAt", "swap a constant", "CodeRangeOverflow", ""}},
	"15": {{"effective", "drop a statement", "if c.bits&askedBit[of] == 0", ""}},
	"16": {{"edited", "drop a statement", "s.dropCheck(i)", ""}, {"startCheck", "drop a statement", "s.dropCheck(i)", ""}},
	"17": {{"finish", "negate a condition", "s.activity == ActivityChecking && len(s.checks) == 0", ""}},
	"18": {{"checkElapsed", "drop a statement", "s.endCheck(k)", ""}},
	"19": {{"proceed", "drop a statement", "s.settleFirst(s.pressed)", ""}},
	"20": {{"settleAccepted", "negate a condition", "newer", ""}},
	"21": {{"replied", "swap an operator", "!=", "e.Reply.Kind != ReplyAccepted"}},
	"22": {{"pause", "drop a statement", "wait = retryAfter", ""}},
	"23": {{"settleOutdated", "drop a statement", "s.load.needs |= needOutdated", ""}},
	"24": {{"settleDenied", "keep the right side", "s.currentTry() > 1 || s.attempt.adopted", ""}},
	"25": {{"settleAccepted", "drop a statement", "s.adopt(r.Values)", ""}},
	"26": {{"thenPolicy", "drop a statement", "s.emit(Effect{Kind: EffectNavigate", ""}},
	"27": {{"isMine", "keep the left side", "m.spareDirty && (c.value != c.baseline || c.bits&bitStays != 0 || i == s.editedNow) || m.spareEdited", ""}},
	"28": {{"loaded", "negate a condition", "s.open() &&", ""}},
	"29": {{"attempt", "drop a statement", "s.load.needs |= needRestored", ""}},
	"30": {{"returned", "drop a statement", "s.unsettle(", ""}},
	"31": {{"holds", "drop a statement", "add(HoldUnchanged,", ""}},
	"32": {{"holds", "drop a statement", "add(HoldReceived,", ""}},
	"33": {{"cancel", "skip a case", "s.tries[", ""}},
	"34": {{"resolve", "drop a statement", "s.takeBaseRows(group)", ""}},
	"35": {{"breaks", "negate a condition", "s.form.GroupOf(constraint.Other) >= 0", ""}},
	"36": {{"group", "drop a statement", "s.setRows(group, made[:kept.Now])", ""}},
	"37": {{"isAsked", "negate a condition", "!s.has(int32(group)", ""}},
	"38": {{"recompute", "swap a constant", "bitContested", ""}, {"contestMet", "skip a case", "s.unmark(i, bitContested)", ""}},
	"39": {{"followUp", "drop a statement", "s.sendDelayedChecks()", ""}},
	"40": {{"reset", "drop a statement", "s.mergeKept()", ""}},
	"41": {{"settleRefused", "drop a statement", "s.focusOn(s.firstServerIssue())", ""}},
	"42": {{"finishLeaving", "skip a case", "s.leave = LeavePresent", ""}},
	"43": {{"dropIssues", "drop a statement", "dropped = true", ""}},
	"44": {{"returned", "drop a statement", "s.restartChecks()", ""}},
	"45": {{"value", "drop a statement", "s.waiting = append(", ""}},
	"46": {{"group", "drop a statement", "s.setRowList(group, inSent,", ""}},
	"47": {{"group", "drop a statement", "if kept.Contested", ""}},
	"49": {{"sentPlace", "return early", "", ""}},
	"48": {{"cellOfCheck", "negate a condition", "r >= 0 && p.Row == c.row", ""}},
}

// Each scenario fails when the lines that it is about are taken out of the
// core. Every build takes some seconds: without LONG only a few are tried.
func TestScenariosHaveTeeth(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the command once for each scenario")
	}
	dir := t.TempDir()
	require.NoError(t, writeDemo(&strings.Builder{}, dir))
	for k, name := range harbour.Scenarios() {
		t.Run(name, func(t *testing.T) {
			changes := teeth[name[:2]]
			require.NotEmpty(t, changes, "what is it about?")
			overlay := mutate(t, dir, name, changes)
			if os.Getenv("LONG") == "" && k%15 != 0 {
				return
			}
			program := build(t, dir, overlay)
			output, err := exec.Command(program, "play", "--quiet", filepath.Join(dir, name)).CombinedOutput()
			require.Error(t, err, "it passes without what it is about\n%s", output)
			require.Contains(t, string(output), "FAILED")
		})
	}
}

// mutate writes changed copies of the core's files, and the overlay with which
// the go command builds them in their place.
func mutate(t *testing.T, dir, name string, changes []tooth) (overlay string) {
	changed := map[string][]byte{}
	all := mutants(t)
	for _, change := range changes {
		m := change.find(t, all)
		path := sourceOf(t, m.file)
		require.NotContains(t, changed, path, "one change a file")
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		changed[path] = m.in(source)
	}
	replaced := map[string]string{}
	for path, source := range changed {
		replaced[path] = filepath.Join(dir, name+filepath.Base(path))
		require.NoError(t, os.WriteFile(replaced[path], source, 0o644))
	}
	text, err := json.Marshal(map[string]any{"Replace": replaced})
	require.NoError(t, err)
	overlay = filepath.Join(dir, "overlay.json")
	require.NoError(t, os.WriteFile(overlay, text, 0o644))
	return overlay
}

func build(t *testing.T, dir, overlay string) (program string) {
	program = filepath.Join(dir, "mutant")
	output, err := exec.Command("go", "build", "-overlay", overlay, "-o", program, ".").CombinedOutput()
	require.NoError(t, err, string(output))
	return program
}

// A changed core is found by verify, and the session that it gives, played with
// the same changed core, breaks the same guarantee.
func TestVerifyFindsWhatIsBroken(t *testing.T) {
	if testing.Short() {
		t.Skip("builds the command once for each change")
	}
	for _, number := range []string{"07", "09", "10", "33"} {
		if os.Getenv("LONG") == "" && number != "07" {
			continue
		}
		dir := t.TempDir()
		require.NoError(t, writeDemo(&strings.Builder{}, dir))
		program := build(t, dir, mutate(t, dir, number, teeth[number]))
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
