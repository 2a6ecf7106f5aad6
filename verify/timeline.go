package verify

import (
	"encoding/json"
	"fmt"

	"leanwicket.dev/lifecycle"
)

// quote writes a text so that YAML reads it as it is.
func quote(s string) string {
	b, _ := json.Marshal(s) // a text
	return string(b)
}

// isAction reports whether an event stands in the timeline of a scenario, and is neither an answer nor the end of
// a timer.
func isAction(e lifecycle.Event) bool {
	return e.Kind.FromApplicant() || e.Kind == lifecycle.EventSupplied
}

// actionText is an action as an entry of the timeline has it. It is empty for what the backend or the clock does.
func (r *retaker) actionText(m move) string {
	e := m.event
	switch e.Kind {
	case lifecycle.EventSupplied:
		body, _ := json.Marshal(m.response.Body) // it came from JSON
		text := fmt.Sprintf("supply: {body: %s", body)
		if e.Version != "" {
			text += ", version: " + quote(e.Version)
		}
		if m.stale {
			text += ", read: 0ms"
		}
		return text + "}"
	case lifecycle.EventEdit:
		return fmt.Sprintf("edit: {%s: %s}", quote(e.Path), quote(e.Raw))
	case lifecycle.EventBlur:
		return "blur: " + quote(e.Path)
	case lifecycle.EventSubmit:
		return "submit: " + quote(e.Button)
	case lifecycle.EventAddRow:
		return "add: " + quote(e.Path)
	case lifecycle.EventRemoveRow:
		return "remove: " + quote(e.Path)
	case lifecycle.EventMoveRow:
		return fmt.Sprintf("move: {from: %s, to: %s}", quote(e.Path), quote(e.To))
	case lifecycle.EventResolve:
		return fmt.Sprintf("resolve: {%s: %s}", quote(e.Path), e.Choice)
	case lifecycle.EventLeaveAsked:
		return fmt.Sprintf("leave: {to: %s, kind: %s}", quote(e.To), e.LeaveKind)
	case lifecycle.EventLeaveDecided:
		return "answerLeave: " + e.Decision.String()
	case lifecycle.EventCancel, lifecycle.EventRetry, lifecycle.EventReset, lifecycle.EventRefresh, lifecycle.EventReturned:
		return e.Kind.String() + ": true"
	default:
		return ""
	}
}
