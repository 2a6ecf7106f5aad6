package lifecycle

import (
	"time"

	"leanwicket.dev/form"
)

// EventKind says what happened.
type EventKind uint8

// The events. The first group comes from the applicant, the second from
// outside.
const (
	EventEdit EventKind = iota
	EventBlur
	EventSubmit
	EventCancel
	EventRetry
	EventReset
	EventAddRow
	EventRemoveRow
	EventMoveRow
	EventRefresh
	EventResolve
	EventLeaveAsked
	EventLeaveDecided
	EventReturned
	EventRestored

	EventLoaded
	EventLoadFailed
	EventSupplied
	EventChecked
	EventCheckFailed
	EventReplied
	EventElapsed
)

var eventWords = [...]string{
	"edit", "blur", "submit", "cancel", "retry", "reset", "add row", "remove row", "move row", "refresh",
	"resolve", "leave asked", "leave decided", "returned", "restored",
	"loaded", "load failed", "supplied", "checked", "check failed", "replied", "elapsed",
}

func (k EventKind) String() string { return form.Word(eventWords[:], k) }

// FromApplicant reports whether the event is something the applicant did.
func (k EventKind) FromApplicant() bool { return k < EventLoaded }

// Event is one thing that happened. It is flat: a kind, and what that kind
// needs. The functions below make one each.
type Event struct {
	Kind EventKind

	Path      string     // edit, blur, rows, resolve
	Raw       string     // edit: as typed
	Redacted  form.Value // edit, in a replay: stands for what was typed at a private field
	To        string     // move row: the new place; leave asked: the destination
	Button    string     // submit
	Choice    Choice
	LeaveKind LeaveKind
	Decision  LeaveDecision

	Request RequestID // loads and checks
	Timer   TimerID
	Attempt int32
	Try     int32
	Reply   *Reply
	Came    *Came // what came over the network; nil means that nobody says

	Values  []form.Answer // loaded, supplied
	Version string        // loaded, supplied; empty means that it is unknown
	After   uint32        // supplied: Session.Changes when the application began to read
	Why     string        // load failed
	Denied  bool          // load failed: the applicant is signed out, or not allowed to read
	Issues  []Entry       // checked
	Draft   *Draft
}

// RequestID names one load or check of a session. TimerID names one arming of
// a timer. Both count up from 1.
type (
	RequestID uint32
	TimerID   uint32
)

// Edit is typing at a field. Raw is the text as typed: "true" and "" for a box,
// one option a line for several choices, the name for a file.
func Edit(path, raw string) Event { return Event{Kind: EventEdit, Path: path, Raw: raw} }

// Blur is leaving a field.
func Blur(path string) Event { return Event{Kind: EventBlur, Path: path} }

// Submit is pressing a submit button; the empty name is the first one, as
// Enter presses it.
func Submit(button string) Event { return Event{Kind: EventSubmit, Button: button} }

// Cancel gives up the wait for checks, a reply or a repeat.
func Cancel() Event { return Event{Kind: EventCancel} }

// Retry sends an unsettled attempt again, or submits again after a denial.
func Retry() Event { return Event{Kind: EventRetry} }

// Reset returns the values to what was last known to be saved.
func Reset() Event { return Event{Kind: EventReset} }

// AddRow appends a row to a group.
func AddRow(group string) Event { return Event{Kind: EventAddRow, Path: group} }

// RemoveRow takes a row away: crew/0.
func RemoveRow(row string) Event { return Event{Kind: EventRemoveRow, Path: row} }

// MoveRow moves a row to another place in its group: crew/1 to crew/0.
func MoveRow(row, to string) Event { return Event{Kind: EventMoveRow, Path: row, To: to} }

// Refresh loads the saved answers again.
func Refresh() Event { return Event{Kind: EventRefresh} }

// Resolve chooses one side of a contested field.
func Resolve(path string, choice Choice) Event {
	return Event{Kind: EventResolve, Path: path, Choice: choice}
}

// LeaveAsked is the wish to go elsewhere.
func LeaveAsked(to string, kind LeaveKind) Event {
	return Event{Kind: EventLeaveAsked, To: to, LeaveKind: kind}
}

