package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// askReason is why leaving would ask now.
func (s *Session) askReason() AskReason {
	policy := s.form.Leave
	if s.leave == LeaveGone || policy.When == form.LeaveNever {
		return AskNothing
	}
	dirty, edited := s.tally[state.ClassDirty], s.tally[state.ClassDirtyEdited]
	if policy.When == form.LeaveDirtyAndTouched {
		dirty, edited = s.tally[state.ClassDirtyTouched], s.tally[state.ClassDirtyTouchedEdited]
	}
	waiting := int32(len(s.waiting)) // it counts as dirty, touched, and edited since
	dirty, edited = dirty+waiting, edited+waiting
	inFlight := s.activity == ActivitySending || s.activity == ActivityWaiting
	switch {
	case !inFlight && !s.unsettled():
		if dirty > 0 {
			return AskUnsaved
		}
		return AskNothing
	case edited > 0:
		return AskUnsaved
	case policy.AllowInFlight:
		return AskNothing
	case inFlight:
		return AskSending
	default:
		return AskUnsettled
	}
}

func (s *Session) setGuard(on bool) {
	if s.guard != on {
		s.guard = on
		s.emit(Effect{Kind: EffectGuardUnload, On: on})
	}
}

// leaveAsked: at an unload the browser asks in its own words, where the guard
// is on.
func (s *Session) leaveAsked(to string, kind LeaveKind) error {
	reason := s.askReason()
	if kind == LeaveUnload {
		if s.leave == LeavePresent && reason == AskNothing {
			s.leaveTo, s.leaveKind = to, kind
			s.leaveNow()
		}
		return nil
	}
	s.leaveTo, s.leaveKind = to, kind
	if reason == AskNothing {
		s.leaveNow()
		return nil
	}
	s.ask(reason)
	return nil
}

func (s *Session) ask(reason AskReason) {
	s.leave, s.asked = LeaveAsking, reason
	s.emit(Effect{Kind: EffectAsk, Reason: reason, To: s.leaveTo})
}

func (s *Session) leaveNow() {
	s.emit(Effect{Kind: EffectLeave, To: s.leaveTo, LeaveKind: s.leaveKind})
	s.goneTo(s.leaveTo)
}

func (s *Session) leaveDecided(decision LeaveDecision) error {
	if s.leave != LeaveAsking && (s.leave != LeaveDeparting || decision == DecisionSubmit) {
		return ErrNoQuestion
	}
	s.asked = AskNothing
	switch decision {
	case DecisionStay:
		s.leave = LeavePresent
	case DecisionDiscard:
		s.dropWaiting()
		s.leaveNow()
	case DecisionSubmit:
		s.leave = LeaveDeparting
		if s.activity == ActivityIdle {
			s.press(0, true)
		}
	}
	return nil
}

// finishLeaving asks again where the reason has changed, and takes the
// applicant on once what they waited for is there.
func (s *Session) finishLeaving() {
	switch s.leave {
	case LeaveAsking:
		reason := s.askReason()
		if reason == AskNothing {
			s.leaveNow()
		} else if reason != s.asked {
			s.ask(reason)
		}
	case LeaveDeparting:
		if s.activity != ActivityIdle {
			return
		}
		reason := s.askReason()
		switch {
		case !s.accepted:
			s.leave = LeavePresent
		case reason != AskNothing:
			s.ask(reason)
		default:
			s.leaveNow()
		}
	}
}

// goneTo ends the session: nothing is waited for any more, a send in flight is
// left to the server.
func (s *Session) goneTo(to string) {
	s.leave, s.asked, s.leaveTo = LeaveGone, AskNothing, to
	for kind := range s.timers {
		s.disarm(TimerKind(kind))
	}
	if s.load.request != 0 {
		s.emit(Effect{Kind: EffectAbort, Request: s.load.request})
	}
	for k := range s.checks {
		s.giveUpCheck(&s.checks[k])
	}
}

// returned is the page coming back after it was gone.
func (s *Session) returned() error {
	if s.leave != LeaveGone {
		return ErrNotGone
	}
	s.leave = LeavePresent
	inFlight := s.activity == ActivitySending || s.activity == ActivityWaiting
	if s.activity == ActivitySending {
		s.tries[s.currentTry()-1] = state.TryCancelled
	}
	s.activity = ActivityIdle
	s.endAccepted()
	if inFlight {
		s.unsettle(form.Message{ID: form.MessageUnsettled})
	}
	if !s.open() {
		s.mergeDeferred()
		s.thenHeld()
	}
	if s.load.request != 0 {
		s.load.request = 0 // given up when the form was left
		s.startLoad()
	}
	s.restartChecks()
	return nil
}
