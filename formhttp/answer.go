package formhttp

import (
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"

	"leanwicket.dev/form"
)

// Answer is what an application answers with, as an HTTP backend would.
type Answer struct {
	Status int         // RFC 9110, section 15; an answer without one is an error
	Header http.Header // is passed on to the client, and to each repeat
	Body   any         // encoding/json marshals it; nil means that there is none
}

// Created answers that something was made. The address is where it is, such as /permits/7; an empty one
// is left out.
func Created(at string) Answer {
	made := Answer{Status: http.StatusCreated}
	if at != "" {
		made.Header = http.Header{"Location": {at}}
	}
	return made
}

// Wrong is the error that refuses a submission for good: it says what is wrong, by the paths of the
// fields, such as vessel or crew/0/name. What stands at the empty path is said of the whole form. The
// applicant reads all of it. Options.Submit returns it, and so can a [Validator].
type Wrong map[string]string

func (w Wrong) Error() string {
	said := make([]string, 0, len(w))
	for _, path := range slices.Sorted(maps.Keys(w)) {
		said = append(said, strings.TrimPrefix(path+": "+w[path], ": "))
	}
	return strings.Join(said, "; ")
}

// answer is the refusal as a backend would send it (RFC 9457).
func (w Wrong) answer(f *form.Form) Answer {
	at := maps.Clone(w)
	delete(at, "")
	body := map[string]any{"title": f.Words(form.MessageNotTaken), "errors": at}
	if whole := w[""]; whole != "" {
		body["detail"] = whole
	}
	return Answer{Status: http.StatusUnprocessableEntity, Body: body}
}

// refusalOf is the answer to a submission that an error refuses, and whether it does.
func (h *Handler) refusalOf(err error) (Answer, bool) {
	var wrong Wrong
	if !errors.As(err, &wrong) {
		return Answer{}, false
	}
	return wrong.answer(h.form), true
}
