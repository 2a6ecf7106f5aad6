package verify

import (
	"encoding/json"

	"leanwicket.dev/declare"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
)

// move is one thing that can happen: an event, and for an answer the HTTP reply
// that it stands for.
type move struct {
	event    lifecycle.Event
	response *replies.Response
	forward  bool // an applicant's action, a timer, or an answer of an office that accepts
}

// answer is an HTTP reply, and the event that it is: all but the request.
type answer struct {
	response *replies.Response
	event    lifecycle.Event
}

func (a answer) to(r lifecycle.RequestID) lifecycle.Event {
	e := a.event
	e.Request = r
	return e
}

// mover lists what can happen in a world. cut, below, reports whether a bound left
// something out.
type mover struct {
	form    *lifecycle.Form
	options Options
	fields  []edited
	filled  []lifecycle.Event // what completes the other fields
	groups  []string
	loads   []answer
	submits []answer
	checks  []answer
}

func newMover(form *lifecycle.Form, o Options) *mover {
	m := &mover{form: form, options: o}
	for _, id := range choose(form, o.Fields) {
		path := form.Path(lifecycle.Place{Field: id, Row: -1})
		if _, inRows := form.Group(id); inRows {
			path = form.Path(lifecycle.Place{Field: id, Row: 0})
		}
		m.fields = append(m.fields, edited{path, texts(form, id)})
	}
	for id := range form.Fields {
		if form.Fields[id].Kind == lifecycle.KindRows {
			m.groups = append(m.groups, form.Fields[id].Path)
		}
	}
	header := map[string]string{"ETag": "v"}
	for _, r := range []*replies.Response{{Status: 200, Header: header, Body: m.record()}, {Status: 500}} {
		values, version, why := replies.Load(form, *r)
		e := lifecycle.Loaded(0, values, version)
		if why != "" {
			e = lifecycle.LoadFailed(0, why)
		}
		m.loads = append(m.loads, answer{r, e})
	}
	for _, r := range []*replies.Response{
		{Status: 200, Header: header}, {Status: 422, Body: m.refusal()}, {Status: 401}, {Status: 412}, {Status: 503}, {Broken: true},
	} {
		m.submits = append(m.submits, answer{r, lifecycle.Replied(0, 0, replies.Submit(form, *r))})
	}
	for _, r := range []*replies.Response{{Status: 200}, {Status: 422, Body: map[string]any{"message": "Taken."}}, {Status: 500}} {
		entries, ok := replies.Check(form, *r)
		e := lifecycle.Checked(0, entries)
		if !ok {
			e = lifecycle.CheckFailed(0)
		}
		m.checks = append(m.checks, answer{r, e})
	}
	return m
}

// record is what a load brings: an accepted answer for every field outside of
// rows, and for the first text that is edited another one than is typed.
func (m *mover) record() map[string]any {
	var answers []lifecycle.Answer
	varied := false
	for id := range m.form.Fields {
		field := lifecycle.FieldID(id)
		raw, ok := declare.Sample(m.form, field)
		if _, inRows := m.form.Group(field); inRows || !ok || m.form.Fields[id].Kind == lifecycle.KindRows {
			continue
		}
		v := m.form.Parse(field, raw)
		for _, f := range m.fields {
			if other := m.form.Parse(field, raw+"2"); f.path == m.form.Fields[id].Path && !varied && m.form.Accepts(field, other) {
				v, varied = other, true
			}
		}
		answers = append(answers, lifecycle.Answer{Place: lifecycle.Place{Field: field, Row: -1}, Value: v, Changed: true})
	}
	body := map[string]any{}
	_ = json.Unmarshal(m.form.AppendBody(nil, answers), &body) // what AppendBody writes is JSON
	return body
}

func (m *mover) refusal() map[string]any {
	errors := map[string]any{"nobody's": "Not that."}
	if len(m.fields) > 0 {
		errors[m.fields[0].path] = "Not this."
	}
	return map[string]any{"errors": errors}
}

