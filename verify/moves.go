package verify

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// move is one thing that can happen: an event, and for an answer the HTTP reply
// that it stands for.
type move struct {
	event    lifecycle.Event
	also     []lifecycle.Event // edits that go with it in one move: nothing comes between
	response *replies.Response
	stale    bool // supplied: it was read before the newest change
	forward  bool // an applicant's action, a timer, or an answer of an office that accepts
}

// answer is an HTTP reply and the event that it becomes. The event still lacks its request.
type answer struct {
	response *replies.Response
	event    lifecycle.Event
}

// successors lists what can happen in a world, in a fixed order.
type successors struct {
	form    *form.Form
	options Options
	fields  []edited
	filled  []lifecycle.Event       // what completes the other fields
	groups  []string                // in which a field is edited
	needed  map[form.FieldID]string // in these: what a row that was added is filled in with

	hasChecks bool
	loads     []answer
	submits   []answer
	checks    []answer
}

func newSuccessors(declared *form.Form, o Options) (*successors, error) {
	m := &successors{form: declared, options: o, hasChecks: slices.ContainsFunc(declared.Fields, func(f form.Field) bool { return f.Check.URL != "" })}
	edits, chosen, err := fillOf(declared)
	if err != nil {
		return nil, err
	}
	for _, path := range o.Edited {
		f, err := editedField(declared, path, chosen)
		if err != nil {
			return nil, err
		}
		m.fields = append(m.fields, f)
	}
	for _, f := range m.fields { // rows come and go where something in them is edited
		if group, inRows := declared.Group(f.field); inRows && !slices.Contains(m.groups, declared.Fields[group].Path) {
			m.groups = append(m.groups, declared.Fields[group].Path)
		}
	}
	m.fill(edits)
	m.needed = map[form.FieldID]string{}
	for id := range declared.Declared() {
		group, inRows := declared.Group(form.FieldID(id))
		if inRows && declared.Fields[id].Needed() && slices.Contains(m.groups, declared.Fields[group].Path) {
			if raw, ok := m.sample(form.FieldID(id)); ok {
				m.needed[form.FieldID(id)] = raw
			}
		}
	}
	header := map[string]string{"ETag": "v"}
	for _, r := range []*replies.Response{{Status: 200, Header: header, Body: m.record()}, {Status: 500}} {
		values, version, why := replies.Load(declared, *r)
		e := lifecycle.Loaded(0, values, version)
		if why != "" {
			e = lifecycle.LoadFailed(0, why)
		}
		m.loads = append(m.loads, answer{r, e})
	}
	accepted := replies.Accepting(declared, m.accepted())
	versioned := accepted
	versioned.Header = header
	submits := []*replies.Response{
		&versioned,
		m.refusal(0),
		{Status: 401},
		{Status: 412},
		{Status: 503},
		{Broken: true},
	}
	if !declared.Submit.Creates() && declared.Prefill.Loads() {
		submits = append(submits, &accepted) // without a version
	}
	if len(m.groups) > 0 && o.Rows > 1 {
		submits = append(submits, m.refusal(1)) // of another row than the one that is edited
	}
	for _, r := range submits {
		m.submits = append(m.submits, answer{r, lifecycle.Replied(0, 0, replies.Submit(declared, *r))})
	}
	for _, r := range []*replies.Response{{Status: 200}, {Status: 422, Body: map[string]any{"message": "Taken."}}, {Status: 500}} {
		entries, ok := replies.Check(declared, *r)
		e := lifecycle.Checked(0, entries)
		if !ok {
			e = lifecycle.CheckFailed(0)
		}
		m.checks = append(m.checks, answer{r, e})
	}
	return m, nil
}

// brings is the answer to each load of the walk. It is nil where no load comes.
func (m *successors) brings() []form.Answer {
	if !m.form.Prefill.Loads() {
		return nil
	}
	return m.loads[0].event.Values
}

// moves appends each move to a list, and reports whether a bound left some out.
func (m *successors) moves(w *world, list []move) (all []move, cut bool) {
	l := moveList{successors: m, world: w, list: list}
	if w.gone() {
		if under(m.options.Loads, w.loads) || !m.form.Prefill.Loads() {
			l.applicant(lifecycle.Returned())
		}
		l.supplying()
		l.answers() // all are stale now
		return l.list, false
	}
	l.editing()
	l.rows()
	l.supplying()
	l.submitting()
	if m.form.Prefill.Loads() {
		if under(m.options.Loads, w.loads) {
			l.applicant(lifecycle.Refresh())
		} else { // one more load matters where none has arrived
			l.cut = l.cut || w.session.Prefill() != lifecycle.PrefillReady || w.session.Holds("").Has(lifecycle.HoldPrefillMissing)
		}
	}
	l.applicant(lifecycle.Reset())
	l.leaving()
	l.answers()
	return l.list, l.cut
}

