package main

import (
	"encoding/json"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"leanwicket.dev/harbour"
)

// teeth are, for each scenario of the harbour, the lines of the core that it is
// about, and what stands there when they are taken out: file, lines, instead.
var teeth = map[string][][3]string{
	"01": {{"merge.go", "m.spareDirty && (c.value != c.baseline || ", "m.spareDirty && ("}},
	"02": {{"submission.go", "	add(HoldPrefillMissing, needed && !onItsWay)\n", ""}},
	"03": {{"issues.go", "		return s.has(i, bitTouched)\n", "		return true\n"}},
	"04": {{"submission.go", "	s.reveal()\n	if first", "	if first"}},
	"05": {{"submission.go", "s.activity != ActivityIdle || !fromLeave && s.justAccepted(button)", "!fromLeave && s.justAccepted(button)"}},
	"06": {{"settling.go", "	i := s.sentPlace(entry.Path)\n	x :=", "	i := int32(-1)\n	x :="}},
	"07": {{"settling.go", "		s.startRepeat(false)\n", "		s.begin(s.attempt.button)\n"}},
	"08": {{"accepting.go", "	s.toDefaults()\n", ""}},
	"09": {{"leaving.go", "	s.ask(reason)\n	return nil", "	s.leaveNow()\n	return nil"}},
	"10": {{"leaving.go", "		if dirty > 0 {", "		if dirty >= 0 {"}},
	"11": {{"settling.go", "	s.attempt.outcome, s.standing = OutcomeDenied, OutcomeDenied\n", ""}},
	"12": {{"submission.go", "	s.conceal()\n	s.dropWaiting()\n", "	s.dropWaiting()\n"}},
	"13": {{"settling.go", "	sent := s.groups[s.form.groupIndex[group]].sent\n", "	sent := s.groups[s.form.groupIndex[group]].now\n"}},
	"14": {{"rules.go", "CodeRangeOverflow, int64(count) > constraint.Value.Integer()", "CodeRangeOverflow, false"}},
	"15": {{"fields.go", "	if c.bits&askedBit[of] == 0 {\n		return Value{}\n	}\n", ""}},
	"16": {{"fields.go", "	s.dropCheck(i)\n	s.revise(i)", "	s.revise(i)"}, {"checks.go", "	s.dropCheck(i)\n	s.checks = append", "	s.checks = append"}},
	"17": {{"session.go", "s.activity == ActivityChecking && len(s.checks) == 0", "s.activity == ActivityChecking && false"}},
	"18": {{"checks.go", "	s.emit(Effect{Kind: EffectAbort, Request: c.request})\n	s.endCheck(k)\n", "	s.emit(Effect{Kind: EffectAbort, Request: c.request})\n"}},
	"19": {{"submission.go", "		s.settleFirst(s.pressed)\n		return\n", ""}},
	"20": {{"accepting.go", "newer := s.follow && ", "newer := false && "}},
	"21": {{"settling.go", "	case e.Reply.Kind != ReplyAccepted || *state == tryReplied:", "	case true:"}},
	"22": {{"settling.go", "		wait = retryAfter\n", ""}},
	"23": {{"settling.go", "	s.load.needs |= needOutdated\n", ""}},
	"24": {{"settling.go", "	if s.currentTry() > 1 || s.attempt.adopted {", "	if s.attempt.adopted {"}},
	"25": {{"accepting.go", "		s.adopt(r.Values)\n", ""}},
	"26": {{"accepting.go", "		s.emit(Effect{Kind: EffectNavigate, To: to})\n", ""}},
	"27": {{"merge.go", " || m.spareEdited && c.bits&bitEdited != 0\n}", "\n}"}},
	"28": {{"loading.go", "	if s.open() && !(restored", "	if false && !(restored"}},
	"29": {{"restoring.go", "		s.load.needs |= needRestored\n", ""}},
	"30": {{"leaving.go", "		s.unsettle(Message{ID: MessageUnsettled})\n", ""}},
	"31": {{"submission.go", "	add(HoldUnchanged, s.form.Submit.HoldUnchanged && s.dirty() == 0)\n", ""}},
	"32": {{"submission.go", "	add(HoldReceived, s.holdsReceived(button))\n", ""}},
	"34": {{"contest.go", "		s.takeBaseRows(group)\n", ""}},
	"35": {{"rules.go", "MessageGreaterThan, CodeCustomError, order <= 0", "MessageGreaterThan, CodeCustomError, false"}},
	"37": {{"fields.go", "		if !s.has(int32(group), askedBit[of]) {\n", "		if false && !s.has(int32(group), askedBit[of]) {\n"}},
	"38": {{"fields.go", "		s.change(i, 0, bitDirty|bitContested, rules)\n", "		s.change(i, 0, bitDirty, rules)\n"}, {"merge.go", "		case same, c.bits&(bitAsked|bitDirty)", "		case false && same, c.bits&(bitAsked|bitDirty)"}},
	"39": {{"settling.go", "		s.sendDelayedChecks()\n		return\n	}\n	if s.standing", "		return\n	}\n	if s.standing"}},
	"40": {{"submission.go", "		s.mergeKept() // what has come is saved", "		// what has come is saved"}},
	"44": {{"leaving.go", "	s.restartChecks()\n", ""}},
	"43": {{"issues.go", "		dropped = true\n", ""}},
	"42": {{"leaving.go", "		case !s.accepted:\n			s.leave = LeavePresent\n", ""}},
	"41": {{"settling.go", "	s.focusOn(s.firstServerIssue())\n", ""}},
	"36": {{"restoring.go", "	s.setRows(group, made[:kept.Now])\n", ""}},
	"33": {{"submission.go", "		s.disarm(TimerSend)\n		s.unsettle(Message{ID: MessageUnsettled})\n", "		s.disarm(TimerSend)\n"}},
	"45": {{"restoring.go", "		s.waiting = append(s.waiting, waitingAnswer{*v, p})\n", ""}},
	"46": {{"restoring.go", "	s.setRowList(group, inSent, list(kept.Sent))\n", ""}},
	"47": {{"restoring.go", "	if kept.Contested {\n		marks |= bitContested\n	}\n", ""}},
	"48": {{"checks.go", "r >= 0 && p.Row == c.row && ", "r >= 0 && false && "}},
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
		changes := teeth[name[:2]]
		require.NotEmpty(t, changes, "%s: what is it about?", name)
		overlay := mutate(t, dir, name, changes)
		if os.Getenv("LONG") == "" && k%15 != 0 {
			continue
		}
		program := build(t, dir, overlay)
		output, err := exec.Command(program, "play", "--quiet", filepath.Join(dir, name)).CombinedOutput()
		require.Error(t, err, "%s passes without the lines that it is about\n%s", name, output)
		require.Contains(t, string(output), "FAILED", name)
	}
}

