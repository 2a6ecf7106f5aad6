package runner

import (
	"errors"
	"io"
	"slices"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
	"leanwicket.dev/replies"
	"leanwicket.dev/trace"
)

// Transport makes requests.
type Transport interface {
	// Do makes a request and gives what came of it to done, once, later, from any
	// goroutine. It reads nothing of that: what a reply means is decided by package replies
	// alone. After stop it need not: nobody waits for the reply any more, and
	// a request that only reads can be broken off.
	Do(r Request, done func(replies.Received)) (stop func())
}

// Clock runs timers.
type Clock interface {
	// After calls f once after a while, later, from any goroutine, unless stop was
	// called before.
	After(d time.Duration, f func()) (stop func())
	// Now is the time since some moment that stays the same.
	Now() time.Duration
}

// Options of a runner. Only the transport has to be given, and that only where the
// form loads, checks or sends.
type Options struct {
	Transport Transport
	Clock     Clock          // nil means the machine's
	Seed      lifecycle.Seed // 128 random bits that no other session has: the submission keys come from it; zero means that they are drawn
	// Observe is told each step after it was carried out, with no lock held: it may
	// read and apply. Steps of several goroutines may reach it at once.
	Observe func(lifecycle.Step)
	// Keep is called with what would be lost with this page, after each change of that and before
	// anything is sent. It is called with nil where nothing would be lost. With more, an attempt is
	// open that is not kept because it sent a private value, and the next page says
	// form.MessageUnsettledPrivate.
	Keep func(kept *lifecycle.Draft, more bool)
	// KeepLater leaves it to Runner.Keep when Keep is called after a change. On a form of thousands of
	// fields a call for each key is too much. Before anything is sent Keep is called all the same.
	KeepLater bool
	// Given are the values of the names that the form declares as given: {id} in a url.
	Given map[string]string
	// Record is the saved record that the application has in hand, or nil. It answers the first load before
	// New returns, and no request is made for that.
	Record *Record
	// Load brings the saved record of a form whose prefill is own, each time that the session asks for it, on a
	// goroutine of the clock. An error is a load that has failed. Where Load is nil, the program supplies the record
	// within the load's time-out: see [Runner.Reading].
	Load func() (Record, error)
	// Prepare has the last word on the body of a submission: it is given the body that the form would send, and returns
	// what is sent. It is called once for each submission, before anything is kept or sent, and may not use the runner. A
	// repeat carries the same bytes, after a reload too. An error refuses the submission: nothing is sent, and the applicant
	// reads it.
	Prepare func(body []byte) ([]byte, error)
	// Outcome is told what came for a submission, after the step that it made, with no lock held.
	Outcome func(Outcome)
	// SignIn has the applicant sign in again, and reports whether they have. It is called once for all
	// that was denied while it has not returned, a load or a send, on a goroutine of the clock. What was
	// denied is asked once more after that.
	SignIn func(denied lifecycle.EffectKind) bool
	// Draft is what an earlier page kept, or nil.
	Draft *lifecycle.Draft
	// Watch looks at each step: [Guarantees] and [Trace] each make a Watch.
	Watch []Watch
}

// Watch makes a watcher of a session that has just been opened, with the effects of the opening
// and the time since then.
type Watch func(s *lifecycle.Session, opening []lifecycle.Effect, since func() time.Duration) lifecycle.Watcher

// Trace makes a Watch that writes the record of the session. An error of writing stops nobody's
// work.
func Trace(out io.Writer) Watch {
	return func(s *lifecycle.Session, opening []lifecycle.Effect, since func() time.Duration) lifecycle.Watcher {
		return recorded{trace.NewWriter(out, s, opening), since}
	}
}

type recorded struct {
	*trace.Writer
	since func() time.Duration
}

func (recorded) Before(lifecycle.Event) {}

func (r recorded) After(s lifecycle.Step) { _ = r.Step(r.since(), s) }

// Guarantees makes a Watch that checks all guarantees, and tells each that a step broke. A program
// that does not call it does not carry the judge, nor its size.
func Guarantees(broken func(guarantee.Breach)) Watch {
	return func(s *lifecycle.Session, opening []lifecycle.Effect, _ func() time.Duration) lifecycle.Watcher {
		return told{guarantee.NewWatch(s, opening), broken}
	}
}

type told struct {
	*guarantee.Watch
	broken func(guarantee.Breach)
}

func (t told) After(s lifecycle.Step) {
	t.Watch.After(s)
	for _, b := range t.Breaches() {
		t.broken(b)
	}
}

// ErrClosed is the error of events after Close.
var ErrClosed = errors.New("the runner is closed")

// Runner drives one session. It can be used by many goroutines.
type Runner struct {
	o Options

	mu       sync.Mutex
	session  *lifecycle.Session
	watchers []lifecycle.Watcher // those that look at each step
	begun    time.Duration
	closed   bool
	kept     bool // something was kept, perhaps by an earlier page
	timers   map[lifecycle.TimerID]func()
	out      map[call]func()
	inHand   func() // answers the load of the opening with Options.Record; nil means that there is none
	signing  signing
	prepared prepared // the newest body that the application has made
}

// call names a request that is out: a load or check, or a try.
type call struct {
	request lifecycle.RequestID
	attempt int32
	try     int32
}