// LeaveDecided is the decision about leaving.
func LeaveDecided(decision LeaveDecision) Event {
	return Event{Kind: EventLeaveDecided, Decision: decision}
}

// Returned is the page coming back after it was gone, as from the browser's
// back/forward cache.
func Returned() Event { return Event{Kind: EventReturned} }

// Restore brings back what an earlier page kept. It is the first event or none.
func Restore(kept *Draft) Event { return Event{Kind: EventRestored, Draft: kept} }

// Loaded is the answer to a Load.
func Loaded(request RequestID, values []form.Answer, version string) Event {
	return Event{Kind: EventLoaded, Request: request, Values: values, Version: version}
}

// LoadFailed is a Load that brought nothing; why is for the record.
func LoadFailed(request RequestID, why string) Event {
	return Event{Kind: EventLoadFailed, Request: request, Why: why}
}

// LoadDenied is a Load that was turned down because the applicant is signed out, or not
// allowed to read.
func LoadDenied(request RequestID) Event {
	return Event{Kind: EventLoadFailed, Request: request, Why: "denied", Denied: true}
}

// Supplied is saved answers that the application has of its own accord. They count as a load that is begun
// and answered in this moment. after is what [Session.Changes] was when the application began to
// read them: what was read before an acceptance is stale after it.
func Supplied(values []form.Answer, version string, after uint32) Event {
	return Event{Kind: EventSupplied, Values: values, Version: version, After: after}
}

// Checked is the answer to a Check: no entries means that it passed. An entry
// without a path is about the checked field.
func Checked(request RequestID, issues []Entry) Event {
	return Event{Kind: EventChecked, Request: request, Issues: issues}
}

// CheckFailed is a Check that brought nothing.
func CheckFailed(request RequestID) Event {
	return Event{Kind: EventCheckFailed, Request: request}
}

// Replied is what a try brought.
func Replied(attempt, try int32, reply *Reply) Event {
	return Event{Kind: EventReplied, Attempt: attempt, Try: try, Reply: reply}
}

// Elapsed is a timer that has run out.
func Elapsed(timer TimerID) Event { return Event{Kind: EventElapsed, Timer: timer} }

// Entry is one thing that a reply or a check has to say. Path is a path of this
// form (rows as sent), or empty: the whole form.
type Entry struct {
	Path string
	Code string // the reply's own code; empty means customError
	Text string
}

// Reply is what a try brought, classified.
type Reply struct {
	Kind       ReplyKind
	Entries    []Entry       // refused
	Values     []form.Answer // accepted: what the reply mentions
	Version    string        // accepted; empty means that it is unknown
	To         string        // accepted: where the reply says the record is, or the filled-in destination
	RetryAfter time.Duration // underway, unavailable; negative: not given
	Text       string        // what the reply says in words
	SignedOut  bool          // unknown: another request tells that the applicant is signed out
}

// Came is what came over a network, for the record: no session looks at it.
type Came struct {
	Status int    // 0 means that the connection broke
	Type   string // Content-Type, as it came
	From   string // the address that answered, where it is another than the one that was asked
	Unfit  string // of a load: the paths where it has something else than the object or the rows that the form declares, with ", " between them
}

// Receipt is what an accepted submission returned.
type Receipt struct {
	Values  []form.Answer
	To      string
	Version string
	Text    string
}

// RowText tells of rows that were added, removed or moved by an event, for those who
// do not see it; it is empty for every other event.
func RowText(f *form.Form, e Event) string {
	id, path := form.MessageNone, e.Path
	switch e.Kind {
	case EventAddRow:
		id = form.MessageRowAdded
	case EventRemoveRow:
		id = form.MessageRowRemoved
	case EventMoveRow:
		id, path = form.MessageRowMoved, e.To
	default:
		return ""
	}
	p, ok := f.Lookup(path)
	if e.Kind != EventAddRow {
		p, ok = f.RowAt(path)
	}
	if !ok {
		return ""
	}
	return f.TextAbout(id, p.Field, p.Row+1)
}
