package scenario

import (
	"errors"
	"io"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/internal/document"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/trace"
)

// Options are how a scenario is played.
type Options struct {
	// Observe is told each step as it happens; where it is nil nobody watches, and what the
	// form shows is not written down.
	Observe func(*Step)
	// Trace is where the record of the session is written; nil means nowhere.
	Trace io.Writer
	// Each is told each event before it is applied; nil means that nobody is.
	Each func(at time.Duration, e lifecycle.Event)
	// Taken is told each transition of the lifecycle; nil means that nobody is.
	Taken func(lifecycle.Transition)
	// Unguarded leaves the guarantees unchecked, to measure the core alone.
	Unguarded bool
}

// Result is what became of a scenario.
type Result struct {
	Scenario *Scenario
	Events   int
	Expected int // expectations that were looked at
	Failures []Failure
}

// Passed reports whether everything held.
func (r *Result) Passed() bool { return len(r.Failures) == 0 }

// play is one playing of a scenario.
type play struct {
	scenario *Scenario
	options  Options
	session  *lifecycle.Session
	watch    *guarantee.Watch
	watchers []lifecycle.Watcher
	result   *Result

	now      time.Duration
	pending  []pending
	sequence int
	next     counters
	entry    *document.Node // where in the file what happens now has its cause

	sends, loads int
	stale        int             // events that were stale
	changes      []time.Duration // when the session saw the saved record change
	keys         map[lifecycle.Key]bool
	focus        string
	destination  string
	version      string // the version that the newest try was sent with
	recorder     *recorder
	trace        *trace.Writer
}

// counters are the next answers to be given.
type counters struct {
	prefill, submit int
	checks          map[string]int
}

// pending is an answer that will arrive, or a timer that will run out.
type pending struct {
	at       time.Duration
	timer    lifecycle.TimerID // 0 means that it is an answer
	sequence int
	event    lifecycle.Event
	answer   *Reply
}

// Play plays a scenario to its end.
func Play(s *Scenario, options Options) *Result {
	p := &play{
		scenario: s, options: options, result: &Result{Scenario: s},
		keys: map[lifecycle.Key]bool{}, next: counters{checks: map[string]int{}},
	}
	if options.Observe != nil {
		p.recorder = newRecorder(p)
	}
	p.open()
	for k := range s.Timeline {
		entry := &s.Timeline[k]
		p.runUntil(entry.At)
		p.now, p.entry = entry.At, entry.node
		for _, event := range entry.Events {
			if event.Kind == lifecycle.EventSupplied {
				event.After = p.changesAt(entry)
			}
			p.apply(event, nil)
		}
		for _, e := range entry.expect {
			p.result.Expected++
			if found := e.found(p); found != "" {
				p.fail(Failure{Line: e.node.Line, Column: e.node.Column, Kind: FailedExpectation, Expected: e.expected, Found: found})
			}
		}
	}
	p.unasked()
	return p.result
}

func (p *play) fail(f Failure) {
	f.File, f.At = p.scenario.File, p.now
	if f.Line == 0 && p.entry != nil {
		f.Line, f.Column = p.entry.Line, p.entry.Column
	}
	p.result.Failures = append(p.result.Failures, f)
}

func (p *play) open() {
	form := p.scenario.Form()
	var effects []lifecycle.Effect
	p.session, effects = lifecycle.Open(form, lifecycle.Seed{})
	if !p.options.Unguarded {
		p.watch = guarantee.NewWatch(p.session, effects)
		p.watchers = []lifecycle.Watcher{p.watch}
	}
	if p.recorder != nil {
		p.recorder.opened(effects)
	}
	if p.options.Trace != nil {
		p.trace = trace.NewWriter(p.options.Trace, p.session, effects)
	}
	p.carryOut(effects)
	if p.scenario.Draft != nil {
		if attempt := p.scenario.Draft.Attempt; attempt != nil {
			p.keys[attempt.Key] = true
		}
		p.apply(lifecycle.Restore(p.scenario.Draft), nil)
	}
}

// runUntil lets everything happen that is due before or at a time. What is due at the same
// time happens in this order: answers, then timers, and each of them in the order in which they were made.
func (p *play) runUntil(end time.Duration) {
	for {
		first := -1
		for k := range p.pending {
			if p.pending[k].at <= end && (first < 0 || p.pending[k].before(&p.pending[first])) {
				first = k
			}
		}
		if first < 0 {
			return
		}
		due := p.pending[first]
		p.pending = append(p.pending[:first], p.pending[first+1:]...)
		p.now = due.at
		if due.answer != nil {
			p.entry = due.answer.at
		}
		p.apply(due.event, due.answer)
	}
}

func (a *pending) before(b *pending) bool {
	if a.at != b.at {
		return a.at < b.at
	}
	if (a.timer == 0) != (b.timer == 0) {
		return a.timer == 0
	}
	return a.sequence < b.sequence
}

