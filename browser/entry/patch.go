package entry

import (
	"strconv"
	"strings"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// A patch is what the script has to do, in order: records that end with recordEnd,
// of parts that end with partEnd. The first part of each says what it is.
const (
	partEnd   = '\x1f'
	recordEnd = '\x1e'
)

type patch struct{ bytes []byte }

// begin begins a record, and end ends it; between them stand its parts, as table.go has them.
func (p *patch) begin(what string) { p.text(what) }

func (p *patch) end() { p.bytes = append(p.bytes, recordEnd) }

func (p *patch) text(part string) {
	for k := range len(part) { // the two ends are in no text that anybody types
		if c := part[k]; c != partEnd && c != recordEnd {
			p.bytes = append(p.bytes, c)
		}
	}
	p.bytes = append(p.bytes, partEnd)
}

func (p *patch) fact(is bool) {
	if is {
		p.bytes = append(p.bytes, '1')
	}
	p.bytes = append(p.bytes, partEnd)
}

func (p *patch) number(n int64) { p.text(strconv.FormatInt(n, 10)) }

func (p *patch) list(words []string) { p.text(strings.Join(words, " ")) }

// take gives what has been gathered, and begins anew.
func (p *patch) take() string {
	text := string(p.bytes)
	p.bytes = p.bytes[:0]
	return text
}

// rawOf is what a field's control holds, or how many rows a group has.
func rawOf(f lifecycle.FieldState) string {
	if f.Declared().Kind == form.KindRows {
		return strconv.Itoa(f.Rows())
	}
	return f.Raw()
}

// savedOf is what was saved meanwhile, where a field is contested.
func savedOf(f lifecycle.FieldState) string {
	switch {
	case f.Declared().Kind == form.KindRows:
		return strconv.Itoa(f.SavedRows())
	case f.Contested() && !f.Declared().Private:
		return f.Declared().Readable(f.Baseline())
	default:
		return ""
	}
}

// answerOf is a field's answer: of several choices one a line.
func answerOf(f lifecycle.FieldState) string {
	v := f.Value()
	if v.Kind == form.ValueChoices {
		return strings.Join(v.Options(), "\n")
	}
	return v.String()
}

func isAnswered(f lifecycle.FieldState) bool {
	v := f.Value()
	return !v.Absent() && v.Kind != form.ValueUnparsed
}

// whole tells how the whole form is now.
func (p *patch) whole(s *lifecycle.Session) {
	p.status(s)
	for _, button := range s.Form().Buttons {
		p.button(s, button, s.Holds(button))
	}
	p.issues(s)
}

// isUnderWay reports whether an attempt is under way, or its outcome is not known.
func isUnderWay(s *lifecycle.Session) bool {
	switch s.Submission() {
	case lifecycle.SubmissionSending, lifecycle.SubmissionWaiting, lifecycle.SubmissionUnsettled:
		return true
	}
	return false
}

// attemptOf is what the newest attempt has sent, while that is under way.
func attemptOf(s *lifecycle.Session) string {
	if !isUnderWay(s) {
		return ""
	}
	return string(s.Form().AppendBody(nil, s.Form().WithoutBeyond(s.AppendSent(nil))))
}

// receiptOf is where what was received can be seen.
func receiptOf(s *lifecycle.Session) string {
	if s.Submission() == lifecycle.SubmissionAccepted {
		return s.Receipt().To
	}
	return ""
}

func reasonOf(s *lifecycle.Session) string {
	reason, _ := s.Asking()
	return reason.String()
}

func destinationOf(s *lifecycle.Session) string {
	_, to := s.Asking()
	return to
}

// locked reports whether the fields are: all of them are, or none.
func locked(s *lifecycle.Session) bool {
	for f := range s.Fields() {
		return f.Locked()
	}
	return false
}

// effect tells what the session asks of a screen.
func (p *patch) effect(form *form.Form, e *lifecycle.Effect) {
	switch e.Kind {
	case lifecycle.EffectSay:
		p.say(e.Level.String(), form.Text(e.Message), kindOf(e), matters(e.Message.ID))
	case lifecycle.EffectFocus:
		path := ""
		if e.Place.Field >= 0 {
			path = form.Path(e.Place)
		}
		p.focus(path)
	case lifecycle.EffectAsk:
		p.ask(e.Reason.String(), e.To)
	case lifecycle.EffectLeave:
		p.leave(e.To, e.LeaveKind.String())
	case lifecycle.EffectNavigate:
		p.navigate(e.To)
	case lifecycle.EffectGuardUnload:
		p.guard(e.On)
	}
}

// kindOf says what a message is about: what is wrong, what was received, or what the
// applicant has to know.
func kindOf(e *lifecycle.Effect) string {
	switch {
	case e.Message.ID == form.MessageBlockedInvalid || e.Message.ID == form.MessageRefused:
		return "wrong"
	case e.Message.ID == form.MessageAccepted:
		return "good"
	case e.Level == lifecycle.Assertive:
		return "unsure"
	}
	return ""
}

// matters is until when a message is shown: until the applicant acts, or until the prefill
// or the submission is in another state.
func matters(id form.MessageID) string {
	switch id {
	case form.MessageBlockedUnchanged, form.MessageBlockedReceived, form.MessageBlockedContested, form.MessageAccepted:
		return "act"
	case form.MessageBlockedLoading, form.MessageBlockedPrefillMissing, form.MessageLoadFailed, form.MessageLoadDenied, form.MessageRestoredWaiting:
		return "prefill"
	}
	return "submission"
}
