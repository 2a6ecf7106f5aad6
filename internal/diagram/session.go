package diagram

import (
	"cmp"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/trace"
)

// lane is one row of the timeline. It has spans and marks over time.
type lane struct {
	name  string
	spans []span
	marks []mark
}

// span is a stretch of time.
type span struct {
	from, to time.Duration
	open     bool // still going on
	look     look
	label    string // at its beginning
}

// mark is a moment.
type mark struct {
	at    time.Duration
	shape markShape
	color Color
	label string
}

type markShape uint8

const (
	dot markShape = iota
	cross
	diamond
)

// look is how a span is drawn. Each look differs from the others in shape as well as in color.
type look uint8

const (
	lookClean look = iota
	lookDirty
	lookContested
	lookIssue
	lookFlight // on its way
	lookPause
	lookUnsettled
	lookAsking
	lookChecking
)

// session is what a replay has shown.
type session struct {
	form    *form.Form
	session *lifecycle.Session
	now     time.Duration
	ignored int

	applicant, load, leave, said *lane
	whole                        lane // what is wrong with the form as a whole
	wrong                        string
	fields                       map[form.Place]*fieldLanes
	order                        []*fieldLanes
	attempts                     []*lane
	checks                       map[lifecycle.RequestID]*lane
	checkLanes                   []*lane
	timers                       map[lifecycle.TimerID]lifecycle.TimerKind
	private                      bool
}

// replayed replays a record and takes down what a timeline shows.
func replayed(f *form.Form, record *trace.Record) (*session, *trace.Difference, error) {
	s := &session{
		form: f, applicant: &lane{name: "applicant"}, whole: lane{name: "the form"}, load: &lane{name: "load"}, leave: &lane{name: "leave"}, said: &lane{name: "said"},
		fields: map[form.Place]*fieldLanes{}, checks: map[lifecycle.RequestID]*lane{}, timers: map[lifecycle.TimerID]lifecycle.TimerKind{},
	}
	difference, err := trace.Replay(f, record, trace.Observer{
		Opened: func(opened *lifecycle.Session, effects []lifecycle.Effect) {
			s.session = opened
			s.effects(effects)
			s.look()
		},
		After: s.step,
	})
	s.end()
	return s, difference, err
}

func (s *session) step(at time.Duration, step lifecycle.Step) {
	s.now = at
	if step.Event.Kind.FromApplicant() {
		s.byApplicant(step.Event, step.Err)
	}
	if step.Err != nil {
		s.stale(step.Event)
		return
	}
	s.answered(step.Event)
	s.effects(step.Effects)
	s.busyWith()
	s.left()
	s.look()
}

// byApplicant marks what the applicant did. An edit shows in its field.
func (s *session) byApplicant(e lifecycle.Event, outcome error) {
	label := ""
	switch e.Kind {
	case lifecycle.EventEdit, lifecycle.EventBlur:
		if f := s.field(e.Path); f != nil {
			f.touched = true
		}
		if outcome != nil {
			label = e.Kind.String() + " " + e.Path
		}
	case lifecycle.EventSubmit:
		label = "submit " + cmp.Or(e.Button, s.form.Buttons[0])
	case lifecycle.EventLeaveAsked:
		label = "leave to " + e.To
		if e.LeaveKind == lifecycle.LeaveUnload {
			label = "reload or close"
		}
	case lifecycle.EventLeaveDecided:
		label = e.Decision.String()
	case lifecycle.EventResolve:
		label = "resolve " + e.Path + ": " + e.Choice.String()
	case lifecycle.EventMoveRow:
		label = "move " + e.Path + " to " + e.To
	default:
		label = strings.TrimSpace(e.Kind.String() + " " + e.Path)
	}
	m := mark{at: s.now, shape: dot, color: Ink, label: strings.TrimSpace(label)}
	switch {
	case outcome != nil:
		m.shape, m.color, m.label = cross, Bad, m.label+", turned away"
	case s.session.Ignored() > s.ignored:
		m.shape, m.color, m.label = cross, Line, m.label+", ignored"
	}
	s.ignored = s.session.Ignored()
	s.applicant.marks = append(s.applicant.marks, m)
}

func (s *session) stale(e lifecycle.Event) {
	if l := s.laneOf(e); l != nil && !e.Kind.FromApplicant() && e.Kind != lifecycle.EventElapsed {
		l.marks = append(l.marks, mark{s.now, cross, Line, "stale"})
	}
}

// laneOf is where the answer to a request shows.
func (s *session) laneOf(e lifecycle.Event) *lane {
	switch e.Kind {
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed, lifecycle.EventSupplied:
		return s.load
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		return s.checks[e.Request]
	case lifecycle.EventReplied:
		if n := int(e.Attempt); n >= 1 && n <= len(s.attempts) {
			return s.attempts[n-1]
		}
	}
	return nil
}

// answered ends the span of what an event answers.
func (s *session) answered(e lifecycle.Event) {
	l := s.laneOf(e)
	switch e.Kind {
	case lifecycle.EventLoaded:
		l.close(s.now, diamond, Calm, "arrives")
	case lifecycle.EventSupplied:
		l.close(s.now, diamond, Calm, "supplied")
	case lifecycle.EventLoadFailed:
		l.close(s.now, cross, Bad, "fails")
	case lifecycle.EventChecked:
		if len(e.Issues) > 0 {
			l.close(s.now, diamond, Bad, "refused")
		} else {
			l.close(s.now, diamond, Good, "passed")
		}
	case lifecycle.EventCheckFailed:
		l.close(s.now, cross, Line, "fails")
	case lifecycle.EventReplied:
		color := map[lifecycle.ReplyKind]Color{lifecycle.ReplyAccepted: Good, lifecycle.ReplyRefused: Bad, lifecycle.ReplyDenied: Bad, lifecycle.ReplyOutdated: Bad}[e.Reply.Kind]
		if color == None {
			color = Unsure
		}
		l.close(s.now, diamond, color, "try "+strconv.Itoa(int(e.Try))+" "+e.Reply.Kind.String())
	case lifecycle.EventElapsed:
		switch s.timers[e.Timer] {
		case lifecycle.TimerLoad:
			s.load.close(s.now, cross, Bad, "timed out")
		case lifecycle.TimerSend:
			s.attempt().close(s.now, cross, Unsure, "timed out")
		}
	}
}

