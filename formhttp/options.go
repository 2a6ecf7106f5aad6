package formhttp

import (
	"context"
	"html/template"
	"log/slog"
	"net/http"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/decode"
	"leanwicket.dev/ledger"
)

// Options are what a form needs from its application.
type Options struct {
	// Load returns the saved record, and its version, for a form that has a prefill. The version
	// travels as an entity tag (RFC 9110, section 8.8.3), quoted where it is not. A form that
	// replaces is then not sent without one: whoever sends none is answered with 428. An error that
	// is [fs.ErrNotExist] says that there is no such record, which is answered with 404. Where Load
	// itself is nil, the page opens with the defaults.
	Load func(r *http.Request) (record map[string]any, version string, err error)
	// Submit does the work, at most once for each key, and answers as an HTTP backend
	// would: 201 with a Location, 422 with errors in any of the formats that package
	// replies reads, 412 where the version is no longer the newest, 401. The error [Wrong] refuses as
	// well. Any other error, like a panic, is answered with 500, and the key is released. With a
	// [ledger.Transactional] store the work takes effect only where its answer is an
	// acceptance, and may be done more than once, of which one takes effect.
	Submit func(ctx context.Context, s Submission) (Answer, error)
	// Admit is asked before anything is loaded or worked on: an answer, such as 401 where
	// nobody is signed in, turns the request away; nil goes on. Of what was posted everything
	// typed stays on the page. Who only reads gets the status, a Location where that is a
	// redirect, and nothing that is saved. Where Admit itself is nil, all are admitted.
	Admit func(r *http.Request) *Answer
	// Ledger keeps the keys; nil keeps them in memory, for a day.
	Ledger ledger.Store
	// Once says how long the work of a submission may take, how long a repeat waits for it,
	// and how large an answer is kept. Who comes while the database is busy, or whose work
	// takes too long, is answered with 503 and Retry-After.
	Once ledger.Options
	// Principal names the account of a request: keys of different accounts never
	// meet. nil means that all are one.
	Principal func(r *http.Request) string
	// Secret makes digests of accounts, so that a page can tell whose work it is and
	// nobody can tell the account from it: at least 32 random bytes, the same in each
	// process. What one account has typed is not offered to another that signs in at the
	// same browser, and not sent in its name. Where it is nil each handler draws its own, drafts end
	// with the process, and a page that is sent by another account is not found out.
	Secret []byte
	// Script is the address of the bundle's script, with which the page runs the
	// lifecycle in the browser; empty means that the page has none. Without script it works all
	// the same.
	Script string
	// Page replaces parts of the page: templates with the names in Parts. docs/server.md has
	// what they show.
	Page *template.Template
	// Own is what those templates find as .Own, such as who is signed in.
	Own func(r *http.Request) any
	// Style are rules that stand after the page's own style. Styles are the addresses of
	// style sheets, which come after it, and Scripts those of deferred scripts, which come
	// after the bundle.
	Style           string
	Styles, Scripts []string
	// Policy is the Content-Security-Policy of the page. Where it is empty it is made from what the page
	// uses, and allows its own style, the origins of Styles (also for fonts and pictures) and
	// of Scripts, and with Page pictures of this origin. A policy of your own needs StyleHash
	// where Style is empty, and with Script script-src 'self' 'wasm-unsafe-eval' and
	// connect-src 'self'.
	Policy string
	// Log is told what failed; nil means slog.Default.
	Log *slog.Logger
	// Served is called when a request has been answered, by several goroutines at once. Package
	// [leanwicket.dev/formhttp/metrics] has one that counts.
	Served func(Served)

	// KeylessJSON admits a submission in JSON without an Idempotency-Key. Such a one is worked on
	// each time it is sent.
	KeylessJSON bool
	// UnknownMembers says what becomes of members of a JSON body that the form does not have.
	UnknownMembers UnknownMembers

	MaxBody   int64 // bytes of a request's body; 0 means 1 MiB, with a file 32 MiB
	MaxFields int   // controls in a request; 0 means 10,000
	MaxOpen   int   // submissions of one account that are worked on at once; 0 means 20. Without Principal there is no limit: behind a proxy all addresses are one
}

// Served is a request that was answered. It holds nothing that anybody typed.
type Served struct {
	Form    string
	Status  int
	Outcome string        // one of Outcomes
	Repeat  bool          // the answer is that of an earlier try
	Took    time.Duration // from the request's arrival to its answer
}

// UnknownMembers says what becomes of members of a JSON body that the form does not have.
type UnknownMembers uint8

const (
	// RefuseUnknown answers them with 422 and their names, unless they are as the saved record has
	// them: whoever replaces a record sends all of it.
	RefuseUnknown UnknownMembers = iota
	// IgnoreUnknown leaves them out.
	IgnoreUnknown
)

// Submission is one submission that the form has accepted.
type Submission struct {
	Form    *form.Form
	Request *http.Request
	Button  string
	Key     string
	Version string // what the values are based on, as Load has it; empty means that it is unknown
	Body    []byte // JSON: the record, or with PATCH a merge patch
}

// Decode reads the body into a value, as encoding/json does. A time.Time also takes a date, a time of
// day, and a date and time without offset.
func (s Submission) Decode(to any) error { return decode.Body(s.Body, to) }

// Validator has the last word on a record before the application gets it. A
// [leanwicket.dev/declare.Source] is one. A validator with a method Proves(*form.Form) bool is asked
// nothing where that says that the form itself keeps all of its rules.
type Validator interface {
	// Validate returns an error where it refuses a record, which is decoded by
	// encoding/json with numbers as json.Number. Of a [Wrong] the applicant reads all; any other error
	// stands in the log, and the applicant reads that the form was not accepted.
	Validate(record any) error
}
