package lifecycle

import (
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// An attempt that was sent and of which nothing is known is unsettled: it may
// or may not have been applied. It is settled, with the same key and the same
// values, before anything newer is sent. So one application is never applied
// twice, and a lost reply never loses a newer edit.

// unsettle ends the wait for an attempt without an outcome.
func (s *Session) unsettle(m form.Message) {
	s.activity = ActivityIdle
	s.follow = false
	if m.ID == form.MessageUnsettled {
		s.attempt.unsure = true
	}
	if s.load.needs&needRestored != 0 {
		s.mergeDeferred() // what had not loaded yet is no blank that somebody wants
	}
	s.say(m, Assertive)
}

func (s *Session) sendTimedOut() {
	s.tries[s.currentTry()-1] = state.TryTimedOut
	s.unsettle(form.Message{ID: form.MessageUnsettled})
}

// retry sends an unsettled attempt again, or submits again after a denial.
func (s *Session) retry() error {
	switch {
	case s.activity != ActivityIdle:
		return ErrNoRetry
	case s.unsettled():
		s.startRepeat(false)
	case s.newestOutcome == OutcomeDenied:
		s.press(s.attempt.button, false)
	default:
		return ErrNoRetry
	}
	return nil
}

// settleFirst takes a submit over an unsettled attempt. The old attempt is sent again, and the newer
// answers follow it where they may.
func (s *Session) settleFirst(button int32) {
	s.startRepeat(!s.sameAsSent(button))
}

// startRepeat sends the attempt again at the applicant's wish.
func (s *Session) startRepeat(follow bool) {
	s.follow = follow
	s.attempt.repeats, s.attempt.waited = 0, false
	s.again()
}

// pause waits before an automatic repeat, if there may be one more.
func (s *Session) pause(retryAfter time.Duration) {
	policy := &s.form.Submit
	wait := max(policy.ResendWait, retryAfter)
	if int(s.attempt.repeats) >= policy.ResendTimes || wait > policy.ResendLongest {
		s.unsettle(form.UnsettledUntil(wait))
		return
	}
	s.attempt.repeats++
	s.activity = ActivityWaiting
	s.arm(TimerWait, wait)
	if !s.attempt.waited {
		s.attempt.waited = true
		s.say(form.Waiting(wait), Polite)
	}
}

// replied takes what a try brought. Of a try that timed out or was cancelled
// only an acceptance still counts, and then to any try.
func (s *Session) replied(e *Event) error {
	a := &s.attempt
	if e.Attempt < 1 || e.Attempt > a.number {
		return &UnknownError{"attempt", ""}
	}
	if e.Attempt != a.number || a.outcome != OutcomeOpen {
		return ErrStale
	}
	if e.Try < 1 || e.Try > s.currentTry() || e.Reply == nil {
		return &UnknownError{"try", ""}
	}
	try := &s.tries[e.Try-1]
	switch {
	case *try == state.TryInFlight:
		s.disarm(TimerSend)
	case e.Reply.Kind != ReplyAccepted || *try == state.TryReplied:
		return ErrStale
	default:
		s.overtake()
	}
	*try = state.TryReplied
	if s.activity == ActivitySending {
		s.activity = ActivityIdle
	}
	s.settle(e.Reply)
	return nil
}

// overtake stops the tries and pauses that were to learn the outcome, because a late acceptance has
// told it.
func (s *Session) overtake() {
	switch s.activity {
	case ActivitySending:
		s.tries[s.currentTry()-1] = state.TryCancelled
		s.emit(Effect{Kind: EffectAbort, Attempt: s.attempt.number, Try: s.currentTry()})
		s.disarm(TimerSend)
	case ActivityWaiting:
		s.disarm(TimerWait)
	case ActivityChecking:
		// The submit over the unsettled attempt goes on only with something newer
		// to send, and only where that replaces what was accepted.
		s.follow = true
	}
}

func (s *Session) settle(r *Reply) {
	switch r.Kind {
	case ReplyAccepted:
		s.settleAccepted(r)
	case ReplyRefused:
		s.settleRefused(r)
	case ReplyOutdated:
		s.settleOutdated(r)
	case ReplyDenied:
		s.settleDenied(r)
	case ReplyUnderway, ReplyUnavailable:
		s.pause(r.RetryAfter)
	default:
		m := form.Message{ID: form.MessageUnsettled}
		if r.SignedOut {
			m.And = form.MessageSignedOut
		}
		s.unsettle(m)
	}
}

// settleRefused places what the server has said.
func (s *Session) settleRefused(r *Reply) {
	s.attempt.outcome, s.newestOutcome = OutcomeRefused, OutcomeRefused
	s.mergeDeferred()
	s.dropIssues(func(x *state.Issue) bool { return Source(x.Source) == SourceServer })
	for _, entry := range r.Entries {
		s.addIssue(s.refusalOf(entry))
	}
	if len(r.Entries) == 0 {
		text := r.Text
		if text == "" {
			text = s.form.Text(form.Message{ID: form.MessageIssueUntold})
		}
		s.addIssue(state.Issue{Cell: -1, From: -1, Source: uint8(SourceServer), Text: text})
	}
	s.say(form.Message{ID: form.MessageRefused, Count: int32(max(1, len(r.Entries))), Words: r.Text}, Assertive)
	if s.follow {
		s.followUp()
		return
	}
	s.focusOn(s.firstServerIssue())
}

// refusalOf places an entry of a refusal: row numbers mean the rows as sent. What is
// not there any more, or not asked, concerns the whole form; an issue of a row that
// has not come yet waits at the form for the row.
func (s *Session) refusalOf(entry Entry) state.Issue {
	i := s.sentPlace(entry.Path)
	x := state.Issue{Cell: i, From: -1, Source: uint8(SourceServer), Code: entry.Code, Text: entry.Text}
	if i >= 0 && !s.cells[i].Bits.Counts() {
		x.Cell = -1
		if s.attempt.adopted && !s.has(i, state.BitLive) {
			x.From = i
		}
	}
	return x
}

// landIssues gives the issues that have waited at the form to the rows that have come.
func (s *Session) landIssues() {
	for k := range s.issues {
		if x := &s.issues[k]; Source(x.Source) == SourceServer && x.From >= 0 && s.cells[x.From].Bits.Counts() {
			x.Cell, x.From = x.From, -1
			s.markIssue(x)
			s.noteChanged(x.Cell)
		}
	}
}

// sentPlace finds the cell that a path names among the rows as sent, or -1. A
// path of a row stands for its group.
func (s *Session) sentPlace(path string) int32 {
	p, ok := s.form.Lookup(path)
	if !ok {
		return -1
	}
	group := s.form.GroupOf(p.Field)
	if group < 0 {
		return int32(p.Field)
	}
	sent := s.groups[s.form.GroupIndex(group)].Sent
	if int(p.Row) >= len(sent) {
		return -1
	}
	return s.rows[sent[p.Row]].First + s.form.Offset(p.Field)
}

func (s *Session) firstServerIssue() form.Place {
	for i := range s.inOrder() {
		if s.has(i, state.BitServerIssue) {
			p, _ := s.where(i)
			return p
		}
	}
	return WholeForm
}

// settleOutdated loads the newest answers; the applicant then chooses where
// they meet an edit. A form that loads nothing takes it as a refusal.
func (s *Session) settleOutdated(r *Reply) {
	s.changes++
	s.follow = false
	if !s.form.Prefill.Loads() {
		s.version = "" // no load brings a newer one: to send again is the applicant's decision
		s.settleRefused(r)
		return
	}
	s.attempt.outcome, s.newestOutcome = OutcomeOutdated, OutcomeOutdated
	s.dropDeferred() // the newest values are asked about, and these with them
	s.load.needs |= needOutdated
	s.startLoad()
	s.say(form.Message{ID: form.MessageOutdated}, Assertive)
}

// settleDenied settles a denial. The denial of a first try says that nothing was applied. The denial of
// a later try says nothing about the tries before it.
func (s *Session) settleDenied(r *Reply) {
	s.follow = false
	m := form.Message{ID: form.MessageDenied, Words: r.Text}
	if s.currentTry() > 1 || s.attempt.adopted {
		m.And = form.MessageUnsettled
		s.unsettle(m)
		return
	}
	s.attempt.outcome, s.newestOutcome = OutcomeDenied, OutcomeDenied
	s.mergeDeferred()
	s.say(m, Assertive)
}

// followUp sends the newer answers after the older attempt has been settled.
func (s *Session) followUp() {
	s.follow = false
	s.thenDue = s.attempt.outcome == OutcomeAccepted
	if holds := s.holds(s.pressed) &^ Holds(HoldChecking); holds != 0 {
		s.block(holds, true)
		return
	}
	if len(s.checks) > 0 {
		s.activity = ActivityChecking
		s.sendDelayedChecks()
		return
	}
	if s.newestOutcome == OutcomeRefused {
		s.say(form.Message{ID: form.MessageFollowing}, Polite)
	}
	s.begin(s.pressed)
}
