package lifecycle

import (
	"iter"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
)

// Form is the form that the session works on.
func (s *Session) Form() *form.Form { return s.form }

// Prefill is how far the loading of saved answers has come.
func (s *Session) Prefill() Prefill { return s.prefill }

// Activity is what is going on now.
func (s *Session) Activity() Activity { return s.activity }

// Leaving is whether the applicant is going away from the form.
func (s *Session) Leaving() Leave { return s.leave }

// Asking is the reason that stands in the question at leaving, and the
// destination; AskNothing while no question stands.
func (s *Session) Asking() (AskReason, string) { return s.asked, s.leaveTo }

// Destination is where the applicant went, or wanted to go last.
func (s *Session) Destination() string { return s.leaveTo }

// Submission is what a reader sees of the newest submission.
func (s *Session) Submission() Submission {
	switch {
	case s.activity != ActivityIdle:
		return SubmissionIdle + Submission(s.activity)
	case s.unsettled():
		return SubmissionUnsettled
	case s.newestOutcome != OutcomeOpen:
		return SubmissionAccepted + Submission(s.newestOutcome-OutcomeAccepted)
	default:
		return SubmissionIdle
	}
}

// Holds are the reasons why a submit would not send now. Without a button they
// are asked for the attempt's, else for the first.
func (s *Session) Holds(button string) Holds {
	index := 0
	if button == "" && s.attempt.number > 0 {
		index = int(s.attempt.button)
	} else if b, ok := s.form.ButtonAt(button); ok {
		index = b
	}
	return s.holds(int32(index))
}

// Unsaved reports whether any field is dirty, or an answer of an earlier page waits
// for its row.
func (s *Session) Unsaved() bool { return s.dirty() > 0 }

// WouldAsk is the reason for which leaving would ask now.
func (s *Session) WouldAsk() AskReason { return s.askReason() }

// UnloadGuard reports whether the page carries an unload listener.
func (s *Session) UnloadGuard() bool { return s.guard }

// Ignored is how many submits did nothing because one was under way.
func (s *Session) Ignored() int { return int(s.ignored) }

// Changes counts what the session has seen of changes of the saved record: acceptances and outdated replies.
// [Supplied] says how many there were when the application began to read.
func (s *Session) Changes() uint32 { return s.changes }

// AnswerWaits reports whether saved answers have arrived that are merged only when the outcome of the newest attempt is
// known.
func (s *Session) AnswerWaits() bool { return s.deferred.present }

// Version is the version that the values are based on; empty means that it is unknown.
func (s *Session) Version() string { return s.version }

// Notice is what was said last, how urgently, and how many notices there have
// been.
func (s *Session) Notice() (form.Message, Level, int) {
	return s.notice.message, s.notice.level, int(s.notice.count)
}

// Receipt is what the newest accepted submission returned, as a copy.
func (s *Session) Receipt() Receipt {
	return Receipt{Values: slices.Clone(s.receiptValues), To: s.receipt.to, Version: s.receipt.version, Text: s.receipt.text}
}

// Focused is where the focus was moved last.
func (s *Session) Focused() form.Place { return s.focus }

// Attempt is what is known of the newest attempt.
type Attempt struct {
	Number  int32 // 0 means that there has been none
	Tries   int32
	Key     Key
	Button  string
	Version string
	Outcome Outcome
}

// Attempt is the newest attempt.
func (s *Session) Attempt() Attempt {
	a := &s.attempt
	return Attempt{a.number, s.currentTry(), a.key, s.form.Buttons[a.button], a.version, a.outcome}
}

// AppendSent lists the values of the newest attempt in the form's order.
func (s *Session) AppendSent(to []form.Answer) []form.Answer {
	if s.attempt.number == 0 {
		return to
	}
	return s.appendSent(to)
}

// AppendValues lists what a submit would send now, in the form's order. It does not ask whether
// anything holds the submit.
func (s *Session) AppendValues(to []form.Answer) []form.Answer {
	return sending{s, true}.list(to)
}