// apply gives the session one event and carries out what follows.
func (p *play) apply(event lifecycle.Event, answer *Reply) {
	p.result.Events++
	if p.options.Each != nil {
		p.options.Each(p.now, event)
	}
	if p.recorder != nil {
		p.recorder.before()
	}
	ignored := p.session.Ignored()
	timer, _ := p.session.TimerOf(event.Timer)
	step := lifecycle.Drive(p.session, event, p.watchers...)
	effects, err := step.Effects, step.Err
	if p.options.Taken != nil && err == nil {
		for _, t := range lifecycle.AppendTransitions(nil, step.Before, step.After, event, timer) {
			p.options.Taken(t)
		}
	}
	if p.watch != nil {
		for _, breach := range p.watch.Breaches() {
			p.fail(Failure{Kind: FailedGuarantee, Expected: "guarantee " + breach.Guarantee.String(), Found: breach.Error()})
		}
	}
	var unknown *lifecycle.UnknownError
	if errors.As(err, &unknown) {
		p.fail(Failure{Kind: FailedBackend, Expected: "something that this form can have", Found: err.Error()})
	}
	if err == lifecycle.ErrStale {
		p.stale++
	}
	for len(p.changes) < int(p.session.Changes()) {
		p.changes = append(p.changes, p.now)
	}
	if p.recorder != nil {
		p.recorder.after(event, answer, effects, err, p.session.Ignored() > ignored)
	}
	if p.trace != nil {
		if err := p.trace.Step(p.now, step); err != nil {
			p.fail(Failure{Kind: FailedBackend, Expected: "a trace that can be written", Found: err.Error()})
		}
	}
	p.carryOut(effects)
}

// changesAt counts the changes of the record that the session had seen when the application began to read what it
// supplies.
func (p *play) changesAt(entry *Entry) uint32 {
	read := entry.At
	if entry.read != nil {
		read = *entry.read
	}
	seen := uint32(0)
	for _, at := range p.changes {
		if at <= read {
			seen++
		}
	}
	return seen
}

// carryOut does what the effects ask for.
func (p *play) carryOut(effects []lifecycle.Effect) {
	form := p.scenario.Form()
	for k := range effects {
		e := &effects[k]
		switch e.Kind {
		case lifecycle.EffectLoad:
			p.loads++
			p.request("a load", p.take(p.scenario.Backend.Prefill, &p.next.prefill), *e)
		case lifecycle.EffectCheck:
			p.request("a check of "+form.Path(e.Place), p.checkAnswer(e.Place), *e)
		case lifecycle.EffectSend:
			p.sends++
			p.keys[e.Key] = true
			p.version = e.Version
			p.request("a send", p.take(p.scenario.Backend.Submit, &p.next.submit), *e)
		case lifecycle.EffectArm:
			p.later(pending{at: p.now + e.After, timer: e.Timer, event: lifecycle.Elapsed(e.Timer)})
		case lifecycle.EffectDisarm:
			for j := range p.pending {
				if p.pending[j].timer == e.Timer {
					p.pending = append(p.pending[:j], p.pending[j+1:]...)
					break
				}
			}
		case lifecycle.EffectLeave, lifecycle.EffectNavigate:
			p.destination = e.To
		case lifecycle.EffectFocus:
			p.focus = "the form"
			if e.Place != lifecycle.WholeForm {
				p.focus = form.Path(e.Place)
			}
		}
	}
}

func (p *play) later(x pending) {
	p.sequence++
	x.sequence = p.sequence
	p.pending = append(p.pending, x)
}

// take returns the next of some answers, or nil if there is none left.
func (p *play) take(answers []Reply, next *int) *Reply {
	if *next >= len(answers) {
		return nil
	}
	*next++
	return &answers[*next-1]
}

func (p *play) checkAnswer(place form.Place) *Reply {
	form := p.scenario.Form()
	for _, name := range []string{form.Path(place), form.Fields[place.Field].Path} {
		for _, c := range p.scenario.Backend.Checks {
			if c.Path == name {
				next := p.next.checks[name]
				p.next.checks[name]++
				if next < len(c.Replies) {
					return &c.Replies[next]
				}
				return nil
			}
		}
	}
	return nil
}

// request schedules the answer to a request.
func (p *play) request(what string, answer *Reply, e lifecycle.Effect) {
	if answer == nil {
		p.fail(Failure{Kind: FailedBackend, Expected: "no more requests than the backend has answers", Found: what + " for which no answer is left"})
		return
	}
	if answer.Never {
		return
	}
	event := replies.Event(p.scenario.Form(), e, answer.received())
	p.later(pending{at: p.now + answer.After, event: event, answer: answer})
	if answer.Again > 0 {
		p.later(pending{at: p.now + answer.After + answer.Again, event: event, answer: answer})
	}
}

// unasked fails the scenario for answers that nobody asked for.
func (p *play) unasked() {
	tell := func(answers []Reply, used int, what string) {
		for k := used; k < len(answers); k++ {
			at := answers[k].at
			p.fail(Failure{Line: at.Line, Column: at.Column, Kind: FailedBackend, Expected: what + " that gets this answer", Found: "an answer that was never asked for"})
		}
	}
	tell(p.scenario.Backend.Prefill, p.next.prefill, "a load")
	tell(p.scenario.Backend.Submit, p.next.submit, "a send")
	for _, c := range p.scenario.Backend.Checks {
		tell(c.Replies, p.next.checks[c.Path], "a check of "+c.Path)
	}
}

// value is a value that an expectation asks for.
func (p *play) value(key, path string) (form.Value, bool) {
	if key == "sentValues" {
		return p.session.Sent(path)
	}
	f, there := p.session.Field(path)
	if !there {
		return form.Value{}, false
	}
	return f.Value(), true
}

func (p *play) rows(key, path string) int {
	if key == "sentValues" {
		for _, a := range p.session.AppendSent(nil) {
			if a.Row < 0 && p.scenario.Form().Fields[a.Field].Path == path {
				return int(a.Value.Integer())
			}
		}
		return 0
	}
	f, _ := p.session.Field(path)
	return f.Rows()
}

// issues lists all issues, those of the form last.
func (p *play) issues() []lifecycle.Issue {
	var list []lifecycle.Issue
	for f := range p.session.Fields() {
		list = append(list, f.Issues()...)
	}
	return append(list, p.session.FormIssues()...)
}
