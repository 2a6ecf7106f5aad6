package lifecycle

import (
	"time"

	"leanwicket.dev/form"
)

// EffectKind says what a driver has to do.
type EffectKind uint8

// The effects.
const (
	EffectLoad EffectKind = iota
	EffectCheck
	EffectSend
	EffectAbort
	EffectArm
	EffectDisarm
	EffectAsk
	EffectLeave
	EffectNavigate
	EffectGuardUnload
	EffectFocus
	EffectSay
)

var effectWords = [...]string{
	"load", "check", "send", "abort", "arm", "disarm", "ask", "leave", "navigate", "guard unload", "focus", "say",
}

func (k EffectKind) String() string { return form.Word(effectWords[:], k) }

// TimerKind says what a timer bounds.
type TimerKind uint8

// The timers. Only they bound a wait: no other effect carries a time-out.
const (
	TimerLoad TimerKind = iota
	TimerCheckDelay
	TimerCheck
	TimerSend
	TimerWait        // the pause before an automatic repeat
	TimerAccepted    // how long the success state stands
	TimerSecondClick // the second after an acceptance in which a click is a second click
)

var timerWords = [...]string{"load", "check delay", "check", "send", "wait", "accepted", "second click"}

func (k TimerKind) String() string { return form.Word(timerWords[:], k) }

// Effect is one thing for the driver to do. It is flat: a kind, and what that
// kind needs.
type Effect struct {
	Kind EffectKind

	Request RequestID // load, check; abort: the request, or 0 where a try is meant
	Timer   TimerID   // arm, disarm
	Of      TimerKind // arm, disarm: what the timer bounds
	After   time.Duration

	Place form.Place // check, focus (Field -1: the form itself)
	Value form.Value // check

	Attempt int32 // send; abort of a try
	Try     int32
	Key     Key
	Button  string
	Version string        // send: the version that the values are based on; empty means that it is unknown
	Values  []form.Answer // send: in the form's order; valid until the next Apply

	Reason    AskReason // ask
	To        string    // ask, leave, navigate
	LeaveKind LeaveKind // leave: with unload the browser goes by itself
	On        bool      // guard unload

	Message form.Message // say
	Level   Level
}

// WholeForm is the place of what concerns no single field.
var WholeForm = form.Place{Field: -1, Row: -1}