// mutate writes changed copies of the core's files, and the overlay with which
// the go command builds them in their place.
func mutate(t *testing.T, dir, name string, changes [][3]string) (overlay string) {
	core, err := filepath.Abs(filepath.Join("..", "..", "lifecycle"))
	require.NoError(t, err)
	replaced := map[string]string{}
	for _, change := range changes {
		path := filepath.Join(core, change[0])
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Equal(t, 1, strings.Count(string(source), change[1]), "%s: the lines are not (only) in %s:\n%s", name, change[0], change[1])
		replaced[path] = filepath.Join(dir, name+change[0])
		require.NoError(t, os.WriteFile(replaced[path], []byte(strings.Replace(string(source), change[1], change[2], 1)), 0o644))
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
	for _, c := range []struct{ number, guarantee string }{
		{"09", "ask-before-loss"}, {"10", "no-needless-ask"}, {"07", "same-key-same-values"}, {"33", "waiting-ends"}, {"05", ""}, {"06", ""},
	} {
		if os.Getenv("LONG") == "" && c.number != "07" {
			continue
		}
		dir := t.TempDir()
		require.NoError(t, writeDemo(&strings.Builder{}, dir))
		program := build(t, dir, mutate(t, dir, c.number, teeth[c.number]))
		broken := filepath.Join(dir, "broken")
		output, err := exec.Command(program, "verify", filepath.Join(dir, "visit.form.yaml"), "--out", broken).CombinedOutput()
		if c.guarantee == "" { // it does the wrong thing and breaks no guarantee: a scenario finds it
			require.NoError(t, err, string(output))
			continue
		}
		require.Error(t, err, "%s is not found\n%s", c.number, output)
		require.Contains(t, string(output), "guarantee "+c.guarantee+" broken")
		output, err = exec.Command(program, "play", "--quiet", filepath.Join(broken, "visit-"+c.guarantee+".scenario.yaml")).CombinedOutput()
		require.Error(t, err, string(output))
		require.Contains(t, string(output), "guarantee "+c.guarantee)
	}
}
