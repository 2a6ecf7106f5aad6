package entry

import (
	"cmp"
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

type patch struct{ text []byte }

func (p *patch) add(parts ...string) {
	for _, part := range parts {
		for k := range len(part) { // the two ends are in no text that anybody types
			if c := part[k]; c != partEnd && c != recordEnd {
				p.text = append(p.text, c)
			}
		}
		p.text = append(p.text, partEnd)
	}
	p.text = append(p.text, recordEnd)
}

// take gives what has been gathered, and begins anew.
func (p *patch) take() string {
	text := string(p.text)
	p.text = p.text[:0]
	return text
}

// flags joins the letters whose conditions are true.
func flags(pairs ...any) string {
	var letters []byte
	for k := 0; k < len(pairs); k += 2 {
		if pairs[k+1].(bool) {
			letters = append(letters, pairs[k].(string)...)
		}
	}
	return string(letters)
}

// field tells how a field, or a group, is now: its path and identity, letters, what its
// control holds, what was saved meanwhile where it is contested, the answer, and the issues.
func (p *patch) field(f lifecycle.FieldState) {
	raw, saved := f.Raw(), ""
	kind := "field"
	switch {
	case f.Declared().Kind == form.KindRows:
		kind, raw, saved = "rows", strconv.Itoa(f.Rows()), strconv.Itoa(f.SavedRows())
	case f.Contested() && !f.Declared().Private:
		saved = f.Declared().Readable(f.Baseline())
	}
	v := f.Value()
	answer := v.String()
	if v.Kind == form.ValueChoices {
		answer = strings.Join(v.Options(), "\n")
	}
	letters := flags("a", f.Asked(), "d", f.Dirty(), "c", f.Checking(), "x", f.Contested(), "t", f.Touched(), "v", !v.Absent() && v.Kind != form.ValueUnparsed)
	parts := []string{kind, f.Path(), strconv.Itoa(f.ID()), letters, raw, saved, answer}
	p.add(appendIssues(parts, f.Issues())...)
}

// appendIssues adds each issue: where it comes from, its code, a letter where it shows, and
// its text.
func appendIssues(parts []string, issues []lifecycle.Issue) []string {
	for _, issue := range issues {
		parts = append(parts, issue.Source.String(), issue.Code, flags("s", issue.Shown), issue.Text)
	}
	return parts
}

// declared tells what the form declares of each field: its path, its kind and that of its
// options, letters, its words, and each option's value and label.
func (p *patch) declared(f *form.Form) {
	for k := range f.Fields {
		field := &f.Fields[k]
		parts := []string{"declared", field.Path, field.Kind.String(), field.Of.String(), flags("r", field.Needed(), "p", field.Private), field.Label, field.Unit, field.Help, field.Placeholder, field.Autocomplete}
		for _, o := range field.Options {
			parts = append(parts, o.Value.String(), cmp.Or(o.Label, o.Value.String()))
		}
		p.add(parts...)
	}
}

// status tells how the whole form is now.
func (p *patch) status(s *lifecycle.Session) {
	form, to := s.Form(), ""
	if s.Submission() == lifecycle.SubmissionAccepted {
		to = s.Receipt().To
	}
	reason, leaving := s.Asking()
	p.add("status", s.Submission().String(), s.Prefill().String(), s.Leaving().String(),
		flags("u", s.Unsaved(), "g", s.UnloadGuard(), "k", s.Activity() != lifecycle.ActivityIdle, "l", locked(s)), form.Text(s.Pending()), to, reason.String(), leaving)
	for _, button := range form.Buttons {
		holds := s.Holds(button)
		p.add("button", button, strings.Join(holds.Words(), " "), form.Text(s.HoldMessage(holds)))
	}
	p.add(appendIssues([]string{"issues"}, s.FormIssues())...)
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
		p.add("say", e.Level.String(), form.Text(e.Message), kindOf(e), matters(e.Message.ID))
	case lifecycle.EffectFocus:
		path := ""
		if e.Place.Field >= 0 {
			path = form.Path(e.Place)
		}
		p.add("focus", path)
	case lifecycle.EffectAsk:
		p.add("ask", e.Reason.String(), e.To)
	case lifecycle.EffectLeave:
		p.add("leave", e.To, e.LeaveKind.String())
	case lifecycle.EffectNavigate:
		p.add("navigate", e.To)
	case lifecycle.EffectGuardUnload:
		p.add("guard", flags("g", e.On))
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
