package scenario

import (
	"time"

	"leanwicket.dev/declare"
	"leanwicket.dev/form"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
)

// Scenario is one session in virtual time.
type Scenario struct {
	Name     string
	File     string
	Source   *declare.Source
	Backend  Backend
	Draft    *lifecycle.Draft // what an earlier page kept; nil means nothing
	Timeline []Entry
}

// Form is the form that the scenario plays on.
func (s *Scenario) Form() *form.Form { return s.Source.Form }

// Backend lists the replies of the server. Each is given to one request, in their order.
type Backend struct {
	Prefill []Reply
	Submit  []Reply
	Checks  []CheckReplies
}

// CheckReplies are the replies to the checks of one field. A path with * stands for the field in
// any row.
type CheckReplies struct {
	Path    string
	Replies []Reply
}

// Reply is one HTTP reply, After a time counted from its request.
type Reply struct {
	After  time.Duration
	Again  time.Duration // it arrives once more so long after; 0 means that it does not
	Never  bool
	Broken bool
	// SignedOut says that the connection broke, and that another request tells that the applicant is signed out.
	SignedOut bool
	Status    int
	Header    map[string]string
	Body      any
	From      string // the address that answered, after a redirect; empty means the one that was asked
	Cut       bool   // the body breaks off
	at        *document.Node
}

// Entry is one action or expectation of the timeline.
type Entry struct {
	At     time.Duration
	node   *document.Node
	Events []lifecycle.Event // one, or several edits
	read   *time.Duration    // supply: when the application began to read; nil means At
	expect []expectation
}

// Failure is something that did not hold.
type Failure struct {
	File         string
	Line, Column int
	At           time.Duration
	Kind         FailureKind
	Expected     string
	Found        string
}

// FailureKind is what failed.
type FailureKind uint8

// The kinds of failures.
const (
	FailedExpectation FailureKind = iota
	FailedGuarantee
	FailedBackend // an answer too few, or one too many
)

func (k FailureKind) String() string {
	return [...]string{"expectation", "guarantee", "backend"}[k]
}