type moveList struct {
	*successors
	world *world
	list  []move
	cut   bool
}

func (l *moveList) add(e lifecycle.Event, response *replies.Response, forward bool) {
	l.list = append(l.list, move{event: e, response: response, forward: forward})
}

func (l *moveList) applicant(e lifecycle.Event) { l.add(e, nil, true) }

func (l *moveList) editing() {
	s := l.world.session
	for _, f := range l.fields {
		state, there := s.Field(f.path)
		if !there {
			continue
		}
		for _, raw := range f.raws {
			l.applicant(lifecycle.Edit(f.path, raw))
		}
		if !state.Touched() {
			l.applicant(lifecycle.Blur(f.path))
		}
		if state.Contested() {
			l.applicant(lifecycle.Resolve(f.path, lifecycle.ChooseMine))
			l.applicant(lifecycle.Resolve(f.path, lifecycle.ChooseTheirs))
		}
	}
	// The other answers that a reset or a clear took are typed again, all at once;
	// their rows are added before.
	added := map[string]int{}
	for k, e := range l.filled {
		f, there := s.Field(e.Path)
		if e.Kind == lifecycle.EventAddRow && !slices.Contains(l.groups, e.Path) {
			if added[e.Path]++; f.Asked() && f.Rows() < added[e.Path] {
				l.applicant(e)
				return
			}
		}
		if e.Kind == lifecycle.EventEdit && there && f.Asked() && f.Value() != l.form.Parse(f.Place().Field, e.Raw) {
			l.list = append(l.list, move{event: e, also: l.retyped(k + 1), forward: true})
			return
		}
	}
	l.fillRows()
}

// fillRows types what the rows that were added still lack, all at once.
func (l *moveList) fillRows() {
	var edits []lifecycle.Event
	for f := range l.world.session.Fields() {
		raw, needed := l.needed[f.Place().Field]
		if !needed || !f.Asked() || !f.Value().Absent() {
			continue
		}
		if path := f.Path(); !slices.ContainsFunc(l.fields, func(e edited) bool { return e.path == path }) {
			edits = append(edits, lifecycle.Edit(path, raw))
		}
	}
	if len(edits) > 0 {
		l.list = append(l.list, move{event: edits[0], also: edits[1:], forward: true})
	}
}

// retyped are the edits from one on: rows that are missing are added by a move of
// their own.
func (l *moveList) retyped(from int) []lifecycle.Event {
	for _, e := range l.filled[from:] {
		if e.Kind != lifecycle.EventEdit {
			return slices.DeleteFunc(slices.Clone(l.filled[from:]), func(e lifecycle.Event) bool { return e.Kind != lifecycle.EventEdit })
		}
	}
	return l.filled[from:]
}

func (l *moveList) rows() {
	for id := range l.form.Declared() {
		group := l.form.Fields[id].Path
		if l.form.Fields[id].Kind != form.KindRows {
			continue
		}
		f, _ := l.world.session.Field(group)
		if f.Contested() {
			l.applicant(lifecycle.Resolve(group, lifecycle.ChooseMine))
			l.applicant(lifecycle.Resolve(group, lifecycle.ChooseTheirs))
		}
		if !slices.Contains(l.groups, group) {
			continue
		}
		most := l.options.Rows
		if l.options.RowsStay {
			most = 0
		}
		if f.Asked() && f.Rows() < max(most, l.form.Fields[id].LeastRows()) {
			l.applicant(lifecycle.AddRow(group))
		}
		if l.options.RowsStay {
			continue
		}
		if f.Rows() > 0 {
			l.applicant(lifecycle.RemoveRow(group + "/0"))
		}
		if f.Rows() > 1 {
			l.applicant(lifecycle.RemoveRow(group + "/1"))
			l.applicant(lifecycle.MoveRow(group+"/1", group+"/0"))
		}
	}
}

func (l *moveList) submitting() {
	s := l.world.session
	mayBegin, mayRepeat := l.room()
	if l.maySubmit() {
		for _, button := range l.buttons() {
			l.applicant(lifecycle.Submit(button))
		}
	} else {
		l.cut = true
	}
	if s.Submission() == lifecycle.SubmissionUnsettled && mayRepeat || s.Submission() == lifecycle.SubmissionDenied && mayBegin {
		l.applicant(lifecycle.Retry())
	}
	if s.Activity() != lifecycle.ActivityIdle {
		l.applicant(lifecycle.Cancel())
	}
}