// Sent is the value that the newest attempt carries for a path, rows as sent.
func (s *Session) Sent(path string) (form.Value, bool) {
	if _, ok := s.form.Lookup(path); !ok || s.attempt.number == 0 {
		return form.Value{}, ok
	}
	i := s.sentPlace(path)
	if i < 0 {
		return form.Value{}, true
	}
	return s.cells[i].Sent, true
}

// Issue is one thing that is wrong.
type Issue struct {
	Path   string // empty means the whole form
	Source Source
	Code   string
	Text   string
	Shown  bool
}

// Pending is what is under way, for a screen to show: loading, checking or sending.
func (s *Session) Pending() form.Message {
	switch {
	case s.activity == ActivityChecking:
		return form.Message{ID: form.MessageChecking}
	case s.activity == ActivitySending:
		return form.Message{ID: form.MessageSending}
	case s.prefill == PrefillLoading:
		return form.Message{ID: form.MessageLoading}
	}
	return form.Message{}
}

// FormIssues lists what concerns the form as a whole.
func (s *Session) FormIssues() []Issue {
	var list []Issue
	for _, x := range s.issues {
		if x.Cell < 0 {
			list = append(list, Issue{"", Source(x.Source), x.Code, x.Text, true})
		}
	}
	return list
}

// FieldState is one field of a session, as it is until the next Apply.
type FieldState struct {
	session *Session
	cell    int32
	place   form.Place
}

// Field finds a field by its path: a declared one, or one in a row that is
// there now.
func (s *Session) Field(path string) (FieldState, bool) {
	p, ok := s.form.Lookup(path)
	if !ok || s.form.Fields[p.Field].Kind == form.KindRows && p.Row >= 0 {
		return FieldState{}, false
	}
	return s.At(p)
}

// At finds a field by its place.
func (s *Session) At(p form.Place) (FieldState, bool) {
	i, ok := s.cellAt(p)
	return FieldState{s, i, p}, ok
}

// ByID finds a field by its ID, if it is there now.
func (s *Session) ByID(id int) (FieldState, bool) {
	if id < 0 || id >= len(s.cells) {
		return FieldState{}, false
	}
	p, there := s.where(int32(id))
	return FieldState{s, int32(id), p}, there
}

// Fields goes through all declared fields in the form's order: behind the head of a
// repeated group come the fields of its rows.
func (s *Session) Fields() iter.Seq[FieldState] {
	return func(yield func(FieldState) bool) {
		row, previous := int32(-1), int32(-1)
		for i := range s.inOrder() {
			c := &s.cells[i]
			switch {
			case c.Row < 0:
				row = -1
			case c.Row != previous:
				row++
			}
			previous = c.Row
			if !s.isBeyond(c.Field) && !yield(FieldState{s, i, form.Place{Field: c.Field, Row: row}}) {
				return
			}
		}
	}
}

// Changed goes through the fields whose value, marks or issues the last Apply
// may have changed: what a screen has to draw again.
func (s *Session) Changed() iter.Seq[FieldState] {
	return func(yield func(FieldState) bool) {
		for _, i := range s.changed {
			if p, there := s.where(i); there && !s.isBeyond(p.Field) && !yield(FieldState{s, i, p}) {
				return
			}
		}
	}
}

func (f FieldState) has(b state.Bits) bool { return f.session.has(f.cell, b) }

// Place is where the field is now; Path is the same as a path.
func (f FieldState) Place() form.Place { return f.place }

// Path names the field.
func (f FieldState) Path() string { return f.session.form.Path(f.place) }

// ID names the field in this session, wherever its row moves.
func (f FieldState) ID() int { return int(f.cell) }

// Declared is what the form declares of the field.
func (f FieldState) Declared() *form.Field { return &f.session.form.Fields[f.place.Field] }

// Raw is the text in the control: what was typed, else the value written out.
func (f FieldState) Raw() string {
	return f.session.rawOf(f.cell)
}

