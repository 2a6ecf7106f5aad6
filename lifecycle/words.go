package lifecycle

import (
	"slices"

	"leanwicket.dev/form"
)

// The words of state. Each type's String gives the word as it stands in files
// and output.

// Prefill is how far the loading of saved answers has come.
type Prefill uint8

// The states of the prefill.
const (
	PrefillNone Prefill = iota
	PrefillLoading
	PrefillReady
	PrefillFailed
)

// Activity is what is going on now.
type Activity uint8

// The activities.
const (
	ActivityIdle Activity = iota
	ActivityChecking
	ActivitySending
	ActivityWaiting // the pause before an automatic repeat
)

// Outcome is what is known of an attempt.
type Outcome uint8

// The outcomes of an attempt.
const (
	OutcomeOpen Outcome = iota // in flight, waiting or unsettled
	OutcomeAccepted
	OutcomeRefused
	OutcomeDenied
	OutcomeOutdated
)

// Submission is what a reader sees of the newest submission: the activity if
// there is one, else whether the newest attempt is unsettled, else its outcome
// while that stands.
type Submission uint8

// The states of the submission.
const (
	SubmissionIdle Submission = iota
	SubmissionChecking
	SubmissionSending
	SubmissionWaiting
	SubmissionUnsettled
	SubmissionAccepted
	SubmissionRefused
	SubmissionDenied
	SubmissionOutdated
)

// Leave is whether the applicant is going away from the form.
type Leave uint8

// The states of leaving.
const (
	LeavePresent   Leave = iota
	LeaveAsking          // the question stands
	LeaveDeparting       // the applicant chose to submit and leave
	LeaveGone
)

// LeaveKind is how the form is left.
type LeaveKind uint8

// The kinds of leaving.
const (
	LeaveInside LeaveKind = iota // a link of the app, the back button
	LeaveUnload                  // reload, close, another site: the browser asks in its own words
)

// LeaveDecision answers the question at leaving.
type LeaveDecision uint8

// The answers to the question at leaving.
const (
	DecisionStay LeaveDecision = iota
	DecisionDiscard
	DecisionSubmit
)

// AskReason is why leaving is asked about.
type AskReason uint8

// The reasons to ask.
const (
	AskNothing AskReason = iota
	AskUnsaved
	AskSending
	AskUnsettled
)

// Choice resolves a contested field.
type Choice uint8

// The two sides of a contested field.
const (
	ChooseMine   Choice = iota // what the applicant typed
	ChooseTheirs               // the newer saved value
)

// ReplyKind classifies what a try brought.
type ReplyKind uint8

// The kinds of replies. The zero value is the one that tells nothing.
const (
	ReplyUnknown     ReplyKind = iota // nothing that tells the outcome
	ReplyAccepted                     // applied
	ReplyRefused                      // not applied, and why
	ReplyOutdated                     // the version is no longer the newest
	ReplyDenied                       // signed out, or not allowed
	ReplyUnderway                     // the same key is being worked on
	ReplyUnavailable                  // try again later
)

// Source is where an issue comes from.
type Source uint8

// The sources of issues.
const (
	SourceRule Source = iota
	SourceCheck
	SourceServer
)

// Level is how urgently something is said, as in ARIA live regions.
type Level uint8

// The levels of a notice.
const (
	Polite Level = iota
	Assertive
)

var (
	prefillWords    = [...]string{"none", "loading", "ready", "failed"}
	activityWords   = [...]string{"idle", "checking", "sending", "waiting"}
	outcomeWords    = [...]string{"open", "accepted", "refused", "denied", "outdated"}
	submissionWords = [...]string{"idle", "checking", "sending", "waiting", "unsettled", "accepted", "refused", "denied", "outdated"}
	leaveWords      = [...]string{"present", "asking", "departing", "gone"}
	leaveKindWords  = [...]string{"inside", "unload"}
	answerWords     = [...]string{"stay", "discard", "submit"}
	reasonWords     = [...]string{"nothing", "unsaved", "sending", "unsettled"}
	choiceWords     = [...]string{"mine", "theirs"}
	replyWords      = [...]string{"unknown", "accepted", "refused", "outdated", "denied", "underway", "unavailable"}
	sourceWords     = [...]string{"rule", "check", "server"}
	levelWords      = [...]string{"polite", "assertive"}
)

func (p Prefill) String() string       { return form.Word(prefillWords[:], p) }
func (a Activity) String() string      { return form.Word(activityWords[:], a) }
func (o Outcome) String() string       { return form.Word(outcomeWords[:], o) }
func (s Submission) String() string    { return form.Word(submissionWords[:], s) }
func (l Leave) String() string         { return form.Word(leaveWords[:], l) }
func (k LeaveKind) String() string     { return form.Word(leaveKindWords[:], k) }
func (a LeaveDecision) String() string { return form.Word(answerWords[:], a) }
func (r AskReason) String() string     { return form.Word(reasonWords[:], r) }
func (c Choice) String() string        { return form.Word(choiceWords[:], c) }
func (k ReplyKind) String() string     { return form.Word(replyWords[:], k) }
func (s Source) String() string        { return form.Word(sourceWords[:], s) }
func (l Level) String() string         { return form.Word(levelWords[:], l) }

// Hold is a reason why a submit would not send now.
type Hold uint16

// The holds, in the order in which they are told.
const (
	HoldGone Hold = 1 << iota
	HoldLoading
	HoldPrefillMissing
	HoldSending
	HoldChecking
	HoldContested
	HoldInvalid
	HoldUnchanged
	HoldReceived
)

var holdWords = [...]string{"gone", "loading", "prefill-missing", "sending", "checking", "contested", "invalid", "unchanged", "received"}

// Holds is a set of holds.
type Holds uint16

// Has reports whether h is one of them.
func (hs Holds) Has(h Hold) bool { return hs&Holds(h) != 0 }

// First is the hold that is told first, or 0 where there is none.
func (hs Holds) First() Hold { return Hold(hs & -hs) }

// Words lists the holds in their order.
func (hs Holds) Words() []string {
	words := []string{}
	for i, w := range holdWords {
		if hs.Has(1 << i) {
			words = append(words, w)
		}
	}
	return words
}

// HoldWords lists the words of all holds in their order.
func HoldWords() []string { return slices.Clone(holdWords[:]) }
