package diagram

import (
	"cmp"
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// fieldLanes makes the lanes of a field: its value, and what is wrong with it.
type fieldLanes struct {
	place         form.Place
	value, issues lane
	touched       bool // the session did something with it
	shown         string
	known         bool
	text          string
	look          look
}

// look takes down what every field shows now.
func (s *session) look() {
	for f := range s.session.Fields() {
		if f.Declared().Kind == form.KindRows {
			continue
		}
		l := s.fields[f.Place()]
		if l == nil {
			l = &fieldLanes{place: f.Place(), value: lane{name: f.Path()}}
			s.fields[f.Place()] = l
			s.order = append(s.order, l)
		}
		s.lookAt(f, l)
	}
	var wrong []string
	for _, issue := range s.session.FormIssues() {
		wrong = append(wrong, cmp.Or(issue.Text, issue.Code))
	}
	s.wrong = s.whole.issue(s.now, s.wrong, wrong)
}

// issue shows what is wrong, where that has changed; it returns what it shows.
func (l *lane) issue(at time.Duration, before string, wrong []string) (now string) {
	if now = strings.Join(wrong, " "); now != before {
		l.close(at, dot, None, "")
		if now != "" {
			l.open(at, lookIssue, now)
		}
	}
	return now
}

func (s *session) lookAt(f lifecycle.FieldState, l *fieldLanes) {
	text := s.valueText(f)
	how := lookClean
	switch {
	case f.Contested():
		how, l.touched = lookContested, true
	case f.Dirty():
		how = lookDirty
	}
	if !l.known || text != l.text || how != l.look {
		l.value.close(s.now, dot, None, "")
		label := text
		if l.known && text == l.text {
			label = ""
		}
		if how == lookContested {
			label = strings.TrimSpace(label + " contested")
		}
		if text != "" || how != lookClean {
			l.value.open(s.now, how, label)
		}
		l.known, l.text, l.look = true, text, how
	}
	var wrong []string
	for _, issue := range f.Issues() {
		if issue.Shown {
			wrong = append(wrong, cmp.Or(issue.Text, issue.Code))
		}
	}
	l.shown = l.issues.issue(s.now, l.shown, wrong)
	l.touched = l.touched || l.shown != ""
}

func (s *session) valueText(f lifecycle.FieldState) string {
	v := f.Value()
	switch {
	case v.Absent():
		return ""
	case f.Declared().Private:
		s.private = true
		return "(private)"
	case v.Kind == form.ValueText, v.Kind == form.ValueUnparsed:
		return strconv.Quote(v.Text)
	default:
		return strings.ReplaceAll(s.form.Format(v), "\n", ", ")
	}
}

func (s *session) field(path string) *fieldLanes {
	place, ok := s.form.Lookup(path)
	if !ok {
		return nil
	}
	return s.fields[place]
}
