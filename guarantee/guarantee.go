package guarantee

import (
	"slices"

	"leanwicket.dev/form"
)

// Guarantee is one promise of the lifecycle.
type Guarantee uint8

// The guarantees.
const (
	OneAtATime Guarantee = iota
	NoInvalidSend
	EditsSurvive
	WaitingEnds
	AskBeforeLoss
	NoNeedlessAsk
	WayForward
	FreshIssues
	SameKeySameValues
	CleanReset
	NothingSwallowed
	StaleIgnored
	SaidOnce
	RepeatsUnchanged
	NothingBlanked
	NeverOlder
	guaranteeCount
)

var guaranteeWords = [guaranteeCount]string{
	"one-at-a-time", "no-invalid-send", "edits-survive", "waiting-ends", "ask-before-loss", "no-needless-ask",
	"way-forward", "fresh-issues", "same-key-same-values", "clean-reset", "nothing-swallowed", "stale-ignored", "said-once",
	"repeats-unchanged", "nothing-blanked", "never-older",
}

func (g Guarantee) String() string { return form.Word(guaranteeWords[:], g) }

// Words lists the names of the guarantees.
func Words() []string { return slices.Clone(guaranteeWords[:]) }

// Breach is a guarantee that a step has broken, and how.
type Breach struct {
	Guarantee Guarantee
	Path      string // the field that the breach is about, or empty
	What      string
}

func (b Breach) Error() string {
	text := "guarantee " + b.Guarantee.String() + " broken"
	if b.Path != "" {
		text += " at " + b.Path
	}
	return text + ": " + b.What
}

// Waived is a guarantee that a form's policy trades away.
type Waived struct {
	Guarantee Guarantee
	Policy    string // one of the Policy constants
	Price     string
	Instead   string // what trades nothing away
}

// The policies that trade a guarantee away, as the form file writes them.
const (
	PolicyNeverAsk   = "leave.when: never"
	PolicyAskTouched = "leave.when: dirtyAndTouched"
	PolicyInFlight   = "leave.inFlight: allow"
	PolicyKeep       = "prefill.ifEdited: keep"
)

// Waives lists the guarantees that the form's policies trade away.
func Waives(f *form.Form) []Waived {
	var list []Waived
	add := func(on bool, g Guarantee, policy, price, instead string) {
		if on {
			list = append(list, Waived{g, policy, price, instead})
		}
	}
	add(f.Leave.When == form.LeaveNever, AskBeforeLoss, PolicyNeverAsk, "leaving loses unsaved work without a question", "when: dirty")
	add(f.Leave.When == form.LeaveDirtyAndTouched, AskBeforeLoss, PolicyAskTouched, "leaving loses what was typed in a field that was not left yet", "when: dirty")
	add(f.Leave.AllowInFlight && f.Leave.When != form.LeaveNever, AskBeforeLoss, PolicyInFlight, "leaving gives up a submission of which nobody learns whether it was received", "inFlight: ask")
	add(f.Prefill.Loads() && !f.Prefill.Ask && !f.Submit.Creates(), EditsSurvive, PolicyKeep, "what somebody else has saved meanwhile is replaced by the edit over it, and nobody is asked", "ifEdited: ask")
	return list
}
