package lifecycle

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// issue is one thing that a check or the server said. Rules' issues are not
// addIssue places what a check or the server said.
func (s *Session) addIssue(x state.Issue) {
	if x.Code == "" {
		x.Code = form.CodeCustomError.String()
	}
	s.issues = append(s.issues, x)
	s.markIssue(&x)
	if x.Cell >= 0 {
		s.noteChanged(x.Cell)
	}
}

// markIssue marks the cell that has an issue, and the one whose check has placed it
// elsewhere.
func (s *Session) markIssue(x *state.Issue) {
	if x.Cell >= 0 {
		s.mark(x.Cell, bitOf(Source(x.Source)))
	}
	if x.From >= 0 && x.From != x.Cell && Source(x.Source) == SourceCheck {
		s.mark(x.From, state.BitIssuesElsewhere)
	}
}

func bitOf(source Source) state.Bits {
	if source == SourceCheck {
		return state.BitCheckIssue
	}
	return state.BitServerIssue
}

// dropIssues takes away the issues that go, and keeps the cells' bits in step.
func (s *Session) dropIssues(goes func(*state.Issue) bool) {
	kept := s.issues[:0]
	dropped := false
	for k := range s.issues {
		x := s.issues[k]
		if !goes(&x) {
			kept = append(kept, x)
			continue
		}
		dropped = true
		if x.Cell >= 0 {
			s.unmark(x.Cell, bitOf(Source(x.Source)))
			s.noteChanged(x.Cell)
		}
		if x.From >= 0 {
			s.unmark(x.From, state.BitIssuesElsewhere)
		}
	}
	clear(s.issues[len(kept):])
	s.issues = kept
	if !dropped {
		return
	}
	for k := range s.issues {
		s.markIssue(&s.issues[k])
	}
}

// dropIssuesOf takes away the check and server issues of a cell, and those that
// its check has placed on other cells.
func (s *Session) dropIssuesOf(i int32) {
	if s.has(i, state.BitCheckIssue|state.BitServerIssue|state.BitIssuesElsewhere) {
		s.dropIssues(func(x *state.Issue) bool { return x.Cell == i || x.From == i && Source(x.Source) == SourceCheck })
	}
}

func (s *Session) dropFormIssues() {
	if len(s.issues) > 0 {
		s.dropIssues(func(x *state.Issue) bool { return x.Cell < 0 && Source(x.Source) == SourceServer })
	}
}

// countIssues counts every issue of the form, shown or not.
func (s *Session) countIssues() int32 {
	count := int32(len(s.issues))
	if s.tally[state.ClassInvalid] == 0 {
		return count
	}
	for i := range s.inOrder() {
		for rules := s.cells[i].Rules; rules != 0; rules &= rules - 1 {
			count++
		}
	}
	return count
}

// firstTrouble is the first place in the form's order that has an issue, else
// the first that is contested, else the form itself.
func (s *Session) firstTrouble() form.Place {
	contested := WholeForm
	for i := range s.inOrder() {
		switch {
		case !s.has(i, state.BitAsked):
		case s.cells[i].Rules != 0 || s.has(i, state.BitCheckIssue|state.BitServerIssue):
			p, _ := s.where(i)
			return p
		case s.has(i, state.BitContested) && contested == WholeForm:
			contested, _ = s.where(i)
		}
	}
	if len(s.issues) > 0 {
		return WholeForm
	}
	return contested
}

// shows reports whether an issue of this source is shown at a cell.
func (s *Session) shows(i int32, source Source) bool {
	if s.revealed || source == SourceServer {
		return true
	}
	switch s.form.Show {
	case form.ShowBlur:
		return s.has(i, state.BitTouched)
	case form.ShowInput:
		return s.has(i, state.BitTyped|state.BitTouched)
	default:
		return false
	}
}
