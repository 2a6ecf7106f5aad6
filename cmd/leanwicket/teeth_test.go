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
	"01": {{"lifecycle/merge.go", "m.spareDirty && (c.value != c.baseline || ", "m.spareDirty && ("}},
	"02": {{"lifecycle/submission.go", "	add(HoldPrefillMissing, needed && !onItsWay)\n", ""}},
	"03": {{"lifecycle/issues.go", "		return s.has(i, bitTouched)\n", "		return true\n"}},
	"04": {{"lifecycle/submission.go", "	s.reveal()\n	if first", "	if first"}},
	"05": {{"lifecycle/submission.go", "s.activity != ActivityIdle || !fromLeave && s.justAccepted(button)", "!fromLeave && s.justAccepted(button)"}},
	"06": {{"lifecycle/settling.go", "	i := s.sentPlace(entry.Path)\n	x :=", "	i := int32(-1)\n	x :="}},
	"07": {{"lifecycle/settling.go", "		s.startRepeat(false)\n", "		s.begin(s.attempt.button)\n"}},
	"08": {{"lifecycle/accepting.go", "	s.toDefaults()\n", ""}},
	"09": {{"lifecycle/leaving.go", "	s.ask(reason)\n	return nil", "	s.leaveNow()\n	return nil"}},
	"10": {{"lifecycle/leaving.go", "		if dirty > 0 {", "		if dirty >= 0 {"}},
	"11": {{"lifecycle/settling.go", "	s.attempt.outcome, s.standing = OutcomeDenied, OutcomeDenied\n", ""}},
	"12": {{"lifecycle/submission.go", "	s.conceal()\n	s.dropWaiting()\n", "	s.dropWaiting()\n"}},
	"13": {{"lifecycle/settling.go", "	sent := s.groups[s.form.GroupIndex(group)].sent\n", "	sent := s.groups[s.form.GroupIndex(group)].now\n"}},
	"14": {{"form/constraints.go", "CodeRangeOverflow, int64(count) > constraint.Value.Integer()", "CodeRangeOverflow, false"}},
	"15": {{"lifecycle/fields.go", "	if c.bits&askedBit[of] == 0 {\n		return form.Value{}\n	}\n", ""}},
	"16": {{"lifecycle/fields.go", "	s.dropCheck(i)\n	s.revise(i)", "	s.revise(i)"}, {"lifecycle/checks.go", "	s.dropCheck(i)\n	s.checks = append", "	s.checks = append"}},
	"17": {{"lifecycle/session.go", "s.activity == ActivityChecking && len(s.checks) == 0", "s.activity == ActivityChecking && false"}},
	"18": {{"lifecycle/checks.go", "	s.emit(Effect{Kind: EffectAbort, Request: c.request})\n	s.endCheck(k)\n", "	s.emit(Effect{Kind: EffectAbort, Request: c.request})\n"}},
	"19": {{"lifecycle/submission.go", "		s.settleFirst(s.pressed)\n		return\n", ""}},
	"20": {{"lifecycle/accepting.go", "newer := s.follow && ", "newer := false && "}},
	"21": {{"lifecycle/settling.go", "	case e.Reply.Kind != ReplyAccepted || *state == tryReplied:", "	case true:"}},
	"22": {{"lifecycle/settling.go", "		wait = retryAfter\n", ""}},
	"23": {{"lifecycle/settling.go", "	s.load.needs |= needOutdated\n", ""}},
	"24": {{"lifecycle/settling.go", "	if s.currentTry() > 1 || s.attempt.adopted {", "	if s.attempt.adopted {"}},
	"25": {{"lifecycle/accepting.go", "		s.adopt(r.Values)\n", ""}},
	"26": {{"lifecycle/accepting.go", "		s.emit(Effect{Kind: EffectNavigate, To: to})\n", ""}},
	"27": {{"lifecycle/merge.go", " || m.spareEdited && c.bits&bitEdited != 0\n}", "\n}"}},
	"28": {{"lifecycle/loading.go", "	if s.open() && !(restored", "	if false && !(restored"}},
	"29": {{"lifecycle/restoring.go", "		s.load.needs |= needRestored\n", ""}},
	"30": {{"lifecycle/leaving.go", "		s.unsettle(form.Message{ID: form.MessageUnsettled})\n", ""}},
	"31": {{"lifecycle/submission.go", "	add(HoldUnchanged, s.form.Submit.HoldUnchanged && s.dirty() == 0)\n", ""}},
	"32": {{"lifecycle/submission.go", "	add(HoldReceived, s.holdsReceived(button))\n", ""}},
	"34": {{"lifecycle/contest.go", "		s.takeBaseRows(group)\n", ""}},
	"35": {{"form/constraints.go", "MessageGreaterThan, CodeCustomError, order <= 0", "MessageGreaterThan, CodeCustomError, false"}},
	"37": {{"lifecycle/fields.go", "		if !s.has(int32(group), askedBit[of]) {\n", "		if false && !s.has(int32(group), askedBit[of]) {\n"}},
	"38": {{"lifecycle/fields.go", "		s.change(i, 0, bitDirty|bitContested, rules)\n", "		s.change(i, 0, bitDirty, rules)\n"}, {"lifecycle/merge.go", "		case s.isAsSaved(i), c.bits&(bitAsked|bitDirty)", "		case false, c.bits&(bitAsked|bitDirty)"}},
	"39": {{"lifecycle/settling.go", "		s.sendDelayedChecks()\n		return\n	}\n	if s.standing", "		return\n	}\n	if s.standing"}},
	"40": {{"lifecycle/submission.go", "		s.mergeKept() // what has come is saved", "		// what has come is saved"}},
	"44": {{"lifecycle/leaving.go", "	s.restartChecks()\n", ""}},
	"43": {{"lifecycle/issues.go", "		dropped = true\n", ""}},
	"42": {{"lifecycle/leaving.go", "		case !s.accepted:\n			s.leave = LeavePresent\n", ""}},
	"41": {{"lifecycle/settling.go", "	s.focusOn(s.firstServerIssue())\n", ""}},
	"36": {{"lifecycle/restoring.go", "	s.setRows(group, made[:kept.Now])\n", ""}},
	"33": {{"lifecycle/submission.go", "		s.disarm(TimerSend)\n		s.unsettle(form.Message{ID: form.MessageUnsettled})\n", "		s.disarm(TimerSend)\n"}},
	"45": {{"lifecycle/restoring.go", "		s.waiting = append(s.waiting, waitingAnswer{*v, p})\n", ""}},
	"46": {{"lifecycle/restoring.go", "	s.setRowList(group, inSent, list(kept.Sent))\n", ""}},
	"47": {{"lifecycle/restoring.go", "	if kept.Contested {\n		marks |= bitContested\n	}\n", ""}},
	"48": {{"lifecycle/checks.go", "r >= 0 && p.Row == c.row && ", "r >= 0 && false && "}},
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
	replaced := map[string]string{}
	for _, change := range changes {
		path := sourceOf(t, change[0])
		source, err := os.ReadFile(path)
		require.NoError(t, err)
		require.Equal(t, 1, strings.Count(string(source), change[1]), "%s: the lines are not (only) in %s:\n%s", name, change[0], change[1])
		replaced[path] = filepath.Join(dir, name+filepath.Base(change[0]))
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