// Value is the answer: absent while it is not asked.
func (f FieldState) Value() form.Value { return f.session.effective(f.cell, sideNow) }

// Underlying is the answer that is there whether the field is asked or not: it comes back when the
// field is asked again.
func (f FieldState) Underlying() form.Value { return f.session.cells[f.cell].Value }

// Baseline is the answer that was last known to be saved: for a contested field
// the newer one.
func (f FieldState) Baseline() form.Value { return f.session.effective(f.cell, sideBase) }

// UnderlyingBaseline is the saved answer beside [FieldState.Underlying], whether the field is
// asked or not.
func (f FieldState) UnderlyingBaseline() form.Value { return f.session.cells[f.cell].Baseline }

// Rows is the number of rows of a repeated group.
func (f FieldState) Rows() int {
	if f.Declared().Kind != form.KindRows || !f.Asked() {
		return 0
	}
	return len(f.session.groups[f.session.form.GroupIndex(f.place.Field)].Now)
}

// SavedRows is the number of rows of a repeated group as it was last known to be
// saved.
func (f FieldState) SavedRows() int {
	if f.Declared().Kind != form.KindRows {
		return 0
	}
	return len(f.session.countedRows(f.place.Field, sideBase))
}

// Asked reports whether the field is asked.
func (f FieldState) Asked() bool { return f.has(state.BitAsked) }

// Dirty reports whether the value differs from the baseline.
func (f FieldState) Dirty() bool { return f.has(state.BitDirty) }

// Touched reports whether the applicant has left the field.
func (f FieldState) Touched() bool { return f.has(state.BitTouched) }

// EditedSince reports whether the field was edited after the newest attempt
// was sent.
func (f FieldState) EditedSince() bool { return f.has(state.BitEdited) }

// Contested reports whether the applicant has to choose between their edit and
// a newer saved value.
func (f FieldState) Contested() bool { return f.has(state.BitContested) && f.has(state.BitAsked) }

// Checking reports whether the field's check is delayed or out.
func (f FieldState) Checking() bool { return f.has(state.BitChecking) }

// Locked reports whether an edit would be turned away.
func (f FieldState) Locked() bool { return f.session.locked() || f.session.awaits(f.place.Field) }

// Wrong reports whether the field has an issue of a rule or a check: one that
// holds a submit.
func (f FieldState) Wrong() bool {
	return f.Asked() && (f.session.cells[f.cell].Rules != 0 || f.has(state.BitCheckIssue))
}

// Shows reports whether an issue of a source would be shown at the field now.
func (f FieldState) Shows(source Source) bool { return f.session.shows(f.cell, source) }

// HasIssueOf reports whether a rule, a check or the server has an issue with the
// field.
func (f FieldState) HasIssueOf(source Source) bool {
	if source == SourceRule {
		return f.session.cells[f.cell].Rules != 0
	}
	return slices.ContainsFunc(f.session.issues, func(x state.Issue) bool { return x.Cell == f.cell && Source(x.Source) == source })
}

// Issues lists what is wrong with the field, rules first, each with whether it
// is shown.
func (f FieldState) Issues() []Issue {
	s, c := f.session, &f.session.cells[f.cell]
	if c.Rules == 0 && c.Bits&(state.BitCheckIssue|state.BitServerIssue) == 0 {
		return nil
	}
	var list []Issue
	path := f.Path()
	for code := form.CodeValueMissing; code <= form.CodeCustomError; code++ {
		if c.Rules.Has(code) {
			list = append(list, Issue{path, SourceRule, code.String(), s.ruleText(f.cell, code), s.shows(f.cell, SourceRule)})
		}
	}
	for _, x := range s.issues {
		if x.Cell == f.cell {
			list = append(list, Issue{path, Source(x.Source), x.Code, x.Text, s.shows(f.cell, Source(x.Source))})
		}
	}
	return list
}