// buttons are those that submit.
func (m *successors) buttons() []string {
	if m.options.OneButton {
		return m.form.Buttons[:1]
	}
	return m.form.Buttons
}

// room says what the bounds still allow: a new attempt, or one more try.
func (l *moveList) room() (mayBegin, mayRepeat bool) {
	return under(l.options.Attempts, l.world.attempts), under(l.options.Tries, l.world.sent)
}

// maySubmit reports whether a submit stays within the bounds.
func (l *moveList) maySubmit() bool {
	mayBegin, mayRepeat := l.room()
	return mayBegin && (mayRepeat || l.world.session.Submission() != lifecycle.SubmissionUnsettled)
}

func (l *moveList) leaving() {
	s := l.world.session
	switch s.Leaving() {
	case lifecycle.LeavePresent:
		l.applicant(lifecycle.LeaveAsked("/away", lifecycle.LeaveInside))
		l.applicant(lifecycle.LeaveAsked("/away", lifecycle.LeaveUnload))
	case lifecycle.LeaveAsking, lifecycle.LeaveDeparting:
		l.applicant(lifecycle.LeaveDecided(lifecycle.DecisionStay))
		l.applicant(lifecycle.LeaveDecided(lifecycle.DecisionDiscard))
		if s.Leaving() == lifecycle.LeaveAsking && (l.maySubmit() || s.Activity() != lifecycle.ActivityIdle) {
			l.applicant(lifecycle.LeaveDecided(lifecycle.DecisionSubmit))
		}
	}
}

// supplying lists what the application supplies of its own accord: the version that is known, another one, and
// what it read before the newest change of the record. A form that creates sends no version, and no version is
// told apart there.
func (l *moveList) supplying() {
	if !l.form.Prefill.Loads() || !l.options.Supplied {
		return
	}
	s := l.world.session
	supply := func(version string, after uint32) {
		e := lifecycle.Supplied(l.loads[0].event.Values, version, after)
		l.list = append(l.list, move{event: e, response: l.loads[0].response, stale: after < s.Changes()})
	}
	other := ""
	if known := s.Version(); !l.form.Submit.Creates() {
		if other = "w"; known == other {
			other = "v"
		}
		if known != "" {
			supply(known, s.Changes())
		}
	}
	supply(other, s.Changes())
	if s.Changes() > 0 {
		supply(other, s.Changes()-1)
	}
}

// answers lists the answers of the backend and the clock. Some are to requests that are on their
// way. Others are to requests that were answered or given up, and change nothing.
func (l *moveList) answers() {
	w := l.world
	if r := w.watch.Loading(); r != 0 {
		l.toRequest(l.loads, r)
	}
	if r := w.load.spent; r != 0 && l.form.Prefill.Loads() {
		l.toSpent(l.loads, r)
	}
	w.requests = w.watch.AppendChecks(w.requests[:0])
	for _, r := range w.requests {
		l.toRequest(l.checks, r)
	}
	if r := w.check.spent; r != 0 && l.hasChecks {
		l.toSpent(l.checks, r)
	}
	attempt := w.session.Attempt()
	w.tries = w.watch.AppendTries(w.tries[:0])
	for _, try := range w.tries {
		late := try != attempt.Tries || w.session.Activity() != lifecycle.ActivitySending
		for k, a := range l.submits {
			if late && k > 1 && a.event.Reply.Kind != lifecycle.ReplyAccepted && !l.options.Whole {
				continue // of late answers only acceptances count: every other is stale, one like the other
			}
			l.add(lifecycle.Replied(attempt.Number, try, a.event.Reply), a.response, k == 0)
		}
	}
	if attempt.Outcome != lifecycle.OutcomeOpen { // settled: the reply comes once more
		l.add(lifecycle.Replied(attempt.Number, attempt.Tries, l.submits[0].event.Reply), l.submits[0].response, false)
	}
	for k, t := range w.watch.Armed() {
		switch {
		case !w.mayElapse(k):
		case t.Of == lifecycle.TimerWait && !under(l.options.Tries, w.sent):
			l.cut = true
		default:
			l.add(lifecycle.Elapsed(t.ID), nil, true)
		}
	}
}

// toSpent answers a request that has been answered or given up. One answer stands for all, because
// each is as stale as the other.
func (l *moveList) toSpent(answers []answer, r lifecycle.RequestID) {
	if !l.options.Whole {
		answers = answers[:1]
	}
	l.toRequest(answers, r)
}

func (l *moveList) toRequest(answers []answer, r lifecycle.RequestID) {
	for k := range answers {
		e := answers[k].event
		e.Request = r
		l.add(e, answers[k].response, k == 0)
	}
}