func (s *session) attempt() *lane {
	if len(s.attempts) == 0 { // of an earlier page
		s.attempts = append(s.attempts, &lane{name: "attempt 1"})
	}
	return s.attempts[len(s.attempts)-1]
}

func (s *session) effects(effects []lifecycle.Effect) {
	for k := range effects {
		e := &effects[k]
		switch e.Kind {
		case lifecycle.EffectLoad:
			s.load.open(s.now, lookFlight, "")
		case lifecycle.EffectCheck:
			s.startCheck(e)
		case lifecycle.EffectSend:
			for int(e.Attempt) > len(s.attempts) {
				s.attempts = append(s.attempts, &lane{name: "attempt " + strconv.Itoa(len(s.attempts)+1)})
			}
			l := s.attempts[e.Attempt-1]
			l.close(s.now, dot, None, "")
			l.open(s.now, lookFlight, "try "+strconv.Itoa(int(e.Try))+" with "+e.Button)
		case lifecycle.EffectAbort:
			switch l := s.checks[e.Request]; {
			case e.Request == 0:
				s.attempt().close(s.now, cross, Unsure, "given up")
			case l != nil:
				l.close(s.now, cross, Line, "given up")
			default:
				s.load.close(s.now, cross, Line, "given up")
			}
		case lifecycle.EffectArm:
			s.timers[e.Timer] = e.Of
		case lifecycle.EffectSay:
			color := Ink
			if e.Level == lifecycle.Assertive {
				color = Bad
			}
			s.said.marks = append(s.said.marks, mark{s.now, dot, color, s.form.Text(e.Message)})
		case lifecycle.EffectNavigate:
			s.leave.marks = append(s.leave.marks, mark{s.now, diamond, Good, "on to " + e.To})
		case lifecycle.EffectLeave:
			s.leave.marks = append(s.leave.marks, mark{s.now, diamond, Ink, strings.TrimSpace("gone " + e.To)})
		}
	}
}

func (s *session) startCheck(e *lifecycle.Effect) {
	path := s.form.Path(e.Place)
	var l *lane
	for _, known := range s.checkLanes {
		if known.name == "check "+path {
			l = known
		}
	}
	if l == nil {
		l = &lane{name: "check " + path}
		s.checkLanes = append(s.checkLanes, l)
	}
	s.checks[e.Request] = l
	l.open(s.now, lookChecking, "")
}

// busyWith shows the newest attempt's pauses, and that it is unsettled.
func (s *session) busyWith() {
	want := lookFlight
	switch s.session.Submission() {
	case lifecycle.SubmissionWaiting:
		want = lookPause
	case lifecycle.SubmissionUnsettled:
		want = lookUnsettled
	}
	if want == lookFlight {
		if s.session.Activity() != lifecycle.ActivitySending && len(s.attempts) > 0 {
			s.attempt().close(s.now, dot, None, "")
		}
		return
	}
	l := s.attempt()
	if last := l.last(); last != nil && last.open && last.look == want {
		return
	}
	l.close(s.now, dot, None, "")
	l.open(s.now, want, map[look]string{lookPause: "waits", lookUnsettled: "unsettled"}[want])
}

// left shows the question at leaving.
func (s *session) left() {
	label := ""
	switch s.session.Leaving() {
	case lifecycle.LeaveAsking:
		reason, _ := s.session.Asking()
		label = "asks: " + reason.String()
	case lifecycle.LeaveDeparting:
		label = "departing"
	}
	last := s.leave.last()
	if last != nil && last.open && last.label == label {
		return
	}
	s.leave.close(s.now, dot, None, "")
	if label != "" {
		s.leave.open(s.now, lookAsking, label)
	}
}

// end closes nothing, but lets what goes on reach the end of the picture.
func (s *session) end() {
	for _, l := range s.lanes() {
		for k := range l.spans {
			if l.spans[k].open {
				l.spans[k].to = s.now
			}
		}
	}
}

// lanes are those that have something to show, in their order.
func (s *session) lanes() []*lane {
	all := []*lane{s.applicant}
	for _, f := range s.order {
		if f.touched {
			all = append(all, &f.value)
			if len(f.issues.spans) > 0 {
				all = append(all, &f.issues)
			}
		}
	}
	all = append(all, &s.whole, s.load)
	all = append(all, s.checkLanes...)
	all = append(all, s.attempts...)
	all = append(all, s.leave, s.said)
	var shown []*lane
	for _, l := range all {
		if len(l.spans)+len(l.marks) > 0 {
			shown = append(shown, l)
		}
	}
	return shown
}

func (l *lane) last() *span {
	if len(l.spans) == 0 {
		return nil
	}
	return &l.spans[len(l.spans)-1]
}

func (l *lane) open(at time.Duration, how look, label string) {
	l.spans = append(l.spans, span{from: at, to: at, open: true, look: how, label: label})
}

// close ends the span that is going on, with a mark where it has a color.
func (l *lane) close(at time.Duration, shape markShape, c Color, label string) {
	if last := l.last(); last != nil && last.open {
		last.to, last.open = at, false
	}
	if c != None {
		l.marks = append(l.marks, mark{at, shape, c, label})
	}
}
