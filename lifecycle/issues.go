package lifecycle

import "leanwicket.dev/form"

// issue is one thing that a check or the server said. Rules' issues are not
// kept here: they follow from the values.
type issue struct {
	cell   int32 // -1: the whole form
	from   int32 // of a check: the checked cell; of a server: one in a row that has not come yet; else -1
	source Source
	code   string
	text   string
}

// addIssue places what a check or the server said.
func (s *Session) addIssue(x issue) {
	if x.code == "" {
		x.code = form.CodeCustomError.String()
	}
	s.issues = append(s.issues, x)
	s.markIssue(&x)
	if x.cell >= 0 {
		s.noteChanged(x.cell)
	}
}

// markIssue marks the cell that has an issue, and the one whose check has placed it
// elsewhere.
func (s *Session) markIssue(x *issue) {
	if x.cell >= 0 {
		s.mark(x.cell, bitOf(x.source))
	}
	if x.from >= 0 && x.from != x.cell && x.source == SourceCheck {
		s.mark(x.from, bitIssuesElsewhere)
	}
}

func bitOf(source Source) cellBits {
	if source == SourceCheck {
		return bitCheckIssue
	}
	return bitServerIssue
}

// dropIssues takes away the issues that go, and keeps the cells' bits in step.
func (s *Session) dropIssues(goes func(*issue) bool) {
	kept := s.issues[:0]
	dropped := false
	for k := range s.issues {
		x := s.issues[k]
		if !goes(&x) {
			kept = append(kept, x)
			continue
		}
		dropped = true
		if x.cell >= 0 {
			s.unmark(x.cell, bitOf(x.source))
			s.noteChanged(x.cell)
		}
		if x.from >= 0 {
			s.unmark(x.from, bitIssuesElsewhere)
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
	if s.has(i, bitCheckIssue|bitServerIssue|bitIssuesElsewhere) {
		s.dropIssues(func(x *issue) bool { return x.cell == i || x.from == i && x.source == SourceCheck })
	}
}

func (s *Session) dropFormIssues() {
	if len(s.issues) > 0 {
		s.dropIssues(func(x *issue) bool { return x.cell < 0 && x.source == SourceServer })
	}
}

// countIssues counts every issue of the form, shown or not.
func (s *Session) countIssues() int32 {
	count := int32(len(s.issues))
	if s.tally[classInvalid] == 0 {
		return count
	}
	for i := range s.inOrder() {
		for rules := s.cells[i].rules; rules != 0; rules &= rules - 1 {
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
		case !s.has(i, bitAsked):
		case s.cells[i].rules != 0 || s.has(i, bitCheckIssue|bitServerIssue):
			p, _ := s.where(i)
			return p
		case s.has(i, bitContested) && contested == WholeForm:
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
		return s.has(i, bitTouched)
	case form.ShowInput:
		return s.has(i, bitTyped|bitTouched)
	default:
		return false
	}
}