// New opens a session and carries out what the opening asks for.
func New(form *form.Form, o Options) *Runner {
	if o.Clock == nil {
		o.Clock = machineClock()
	}
	if o.Seed == (lifecycle.Seed{}) { // a session without one would make the keys of another
		o.Seed = randomSeed()
	}
	session, opening := lifecycle.Open(form, o.Seed)
	opening = slices.Clone(opening)
	r := &Runner{o: o, session: session, timers: map[lifecycle.TimerID]func(){}, out: map[call]func(){}, begun: o.Clock.Now(), kept: true}
	for _, watch := range o.Watch {
		r.watchers = append(r.watchers, watch(session, opening, r.since))
	}
	r.mu.Lock()
	r.carryOut(opening)
	r.mu.Unlock()
	r.observe(lifecycle.Step{Effects: opening})
	if o.Draft != nil {
		if attempt := o.Draft.Attempt; attempt != nil {
			r.prepared = prepared{key: attempt.Key, body: []byte(attempt.Body)}
		}
		_ = r.Apply(lifecycle.Restore(o.Draft)) // what another version of the form kept is dropped
	}
	if r.inHand != nil {
		r.inHand()
	}
	return r
}

// since returns the time since the opening.
func (r *Runner) since() time.Duration { return r.o.Clock.Now() - r.begun }

// Apply gives the session an event. It returns the error of [lifecycle.Session.Apply], or
// ErrClosed.
func (r *Runner) Apply(e lifecycle.Event) error {
	step, err := r.step(e)
	if err != nil {
		return err
	}
	r.observe(step)
	return step.Err
}

func (r *Runner) observe(s lifecycle.Step) {
	if r.o.Observe != nil {
		r.o.Observe(s)
	}
}

func (r *Runner) step(e lifecycle.Event) (lifecycle.Step, error) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.closed {
		return lifecycle.Step{}, ErrClosed
	}
	step := lifecycle.Drive(r.session, e, r.watchers...)
	step.Effects = slices.Clone(step.Effects)
	for k := range step.Effects {
		step.Effects[k].Values = slices.Clone(step.Effects[k].Values)
	}
	r.prepare(step.Effects)
	if !r.o.KeepLater || sends(step.Effects) {
		r.keep()
	}
	r.carryOut(step.Effects)
	return step, nil
}

// Read looks at the session. Nothing changes it meanwhile; f neither applies nor
// keeps it.
func (r *Runner) Read(f func(*lifecycle.Session)) {
	r.mu.Lock()
	defer r.mu.Unlock()
	f(r.session)
}

// Keep gives Options.Keep what would be lost now.
func (r *Runner) Keep() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.keep()
}

func sends(effects []lifecycle.Effect) bool {
	for k := range effects {
		if effects[k].Kind == lifecycle.EffectSend {
			return true
		}
	}
	return false
}

// Close stops every timer and request. The session is not left by it: a page that
// is closed applies LeaveAsked before.
func (r *Runner) Close() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.closed = true
	for _, stop := range r.timers {
		stop()
	}
	for _, stop := range r.out {
		stop()
	}
	clear(r.timers)
	clear(r.out)
}

// carryOut does what a step asks of clock and network. Observers handle the effects on the screen.
func (r *Runner) carryOut(effects []lifecycle.Effect) {
	for _, e := range effects {
		switch e.Kind {
		case lifecycle.EffectArm:
			r.timers[e.Timer] = r.o.Clock.After(e.After, func() { r.elapsed(e.Timer) })
		case lifecycle.EffectDisarm:
			if stop := r.timers[e.Timer]; stop != nil {
				stop()
				delete(r.timers, e.Timer)
			}
		case lifecycle.EffectLoad, lifecycle.EffectCheck, lifecycle.EffectSend:
			r.request(e)
		case lifecycle.EffectAbort:
			if stop := r.out[call{e.Request, e.Attempt, e.Try}]; stop != nil {
				stop()
				delete(r.out, call{e.Request, e.Attempt, e.Try})
			}
		}
	}
}

func (r *Runner) elapsed(timer lifecycle.TimerID) {
	r.mu.Lock()
	delete(r.timers, timer)
	r.mu.Unlock()
	_ = r.Apply(lifecycle.Elapsed(timer)) // a timer that was disarmed meanwhile is stale
}

func (r *Runner) request(e lifecycle.Effect) {
	if r.o.Transport == nil && r.o.Record == nil && r.o.Load == nil {
		return // as if nobody answered: the timers end it
	}
	name := call{e.Request, e.Attempt, e.Try}
	form := r.session.Form()
	request := RequestOf(form, e).With(r.o.Given)
	if e.Kind == lifecycle.EffectSend && e.Key == r.prepared.key && len(r.prepared.body) > 0 {
		request.Body, request.Prepared = r.prepared.body, true
	}
	r.out[name] = r.do(request, func(got replies.Received) {
		r.mu.Lock()
		_, waited := r.out[name]
		delete(r.out, name)
		r.mu.Unlock()
		if waited || e.Kind == lifecycle.EffectSend { // a late answer to a submission is welcome
			got.Now = wallClock()
			event := replies.Event(form, e, got)
			err := r.Apply(event) // what is stale by now changes nothing
			r.came(request, got, event, err)
		}
	})
}
