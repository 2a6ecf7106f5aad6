package lifecycle

// Three outcomes change nothing, and are told apart by the type of the error that
// [Session.Apply] returns: [UnknownError], [TurnedAwayError], and [ErrStale].

// UnknownError is the caller's mistake: a path, button or id that this form
// cannot have.
type UnknownError struct {
	What string // field, rows, row, button, attempt, try, event
	Name string
}

func (e *UnknownError) Error() string {
	return "this form has no " + e.What + " " + e.Name
}

// TurnedAwayError is an action that cannot be done now. Each reason is a value below:
// errors.Is(err, lifecycle.ErrLocked) tells a locked field.
type TurnedAwayError struct{ Reason string }

func (e *TurnedAwayError) Error() string { return e.Reason }

// ErrStale is an answer to a request that is no longer current.
var ErrStale error = staleError{}

type staleError struct{}

func (staleError) Error() string { return "an answer to a request that is no longer current" }

// The reasons for which an action is turned away.
var (
	ErrGone        = &TurnedAwayError{"the form has been left"}
	ErrLocked      = &TurnedAwayError{"the field is locked"}
	ErrNoRow       = &TurnedAwayError{"the row is not there"}
	ErrNoRetry     = &TurnedAwayError{"there is nothing to retry"}
	ErrNoCancel    = &TurnedAwayError{"there is nothing to cancel"}
	ErrNoPrefill   = &TurnedAwayError{"the form loads nothing"}
	ErrNoContest   = &TurnedAwayError{"the field is not contested"}
	ErrNoQuestion  = &TurnedAwayError{"no question stands"}
	ErrNotGone     = &TurnedAwayError{"the form has not been left"}
	ErrNotFirst    = &TurnedAwayError{"what an earlier page kept comes first or not at all"}
	ErrNothingKept = &TurnedAwayError{"nothing was kept"}
)
