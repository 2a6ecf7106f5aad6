package lifecycle

import "leanwicket.dev/internal/state"

// Visit shows a visitor each part of the session's state, once. Nothing else lists them:
// whoever compares, copies, packs, redacts or fingerprints a session is a visitor.
func (s *Session) Visit(v *state.Visitor) {
	v.ListCells(&s.cells)
	v.ListGroups(&s.groups)
	state.List(v, &v.Rows, &s.rows, (*state.Visitor).VisitRow)
	state.List(v, &v.Checks, &s.checks, (*state.Visitor).VisitCheck)
	state.List(v, &v.Issues, &s.issues, (*state.Visitor).VisitIssue)
	state.List(v, &v.Tries, &s.tries, (*state.Visitor).VisitTry)
	state.List(v, &v.Deferred, &s.deferredValues, (*state.Visitor).VisitAnswer)
	state.List(v, &v.Waiting, &s.waiting, (*state.Visitor).VisitWaiting)
	state.List(v, &v.ReceiptValues, &s.receiptValues, (*state.Visitor).VisitAnswer)
	if v.OnlyLists() {
		return
	}
	for k := range s.tally {
		state.Visit(v, state.Tallies+state.Number(k), &s.tally[k])
	}
	for k := range s.timers {
		state.Visit(v, state.Timers+state.Number(k), &s.timers[k])
	}
	state.Visit(v, state.Prefill, &s.prefill)
	state.Visit(v, state.LoadRequest, &s.load.request)
	v.Fact(state.LoadArrived, &s.load.arrived)
	state.Visit(v, state.LoadNeeds, &s.load.needs)
	v.Fact(state.DeferredPresent, &s.deferred.present)
	v.Fact(state.DeferredAsk, &s.deferred.ask)
	v.Fact(state.DeferredSupplied, &s.deferred.supplied)
	v.Text(state.DeferredVersion, &s.deferred.version)
	v.Text(state.Version, &s.version)
	v.Fact(state.Revealed, &s.revealed)
	state.Visit(v, state.Activity, &s.activity)
	state.Visit(v, state.Pressed, &s.pressed)
	v.Fact(state.Follow, &s.follow)
	state.Visit(v, state.Ignored, &s.ignored)
	s.attempt.visit(v)
	state.Visit(v, state.NewestOutcome, &s.newestOutcome)
	v.Fact(state.Received, &s.received.on)
	v.Fact(state.ReceivedCleared, &s.received.cleared)
	v.Key(state.AdoptedKey, (*[16]byte)(&s.adoptedKey))
	v.Fact(state.ClearNext, &s.clearNext)
	v.Fact(state.ThenDue, &s.thenDue)
	state.Visit(v, state.Leave, &s.leave)
	v.Text(state.LeaveTo, &s.leaveTo)
	state.Visit(v, state.LeaveKind, &s.leaveKind)
	state.Visit(v, state.Asked, &s.asked)
	v.Fact(state.Guard, &s.guard)
	s.notice.visit(v)
	v.Text(state.ReceiptTo, &s.receipt.to)
	v.Text(state.ReceiptVersion, &s.receipt.version)
	v.Text(state.ReceiptText, &s.receipt.text)
	state.Visit(v, state.FocusField, &s.focus.Field)
	state.Visit(v, state.FocusRow, &s.focus.Row)
	state.Visit(v, state.Changes, &s.changes)
	state.Visit(v, state.NextRequest, &s.nextRequest)
	state.Visit(v, state.NextTimer, &s.nextTimer)
	state.Visit(v, state.Applied, &s.applied)
}

func (a *attempt) visit(v *state.Visitor) {
	state.Visit(v, state.AttemptNumber, &a.number)
	v.Key(state.AttemptKey, (*[16]byte)(&a.key))
	state.Visit(v, state.AttemptButton, &a.button)
	v.Text(state.AttemptVersion, &a.version)
	state.Visit(v, state.AttemptOutcome, &a.outcome)
	v.Fact(state.AttemptUnsure, &a.unsure)
	state.Visit(v, state.AttemptRepeats, &a.repeats)
	v.Fact(state.AttemptWaited, &a.waited)
	v.Fact(state.AttemptAdopted, &a.adopted)
}

func (n *notice) visit(v *state.Visitor) {
	state.Visit(v, state.Notice, &n.message.ID)
	state.Visit(v, state.NoticeCount, &n.message.Count)
	state.Visit(v, state.NoticeWait, &n.message.Wait)
	v.Text(state.NoticeWords, &n.message.Words)
	state.Visit(v, state.NoticeAnd, &n.message.And)
	state.Visit(v, state.NoticeAndCount, &n.message.AndCount)
	state.Visit(v, state.NoticeLevel, &n.level)
	state.Visit(v, state.NoticeTimes, &n.count)
}

// CopyFrom makes s the same session as t, and reuses what s has allocated. What belongs to
// the newest step is not copied.
func (s *Session) CopyFrom(t *Session) {
	v := s.compares()
	v.GatherLists(t)
	v.CopyLists(s)
	s.form, s.seed, s.scalars = t.form, t.seed, t.scalars
	s.effects, s.answers = s.effects[:0], s.answers[:0]
	s.clearChanged()
}

// Same reports whether two sessions of one form have the same state: all but
// what belongs to the newest step.
func (s *Session) Same(t *Session) bool {
	if s.scalars != t.scalars {
		return false
	}
	v := s.compares()
	v.GatherLists(t)
	return v.SameLists(s)
}

// compares is the visitor with which the session is compared and copied, made once.
func (s *Session) compares() *state.Visitor {
	if s.visitor == nil {
		s.visitor = &state.Visitor{}
	}
	return s.visitor
}
