package guarantee

import (
	"slices"
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// checkSends judges one-at-a-time, no-invalid-send and same-key-same-values.
func (w *Watch) checkSends(effects []lifecycle.Effect, now facts) {
	for k := range effects {
		f := &effects[k]
		if f.Kind == lifecycle.EffectAbort && f.Request == 0 && f.Attempt == w.attempt && f.Try == w.inFlight {
			w.leaveBehind()
		}
		if f.Kind != lifecycle.EffectSend {
			continue
		}
		if w.inFlight != 0 {
			w.broken(OneAtATime, "", "a try was sent while try "+strconv.Itoa(int(w.inFlight))+" was in flight")
		}
		work := w.work(f)
		if f.Attempt != w.attempt {
			w.checkNewAttempt(f, work, now)
		} else {
			if f.Key != w.key {
				w.broken(SameKeySameValues, "", "a repeat carried another key")
			}
			if w.adopted && !w.samePresent(w.sent, work) {
				w.broken(RepeatsUnchanged, "", "a repeat carried other values than the page before had sent")
			}
			if !w.adopted && w.sent != nil && w.sent.content != work.content {
				w.broken(SameKeySameValues, "", "a repeat carried other values than the try before")
			}
			if w.settled {
				w.broken(SameKeySameValues, "", "an attempt that is settled was sent again")
			}
		}
		if !slices.Contains(w.keys, f.Key) {
			w.keys = append(w.keys, f.Key)
		}
		w.sent, w.key = work, f.Key
		w.inFlight = f.Try
	}
}

// checkNewAttempt checks the beginning of an attempt. The session still has the values
// that were sent, because the step has changed no others.
func (w *Watch) checkNewAttempt(f *lifecycle.Effect, work *sentWork, now facts) {
	declared := w.session.Form()
	if !w.settled {
		w.broken(SameKeySameValues, "", "a new key was used while the previous attempt was not settled")
	}
	if slices.Contains(w.keys, f.Key) || w.attempt > 0 && f.Key == w.key {
		w.broken(SameKeySameValues, "", "a new attempt carried an old key")
	}
	for _, hold := range []struct {
		word string
		on   bool
	}{
		{"invalid", now.invalid > 0},
		{"contested", now.contested > 0},
		{"checking", now.checking > 0},
		{"loading or prefill-missing", w.missing},
		{"unchanged", declared.Submit.HoldUnchanged && now.dirty == 0},
		{"received", w.accepted && declared.Submit.Creates() && !w.resetAt && w.sent != nil && f.Button == w.sent.button && slices.Equal(work.present, w.sent.present) && declared.Accepted.Then != form.ThenAdopt},
	} {
		if hold.on {
			w.broken(NoInvalidSend, "", "an attempt was begun while the hold "+hold.word+" stood")
		}
	}
	if w.owed {
		w.broken(NothingBlanked, "", "an attempt was begun while the saved answers that it needs had not loaded")
	}
	w.attempt, w.settled, w.accepted, w.adopted = f.Attempt, false, false, false
	w.late, w.sentIDs = w.late[:0], w.sentIDs[:0]
	for _, a := range work.present {
		id := -1
		if x, ok := w.session.At(w.onScreen(a.Place)); ok {
			id = x.ID()
		}
		w.sentIDs = append(w.sentIDs, int32(id))
	}
}

// replaces reports whether an event replaces everything that was typed: a reset, a discard, or the
// return of an earlier page's work.
func replaces(e lifecycle.Event) bool {
	return e.Kind == lifecycle.EventReset || e.Kind == lifecycle.EventRestored || e.Kind == lifecycle.EventLeaveDecided && e.Decision == lifecycle.DecisionDiscard
}

// checkEdits judges edits-survive.
func (w *Watch) checkEdits(e lifecycle.Event, o outcomes) {
	s := w.session
	if replaces(e) {
		return
	}
	accepted := o.learnt && o.kind == lifecycle.ReplyAccepted
	for k := range w.then.fields {
		b := &w.then.fields[k]
		f, there := s.ByID(int(b.id))
		if there && f.Underlying() == b.kept {
			continue
		}
		path := s.Form().Path(b.place)
		switch {
		case e.Kind == lifecycle.EventEdit && e.Path == path:
		case e.Kind == lifecycle.EventResolve && (e.Path == path || !there || isRowOf(path, e.Path)):
		case e.Kind == lifecycle.EventRemoveRow && isRowOf(path, e.Path):
		case there && w.waitedFor(path, f):
		case accepted && (w.wasSentAs(b) || b.blank || b.rests && s.Form().Accepted.Then == form.ThenClear):
		default:
			w.broken(EditsSurvive, path, "what was typed ("+b.kept.String()+") was changed by "+e.Kind.String())
		}
	}
}

// checkSince judges edits-survive. It looks at the session's mark of what was edited since, where that
// mark changes: an edit sets it, and only the applicant may clear it.
func (w *Watch) checkSince(e lifecycle.Event) {
	if !w.sinceCounts() || replaces(e) {
		return
	}
	edited, isEdit := w.session.Field(e.Path)
	isEdit = isEdit && e.Kind == lifecycle.EventEdit && !slices.ContainsFunc(w.then.waiting, func(k lifecycle.DraftAnswer) bool { return k.Path == e.Path })
	if isEdit && !edited.EditedSince() {
		w.broken(EditsSurvive, e.Path, "an edit after the newest attempt was not marked as one")
	}
	for _, id := range w.then.since {
		f, there := w.session.ByID(int(id))
		givenUp := there && e.Kind == lifecycle.EventResolve && e.Choice == lifecycle.ChooseTheirs && (f.Path() == e.Path || isRowOf(f.Path(), e.Path))
		if there && !f.EditedSince() && !(isEdit && f.ID() == edited.ID()) && !givenUp {
			w.broken(EditsSurvive, f.Path(), "it was forgotten that it was edited after the newest attempt: "+e.Kind.String())
		}
	}
}

// waitedFor reports whether an answer that the applicant typed on an earlier page has come to its
// row.
func (w *Watch) waitedFor(path string, f lifecycle.FieldState) bool {
	return slices.ContainsFunc(w.then.waiting, func(k lifecycle.DraftAnswer) bool { return k.Path == path && k.Raw == f.Raw() })
}

// isRowOf reports whether a field's path lies below a row or group.
func isRowOf(path, row string) bool {
	return path == row || strings.HasPrefix(path, row+"/") // an item of a list is a row itself
}

// wasSentAs reports whether exactly this value had been sent.
func (w *Watch) wasSentAs(b *fieldBefore) bool {
	if w.adopted {
		return true
	}
	for k, id := range w.sentIDs {
		if id == b.id {
			return w.sent.present[k].Value == b.kept
		}
	}
	return b.kept.Absent()
}

// checkLeaving judges ask-before-loss. The session that is left still has what would be lost.
func (w *Watch) checkLeaving(e lifecycle.Event, effects []lifecycle.Effect) {
	declared := w.session.Form()
	if declared.Leave.When == form.LeaveNever {
		return
	}
	for k := range effects {
		f := &effects[k]
		if f.Kind != lifecycle.EffectLeave && f.Kind != lifecycle.EffectNavigate {
			continue
		}
		if e.Kind == lifecycle.EventLeaveDecided && e.Decision == lifecycle.DecisionDiscard {
			continue
		}
		now := w.read()
		now.leave = lifecycle.LeavePresent
		if reason := w.reason(now); reason != lifecycle.AskNothing {
			w.broken(AskBeforeLoss, "", "the form was left with work that is "+reason.String())
		}
	}
}

// checkWaiting judges waiting-ends.
func (w *Watch) checkWaiting(now facts) {
	if now.leave == lifecycle.LeaveGone {
		if len(w.timers) > 0 {
			w.broken(WaitingEnds, "", "a timer was armed after the form had been left")
		}
		return
	}
	var armed [lifecycle.TimerSecondClick + 1]int
	for _, timer := range w.timers {
		armed[timer.Of]++
	}
	need := func(what string, on bool, kind lifecycle.TimerKind) {
		if on && armed[kind] == 0 {
			w.broken(WaitingEnds, "", what+" has no timer armed")
		}
	}
	need("loading", now.prefill == lifecycle.PrefillLoading, lifecycle.TimerLoad)
	need("sending", now.activity == lifecycle.ActivitySending, lifecycle.TimerSend)
	need("waiting", now.activity == lifecycle.ActivityWaiting, lifecycle.TimerWait)
	if now.checking > armed[lifecycle.TimerCheck]+armed[lifecycle.TimerCheckDelay] {
		w.broken(WaitingEnds, "", "a check has no timer armed")
	}
	if now.activity == lifecycle.ActivityChecking && now.checking == 0 {
		w.broken(WaitingEnds, "", "checking waits for no check")
	}
	if now.activity == lifecycle.ActivitySending && w.inFlight == 0 {
		w.broken(WaitingEnds, "", "sending, and nothing is in flight")
	}
}

// checkAsking judges no-needless-ask. It also judges the other half of ask-before-loss: the guard is
// on whenever something would be lost.
func (w *Watch) checkAsking(effects []lifecycle.Effect, now facts) {
	reason := w.reason(now)
	for k := range effects {
		f := &effects[k]
		if f.Kind == lifecycle.EffectAsk && f.Reason != reason {
			w.broken(NoNeedlessAsk, "", "asked about "+f.Reason.String()+", and the work is "+reason.String())
		}
	}
	if now.guard && reason == lifecycle.AskNothing {
		w.broken(NoNeedlessAsk, "", "the unload guard is on with nothing to lose")
	}
	if !now.guard && reason != lifecycle.AskNothing {
		w.broken(AskBeforeLoss, "", "the unload guard is off, and the work is "+reason.String())
	}
	if now.leave == lifecycle.LeaveAsking && reason == lifecycle.AskNothing {
		w.broken(NoNeedlessAsk, "", "the question stands with nothing to lose")
	}
}

// checkIssues judges fresh-issues.
func (w *Watch) checkIssues(e lifecycle.Event) {
	if e.Kind != lifecycle.EventEdit {
		return
	}
	if f, ok := w.session.Field(e.Path); ok {
		for _, source := range [...]lifecycle.Source{lifecycle.SourceCheck, lifecycle.SourceServer} {
			if f.HasIssueOf(source) {
				w.broken(FreshIssues, e.Path, "an issue of the "+source.String()+" outlived an edit")
			}
		}
	}
	for _, issue := range w.session.FormIssues() {
		if issue.Source == lifecycle.SourceServer {
			w.broken(FreshIssues, "", "a server issue of the whole form outlived an edit")
		}
	}
}

// checkReset judges clean-reset.
func (w *Watch) checkReset(e lifecycle.Event, now facts) {
	if e.Kind != lifecycle.EventReset {
		return
	}
	for f := range w.session.Fields() {
		mark := ""
		switch {
		case (reading{w.session}).dirty(f):
			mark = "dirty"
		case f.Touched():
			mark = "touched"
		case f.EditedSince():
			mark = "edited since"
		case f.Contested():
			mark = "contested"
		case f.Checking():
			mark = "a check"
		}
		if mark != "" {
			w.broken(CleanReset, f.Path(), "still marked after a reset: "+mark)
		}
		for _, source := range [...]lifecycle.Source{lifecycle.SourceCheck, lifecycle.SourceServer} {
			if f.HasIssueOf(source) {
				w.broken(CleanReset, f.Path(), "an issue of the "+source.String()+" outlived a reset")
			}
		}
		if f.HasIssueOf(lifecycle.SourceRule) && f.Shows(lifecycle.SourceRule) {
			w.broken(CleanReset, f.Path(), "an issue is still shown after a reset")
		}
	}
	if len(w.session.FormIssues()) > 0 {
		w.broken(CleanReset, "", "an issue of the form outlived a reset")
	}
	if now.submission > lifecycle.SubmissionUnsettled || now.submission == lifecycle.SubmissionChecking {
		w.broken(CleanReset, "", "the submission still shows "+now.submission.String())
	}
	if r := w.session.Receipt(); r.To != "" || r.Text != "" || len(r.Values) > 0 {
		w.broken(CleanReset, "", "the receipt outlived a reset")
	}
}

// checkEntries judges nothing-swallowed.
func (w *Watch) checkEntries(e lifecycle.Event, o outcomes) {
	treatedAsRefused := o.kind == lifecycle.ReplyRefused || o.kind == lifecycle.ReplyOutdated && !w.session.Form().Prefill.Loads()
	if !o.learnt || !treatedAsRefused {
		return
	}
	shown := map[string]int{}
	count := 0
	collect := func(issues []lifecycle.Issue) {
		for _, issue := range issues {
			if issue.Source == lifecycle.SourceServer && issue.Shown {
				shown[issue.Text]++
				count++
			}
		}
	}
	collect(w.session.FormIssues())
	for f := range w.session.Fields() {
		if (reading{w.session}).asked(f, true) {
			collect(f.Issues())
		}
	}
	for _, entry := range e.Reply.Entries {
		if shown[entry.Text] == 0 {
			w.broken(NothingSwallowed, entry.Path, "an entry of the refusal is not shown: "+entry.Text)
			continue
		}
		shown[entry.Text]--
	}
	if count != max(1, len(e.Reply.Entries)) {
		w.broken(NothingSwallowed, "", "a refusal of "+strconv.Itoa(len(e.Reply.Entries))+" entries shows "+strconv.Itoa(count)+" issues")
	}
}

// checkWayForward judges way-forward as far as one step can tell: a submit that nothing holds does
// something.
func (w *Watch) checkWayForward(e lifecycle.Event, effects []lifecycle.Effect, now facts) {
	if e.Kind != lifecycle.EventSubmit || w.then.facts.activity != lifecycle.ActivityIdle || now.ignored > w.then.facts.ignored {
		return
	}
	for k := range effects {
		f := &effects[k]
		if f.Kind == lifecycle.EffectSend || f.Kind == lifecycle.EffectSay {
			return
		}
	}
	if now.activity != lifecycle.ActivityChecking {
		w.broken(WayForward, "", "a submit sent nothing, waits for nothing and said nothing")
	}
}

// checkSaid judges said-once.
func (w *Watch) checkSaid(e lifecycle.Event, effects []lifecycle.Effect, o outcomes, now facts) {
	var said [1 << 8]int // by form.MessageID
	notices := 0
	blocked := 0
	for k := range effects {
		f := &effects[k]
		if f.Kind != lifecycle.EffectSay {
			continue
		}
		notices++
		for _, id := range [...]form.MessageID{f.Message.ID, f.Message.And} {
			said[id]++
			if id >= form.MessageBlockedLoading && id <= form.MessageBlockedReceived {
				blocked++
			}
		}
	}
	if notices > 1 {
		w.broken(SaidOnce, "", strconv.Itoa(notices)+" notices in one step")
	}
	sent := false
	for k := range effects {
		f := &effects[k]
		sent = sent || f.Kind == lifecycle.EffectSend
	}
	refusedNow := o.learnt && (o.kind == lifecycle.ReplyRefused || o.kind == lifecycle.ReplyOutdated && !w.session.Form().Prefill.Loads())
	once := func(what string, on bool, count int) {
		if on && count != 1 {
			w.broken(SaidOnce, "", what+" was said "+strconv.Itoa(count)+" times")
		}
		if !on && count != 0 {
			w.broken(SaidOnce, "", what+" was said, and did not happen")
		}
	}
	once("accepted", o.learnt && o.kind == lifecycle.ReplyAccepted, said[form.MessageAccepted])
	once("refused", refusedNow, said[form.MessageRefused])
	once("outdated", o.learnt && o.kind == lifecycle.ReplyOutdated && !refusedNow, said[form.MessageOutdated])
	once("denied", o.replied && o.kind == lifecycle.ReplyDenied, said[form.MessageDenied])
	nowUnsettled := o.unsettled || o.waiting && now.activity != lifecycle.ActivityWaiting
	once("unsettled", nowUnsettled, said[form.MessageUnsettled]+said[form.MessageUnsettledWait]+said[form.MessageUnsettledLater]+said[form.MessageUnsettledRestored])
	if sent && !(e.Kind == lifecycle.EventElapsed && o.timer == lifecycle.TimerWait) {
		w.paused = false
	}
	firstPause := o.waiting && now.activity == lifecycle.ActivityWaiting && !w.paused
	once("waiting", firstPause, said[form.MessageWaiting]+said[form.MessageWaitingLater])
	w.paused = w.paused || firstPause
	loadFails := e.Kind == lifecycle.EventLoadFailed || e.Kind == lifecycle.EventElapsed && w.then.facts.prefill == lifecycle.PrefillLoading && now.prefill != lifecycle.PrefillLoading
	once("a failed load", loadFails && !e.Denied, said[form.MessageLoadFailed])
	once("a denied load", loadFails && e.Denied, said[form.MessageLoadDenied])
	pressed := (e.Kind == lifecycle.EventSubmit || e.Kind == lifecycle.EventRetry) && w.then.facts.activity == lifecycle.ActivityIdle && now.ignored == w.then.facts.ignored
	if pressed && !sent && now.activity == lifecycle.ActivityIdle && blocked != 1 {
		w.broken(SaidOnce, "", "blocked was said "+strconv.Itoa(blocked)+" times")
	}
}
