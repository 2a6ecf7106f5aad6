package lifecycle

import "leanwicket.dev/form"

// Standing is where the three parts of a session are that a reader sees.
type Standing struct {
	Prefill    Prefill
	Submission Submission
	Leave      Leave
}

// Standing is where the session is now.
func (s *Session) Standing() Standing { return Standing{s.prefill, s.Submission(), s.leave} }

// Part is a part of a session's state that has transitions.
type Part uint8

// The parts.
const (
	PartPrefill Part = iota
	PartSubmission
	PartLeave
)

var partWords = [...]string{"prefill", "submission", "leave"}

func (p Part) String() string { return form.Word(partWords[:], p) }

// Transition is one arrow in the chart of the lifecycle: a part goes from one
// state to another by an event. A submit that leaves the submission where it was
// is one as well: it was blocked, or it was a second click.
type Transition struct {
	Part     Part
	From, To uint8
	By       EventKind
	With     uint8 // what the event brings: a ReplyKind, a TimerKind, a LeaveKind or a LeaveDecision
}

// AppendTransitions lists the arrows that one step has taken. of is the kind of
// the timer that ran out.
func AppendTransitions(to []Transition, before, after Standing, e Event, of TimerKind) []Transition {
	with := uint8(0)
	switch e.Kind {
	case EventReplied:
		with = uint8(e.Reply.Kind)
	case EventElapsed:
		with = uint8(of)
	case EventLeaveAsked:
		with = uint8(e.LeaveKind)
	case EventLeaveDecided:
		with = uint8(e.Decision)
	}
	add := func(part Part, from, now uint8) {
		if from != now || part == PartSubmission && e.Kind == EventSubmit {
			to = append(to, Transition{part, from, now, e.Kind, with})
		}
	}
	add(PartPrefill, uint8(before.Prefill), uint8(after.Prefill))
	add(PartSubmission, uint8(before.Submission), uint8(after.Submission))
	add(PartLeave, uint8(before.Leave), uint8(after.Leave))
	return to
}

// TimerOf is what an armed timer bounds.
func (s *Session) TimerOf(t TimerID) (TimerKind, bool) {
	for kind, armed := range s.timers {
		if armed == t {
			return TimerKind(kind), true
		}
	}
	for k := range s.checks {
		if TimerID(s.checks[k].Timer) == t && s.checks[k].Request == 0 {
			return TimerCheckDelay, true
		} else if TimerID(s.checks[k].Timer) == t {
			return TimerCheck, true
		}
	}
	return 0, false
}

// State is a state of the part, in words.
func (p Part) State(state uint8) string {
	switch p {
	case PartPrefill:
		return Prefill(state).String()
	case PartSubmission:
		return Submission(state).String()
	default:
		return Leave(state).String()
	}
}

// Cause is the event, in words.
func (t Transition) Cause() string {
	switch t.By {
	case EventReplied:
		return "reply " + ReplyKind(t.With).String()
	case EventElapsed:
		return TimerKind(t.With).String() + " timer"
	case EventLeaveAsked:
		return "leave " + LeaveKind(t.With).String()
	case EventLeaveDecided:
		return "answer " + LeaveDecision(t.With).String()
	default:
		return t.By.String()
	}
}

func (t Transition) String() string {
	text := t.Part.String() + " " + t.Part.State(t.From)
	switch {
	case t.From != t.To:
	case Submission(t.From) == SubmissionChecking, Submission(t.From) == SubmissionSending, Submission(t.From) == SubmissionWaiting:
		return text + ", a second click"
	default:
		return text + ", a submit that is held or ignored"
	}
	return text + " → " + t.Part.State(t.To) + ", by " + t.Cause()
}

// Compare orders transitions by part, state and event.
func (t Transition) Compare(u Transition) int {
	for _, d := range [...]int{
		int(t.Part) - int(u.Part), int(t.From) - int(u.From), int(t.To) - int(u.To), int(t.By) - int(u.By), int(t.With) - int(u.With),
	} {
		if d != 0 {
			return d
		}
	}
	return 0
}
