package lifecycle

// Three outcomes change nothing, and are told apart by the type of the error
// that Apply returns: UnknownError, TurnedAwayError, and ErrStale.

// UnknownError is the caller's mistake: a path, button or id that this form
// cannot have.
type UnknownError struct {
	What string // field, rows, row, button, attempt, try, event
	Name string
}

func (e *UnknownError) Error() string {
	return "this form has no " + e.What + " " + e.Name
}

// TurnedAwayError is an action that cannot be done now: a locked field, a
// retry with nothing to retry, anything after the form was left.
type TurnedAwayError struct{ Reason string }

func (e *TurnedAwayError) Error() string { return e.Reason }

// ErrStale is an answer to a request that is no longer current.
var ErrStale error = staleError{}

type staleError struct{}

func (staleError) Error() string { return "an answer to a request that is no longer current" }

var (
	errGone        = &TurnedAwayError{"the form has been left"}
	errLocked      = &TurnedAwayError{"the field is locked"}
	errNoRow       = &TurnedAwayError{"the row is not there"}
	errNoRetry     = &TurnedAwayError{"there is nothing to retry"}
	errNoCancel    = &TurnedAwayError{"there is nothing to cancel"}
	errNoPrefill   = &TurnedAwayError{"the form loads nothing"}
	errNoContest   = &TurnedAwayError{"the field is not contested"}
	errNoQuestion  = &TurnedAwayError{"no question stands"}
	errNotGone     = &TurnedAwayError{"the form has not been left"}
	errNotFirst    = &TurnedAwayError{"what an earlier page kept comes first or not at all"}
	errNothingKept = &TurnedAwayError{"nothing was kept"}
)