// moves calls do with each move in a fixed order, and reports whether a bound
// left some out.
func (m *mover) moves(w *world, do func(move)) (cut bool) {
	s := w.session
	applicant := func(e lifecycle.Event) { do(move{event: e, forward: true}) }
	if w.gone {
		if w.asked < m.options.Loads || m.form.Prefill.URL == "" {
			applicant(lifecycle.Returned())
		}
		return false // who has left needs no way forward
	}
	for _, f := range m.fields {
		state, there := s.Field(f.path)
		if !there {
			continue
		}
		for _, raw := range f.raws {
			applicant(lifecycle.Edit(f.path, raw))
		}
		if !state.Touched() {
			applicant(lifecycle.Blur(f.path))
		}
		if state.Contested() {
			applicant(lifecycle.Resolve(f.path, lifecycle.ChooseMine))
			applicant(lifecycle.Resolve(f.path, lifecycle.ChooseTheirs))
		}
	}
	m.fillAgain(s, applicant)
	for _, group := range m.groups {
		f, _ := s.Field(group)
		if f.Rows() < m.options.Rows {
			applicant(lifecycle.AddRow(group))
		}
		if f.Rows() > 0 {
			applicant(lifecycle.RemoveRow(group + "/0"))
		}
		if f.Rows() > 1 {
			applicant(lifecycle.MoveRow(group+"/1", group+"/0"))
		}
		if f.Contested() {
			applicant(lifecycle.Resolve(group, lifecycle.ChooseTheirs))
		}
	}
	cut = m.submitting(w, applicant) || cut
	if m.form.Prefill.URL != "" {
		if w.asked < m.options.Loads {
			applicant(lifecycle.Refresh())
		} else { // one more load matters where none has arrived
			cut = cut || s.Prefill() != lifecycle.PrefillReady || s.Holds("").Has(lifecycle.HoldPrefillMissing)
		}
	}
	applicant(lifecycle.Reset())
	m.leaving(w, applicant)
	return m.answers(w, do) || cut
}

func (m *mover) submitting(w *world, applicant func(lifecycle.Event)) (cut bool) {
	mayBegin, mayRepeat := m.room(w)
	unsettled := w.session.Submission() == lifecycle.SubmissionUnsettled
	if cut = !m.maySubmit(w); !cut {
		for _, button := range m.form.Buttons {
			applicant(lifecycle.Submit(button))
		}
	}
	if unsettled && mayRepeat || w.session.Submission() == lifecycle.SubmissionDenied && mayBegin {
		applicant(lifecycle.Retry())
	}
	if w.session.Activity() != lifecycle.ActivityIdle {
		applicant(lifecycle.Cancel())
	}
	return cut
}

// fillAgain types the first of the other answers that a reset or a clear took.
func (m *mover) fillAgain(s *lifecycle.Session, applicant func(lifecycle.Event)) {
	for _, e := range m.filled {
		f, there := s.Field(e.Path)
		if e.Kind == lifecycle.EventEdit && there && f.Raw() != e.Raw && f.Asked() {
			applicant(e)
			return
		}
	}
}

// room is what the bounds leave: a new attempt, one more try.
func (m *mover) room(w *world) (mayBegin, mayRepeat bool) {
	return w.attempts < m.options.Attempts, int(w.session.Attempt().Tries) < m.options.Tries
}

// maySubmit reports whether a submit stays within the bounds.
func (m *mover) maySubmit(w *world) bool {
	mayBegin, mayRepeat := m.room(w)
	return mayBegin && (mayRepeat || w.session.Submission() != lifecycle.SubmissionUnsettled)
}

func (m *mover) leaving(w *world, applicant func(lifecycle.Event)) {
	s := w.session
	switch s.Leaving() {
	case lifecycle.LeavePresent:
		applicant(lifecycle.LeaveAsked("/away", lifecycle.LeaveInside))
		applicant(lifecycle.LeaveAsked("/away", lifecycle.LeaveUnload))
	case lifecycle.LeaveAsking, lifecycle.LeaveDeparting:
		applicant(lifecycle.LeaveAnswered(lifecycle.AnswerStay))
		applicant(lifecycle.LeaveAnswered(lifecycle.AnswerDiscard))
		if s.Leaving() == lifecycle.LeaveAsking && (m.maySubmit(w) || s.Activity() != lifecycle.ActivityIdle) {
			applicant(lifecycle.LeaveAnswered(lifecycle.AnswerSubmit))
		}
	}
}

// answers are those of the backend and of the clock.
func (m *mover) answers(w *world, do func(move)) (cut bool) {
	for _, request := range w.outstanding(w.loads, 0) {
		for k, a := range m.loads {
			do(move{a.to(request), a.response, k == 0})
		}
	}
	for _, request := range w.outstanding(w.checks, 1) {
		for k, a := range m.checks {
			do(move{a.to(request), a.response, k == 0})
		}
	}
	for _, t := range w.tries {
		for k, a := range m.submits {
			do(move{lifecycle.Replied(t.attempt, t.try, a.event.Reply), a.response, k == 0})
		}
	}
	for k, t := range w.timers {
		switch {
		case !w.mayElapse(k):
		case m.tooManyTries(w, t):
			cut = true
		default:
			do(move{event: lifecycle.Elapsed(t.id), forward: true})
		}
	}
	return cut
}

// tooManyTries keeps an automatic repeat within the bound.
func (m *mover) tooManyTries(w *world, t armed) bool {
	return t.of == lifecycle.TimerWait && int(w.session.Attempt().Tries) >= m.options.Tries
}
