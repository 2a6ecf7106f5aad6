package scenario

import (
	"encoding/json"
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// Step is one thing that happened in a session, and what the form then shows.
// A part that has not changed is empty.
type Step struct {
	At      time.Duration `json:"-"`
	Ms      int64         `json:"at"` // At, in milliseconds
	Who     string        `json:"who"`
	What    string        `json:"what"`
	Outcome string        `json:"outcome"` // taken, ignored, turned away, stale, unknown
	Reason  string        `json:"reason,omitempty"`

	Values      []ValueChange `json:"values,omitempty"`
	Issues      []IssueChange `json:"issues,omitempty"`
	Prefill     string        `json:"prefill,omitempty"`
	Submission  string        `json:"submission,omitempty"`
	Leave       string        `json:"leave,omitempty"`
	Holds       []string      `json:"holds,omitzero"` // nil means as before; empty means that nothing holds the submit any more
	UnloadGuard *bool         `json:"unloadGuard,omitempty"`
	Sent        *Sent         `json:"sent,omitempty"`
	Asks        string        `json:"asks,omitempty"`
	Destination string        `json:"destination,omitempty"`
	Focus       string        `json:"focus,omitempty"`
	Said        string        `json:"said,omitempty"`
}

// ValueChange is a field that shows another value than before.
type ValueChange struct {
	Path      string `json:"path"`
	Value     string `json:"value"`
	Contested bool   `json:"contested,omitempty"`
}

// IssueChange is an issue that is shown now and was not before, or the reverse.
type IssueChange struct {
	Path string `json:"path"`
	Code string `json:"code"`
	Text string `json:"text"`
	Gone bool   `json:"gone,omitempty"`
}

// Sent is one try.
type Sent struct {
	Attempt int             `json:"attempt"`
	Try     int             `json:"try"`
	Button  string          `json:"button"`
	Version string          `json:"version,omitempty"`
	Body    json.RawMessage `json:"body"`
}

// recorder writes down what a form shows, step by step.
type recorder struct {
	play   *play
	was    shows
	timers map[lifecycle.TimerID]lifecycle.TimerKind
	what   map[lifecycle.RequestID]string
}

// shows is what a form shows at one moment.
type shows struct {
	values                     map[string]ValueChange
	order                      []string
	issues                     []IssueChange
	prefill, submission, leave string
	holds                      []string
}

func newRecorder(p *play) *recorder {
	return &recorder{play: p, timers: map[lifecycle.TimerID]lifecycle.TimerKind{}, what: map[lifecycle.RequestID]string{}}
}

func (r *recorder) look() shows {
	s := r.play.session
	now := shows{
		values: map[string]ValueChange{}, prefill: s.Prefill().String(), submission: s.Submission().String(),
		leave: s.Leaving().String(), holds: s.Holds("").Words(),
	}
	for f := range s.Fields() {
		path := f.Path()
		value := ""
		if f.Declared().Kind == form.KindRows {
			value = Plural(f.Rows(), "row")
		} else if f.Asked() {
			value = show(f.Declared(), f.Value())
			if raw := f.Raw(); f.Value().Kind == form.ValueUnparsed && !f.Declared().Private {
				value = strconv.Quote(raw) + " (cannot be read)"
			}
		} else {
			value = "not asked"
		}
		now.values[path] = ValueChange{path, value, f.Contested()}
		now.order = append(now.order, path)
	}
	for _, w := range s.Waiting() {
		if _, there := now.values[w.Path]; !there {
			now.order = append(now.order, w.Path)
		}
		now.values[w.Path] = ValueChange{Path: w.Path, Value: strconv.Quote(w.Raw) + " (waits for its row)"}
	}
	for _, issue := range r.play.issues() {
		if issue.Shown {
			now.issues = append(now.issues, IssueChange{Path: issue.Path, Code: issue.Code, Text: issue.Text})
		}
	}
	return now
}

func (r *recorder) opened(effects []lifecycle.Effect) {
	step := &Step{Who: "form", What: "opens", Outcome: "taken"}
	opening := r.look()
	r.was = shows{values: map[string]ValueChange{}}
	for path, v := range opening.values {
		if v.Value == "nothing" || v.Value == "not asked" || v.Value == "no row" {
			r.was.values[path] = v
		}
	}
	r.was.submission, r.was.leave = opening.submission, opening.leave
	if opening.prefill == "none" {
		r.was.prefill = opening.prefill
	}
	r.effects(step, effects)
	r.compare(step, opening)
	r.play.options.Observe(step)
}

func (r *recorder) before() { r.was = r.look() }

func (r *recorder) after(event lifecycle.Event, answer *Reply, effects []lifecycle.Effect, err error, ignored bool) {
	step := &Step{At: r.play.now, Ms: r.play.now.Milliseconds(), Who: "backend", Outcome: "taken"}
	step.What = r.describe(event, answer)
	switch {
	case event.Kind == lifecycle.EventElapsed:
		step.Who = "clock"
	case event.Kind == lifecycle.EventSupplied:
		step.Who = "application"
	case event.Kind.FromApplicant():
		step.Who = "applicant"
	}
	var turnedAway *lifecycle.TurnedAwayError
	switch {
	case err == lifecycle.ErrStale:
		step.Outcome = "stale"
		step.Reason = "no longer current"
	case errors.As(err, &turnedAway):
		step.Outcome, step.Reason = "turned away", turnedAway.Reason
	case err != nil:
		step.Outcome, step.Reason = "unknown", err.Error()
	case ignored:
		step.Outcome, step.Reason = "ignored", "the answers have just been accepted"
		if r.play.session.Activity() != lifecycle.ActivityIdle {
			step.Reason = "a submit is under way"
		}
	}
	r.effects(step, effects)
	r.compare(step, r.look())
	r.play.options.Observe(step)
}

func (r *recorder) effects(step *Step, effects []lifecycle.Effect) {
	form := r.play.scenario.Form()
	for _, e := range effects {
		switch e.Kind {
		case lifecycle.EffectArm:
			r.timers[e.Timer] = e.Of
		case lifecycle.EffectLoad:
			r.what[e.Request] = "the load"
		case lifecycle.EffectCheck:
			r.what[e.Request] = "the check of " + form.Path(e.Place)
		case lifecycle.EffectSend:
			step.Sent = &Sent{int(e.Attempt), int(e.Try), e.Button, e.Version, PublicBody(form, e.Values)}
		case lifecycle.EffectAsk:
			step.Asks = e.Reason.String()
		case lifecycle.EffectLeave, lifecycle.EffectNavigate:
			step.Destination = e.To
		case lifecycle.EffectGuardUnload:
			on := e.On
			step.UnloadGuard = &on
		case lifecycle.EffectFocus:
			step.Focus = "the form"
			if e.Place != lifecycle.WholeForm {
				step.Focus = form.Path(e.Place)
			}
		case lifecycle.EffectSay:
			step.Said = form.Text(e.Message)
		}
	}
}

// PublicBody is the body of a submission with its private values covered.
func PublicBody(f *form.Form, values []form.Answer) json.RawMessage {
	public := slices.Clone(values)
	for k := range public {
		if f.Fields[public[k].Field].Private && !public[k].Value.Absent() {
			public[k].Value = form.Text("(private)")
		}
	}
	return f.AppendBody(nil, public)
}

func (r *recorder) compare(step *Step, now shows) {
	was := r.was
	for _, path := range now.order {
		before, there := was.values[path]
		if v := now.values[path]; v != before && (there || v.Value != "nothing") {
			step.Values = append(step.Values, v)
		}
	}
	for _, path := range was.order {
		if _, there := now.values[path]; !there {
			step.Values = append(step.Values, ValueChange{Path: path, Value: "gone with its row"})
		}
	}
	for _, issue := range now.issues {
		if !slices.Contains(was.issues, issue) {
			step.Issues = append(step.Issues, issue)
		}
	}
	for _, issue := range was.issues {
		if !slices.Contains(now.issues, issue) {
			issue.Gone = true
			step.Issues = append(step.Issues, issue)
		}
	}
	if now.prefill != was.prefill {
		step.Prefill = now.prefill
	}
	if now.submission != was.submission {
		step.Submission = now.submission
	}
	if now.leave != was.leave {
		step.Leave = now.leave
	}
	if !slices.Equal(now.holds, was.holds) {
		step.Holds = now.holds
	}
}

// describe says in words what happened.
func (r *recorder) describe(e lifecycle.Event, answer *Reply) string {
	status := ""
	if answer != nil && answer.Status != 0 {
		status = " (" + itoa(answer.Status) + r.decidedBy(e, answer) + ")"
	}
	switch e.Kind {
	case lifecycle.EventEdit:
		return r.edits(e)
	case lifecycle.EventBlur:
		return "leaves " + e.Path
	case lifecycle.EventSubmit:
		button := e.Button
		if button == "" {
			button = r.play.scenario.Form().Buttons[0]
		}
		return "presses the button " + button
	case lifecycle.EventAddRow:
		return "adds a row to " + e.Path
	case lifecycle.EventRemoveRow:
		return "removes " + e.Path
	case lifecycle.EventMoveRow:
		return "moves " + e.Path + " to " + e.To
	case lifecycle.EventResolve:
		return "resolves " + e.Path + ": " + e.Choice.String()
	case lifecycle.EventLeaveAsked:
		if e.LeaveKind == lifecycle.LeaveUnload {
			return "reloads or closes the page"
		}
		return "goes to " + e.To
	case lifecycle.EventLeaveDecided:
		return "answers: " + e.Decision.String()
	case lifecycle.EventReturned:
		return "comes back"
	case lifecycle.EventRestored:
		return "what an earlier page kept comes back"
	case lifecycle.EventLoaded:
		return "the load arrives" + status
	case lifecycle.EventLoadFailed:
		return "the load fails: " + e.Why
	case lifecycle.EventSupplied:
		if e.Version != "" {
			return "supplies saved answers, version " + e.Version
		}
		return "supplies saved answers"
	case lifecycle.EventChecked:
		return r.what[e.Request] + " arrives" + status
	case lifecycle.EventCheckFailed:
		return r.what[e.Request] + " fails" + status
	case lifecycle.EventReplied:
		if answer != nil && answer.Broken {
			return "the connection of try " + itoa(int(e.Try)) + " breaks"
		}
		return "replies to try " + itoa(int(e.Try)) + ": " + e.Reply.Kind.String() + status
	case lifecycle.EventElapsed:
		return timerText(r.timers[e.Timer])
	case lifecycle.EventRefresh:
		return "loads again"
	case lifecycle.EventRetry:
		return "retries"
	default:
		return e.Kind.String() + "s"
	}
}

// decidedBy says why a reply to a submission is taken for what it is, where that is not its status.
func (r *recorder) decidedBy(e lifecycle.Event, answer *Reply) string {
	if e.Kind != lifecycle.EventReplied {
		return ""
	}
	_, line := answer.received().Judge(r.play.scenario.Form(), lifecycle.EffectSend)
	if line == replies.LineStatus {
		return ""
	}
	return ": " + line.String()
}

// edits says what an edit is in words.
func (r *recorder) edits(e lifecycle.Event) string {
	f := r.play.scenario.Form()
	place, _ := f.Lookup(e.Path)
	field := &f.Fields[place.Field]
	switch {
	case field.Private:
		return "types (private) at " + e.Path
	case field.Kind == form.KindBoolean && e.Raw == "":
		return "takes the tick from " + e.Path
	case field.Kind == form.KindBoolean:
		return "ticks " + e.Path
	case e.Raw == "":
		return "empties " + e.Path
	case field.Kind == form.KindChoices || field.Kind == form.KindChoice:
		return "chooses " + strings.ReplaceAll(e.Raw, "\n", ", ") + " at " + e.Path
	default:
		return "types " + strconv.Quote(e.Raw) + " at " + e.Path
	}
}

func timerText(kind lifecycle.TimerKind) string {
	switch kind {
	case lifecycle.TimerLoad:
		return "the load has timed out"
	case lifecycle.TimerCheckDelay:
		return "the check's delay is over"
	case lifecycle.TimerCheck:
		return "the check has timed out"
	case lifecycle.TimerSend:
		return "the try has timed out"
	case lifecycle.TimerWait:
		return "the pause is over"
	case lifecycle.TimerAccepted:
		return "the success state has stood long enough"
	default:
		return "a further click would count again"
	}
}
