package lifecycle

import "leanwicket.dev/form"

// load is the newest load, and what still depends on one.
type load struct {
	request RequestID // 0 means that none is on its way
	arrived bool      // one has arrived since the opening
	needs   needs
}

// needs says why a load has to arrive before a submit.
type needs uint8

const (
	needDeclared needs = 1 << iota // the form says so
	needOutdated                   // the record has been changed elsewhere
	needRestored                   // an earlier page's attempt is taken over, and not accepted yet
	needVersion                    // an acceptance brought no version
	needRows                       // restored answers wait for their rows
	needBeyond                     // rows were added, or kept, and it is not known what they have beyond the form
)

// deferred is an answer that arrived while an attempt was open: its values are in
// Session.deferredValues.
type deferred struct {
	present  bool
	ask      bool
	supplied bool // no load brought it
	version  string
}

// startLoad asks for the saved answers; an older load is given up.
func (s *Session) startLoad() {
	s.giveUpLoad()
	s.nextRequest++
	s.load.request = s.nextRequest
	s.prefill = PrefillLoading
	s.emit(Effect{Kind: EffectLoad, Request: s.load.request})
	s.arm(TimerLoad, s.form.Prefill.Timeout)
}

func (s *Session) giveUpLoad() {
	if s.load.request != 0 {
		s.emit(Effect{Kind: EffectAbort, Request: s.load.request})
		s.disarm(TimerLoad)
		s.load.request = 0
	}
}

func (s *Session) refresh() error {
	if !s.form.Prefill.Loads() {
		return ErrNoPrefill
	}
	s.startLoad()
	return nil
}

// currentLoad tells whether an answer to a load counts.
func (s *Session) currentLoad(r RequestID) error {
	if r == 0 || r > s.nextRequest {
		return &UnknownError{"request", ""}
	}
	if r != s.load.request {
		return ErrStale
	}
	return nil
}

func (s *Session) loaded(e *Event) error {
	if err := s.currentLoad(e.Request); err != nil {
		return err
	}
	s.disarm(TimerLoad)
	s.load.request = 0
	s.arrive(e)
	return nil
}

// supplied takes saved answers that the application brings of its own accord. A version that is known
// already is news only where a load is still wanted.
func (s *Session) supplied(e *Event) error {
	switch {
	case !s.form.Prefill.Loads():
		return ErrNoPrefill
	case e.After > s.changes:
		return &UnknownError{"reading", ""}
	case e.After < s.changes:
		return ErrStale
	case e.Version != "" && e.Version == s.version && s.prefill == PrefillReady && s.load.request == 0 && s.load.needs == 0:
		return nil
	}
	s.giveUpLoad()
	s.arrive(e)
	return nil
}

// arrive takes the newest saved answers: they are merged, or wait for the attempt that is open.
func (s *Session) arrive(e *Event) {
	restored := s.load.needs&needRestored != 0
	ask := s.form.Prefill.Ask || s.load.needs&needOutdated != 0
	s.load.arrived = true
	s.prefill = PrefillReady
	s.dropDeferred()
	if s.open() && !(restored && s.activity == ActivityIdle) {
		s.deferred = deferred{present: true, ask: ask, supplied: e.Kind == EventSupplied, version: e.Version}
		s.deferredValues = append(s.deferredValues, e.Values...)
		return
	}
	s.mergeLoaded(e.Values, e.Version, ask)
}

// open reports whether an attempt is open: an arriving answer then waits.
func (s *Session) open() bool { return s.activity != ActivityIdle || s.unsettled() }

// mergeLoaded merges a load. What was needed of it is there then, and not before.
func (s *Session) mergeLoaded(values []form.Answer, version string, ask bool) {
	s.load.needs = 0
	s.mergeAnswers(values, merging{
		spareDirty:  true,
		spareEdited: s.attempt.outcome != OutcomeAccepted,
		ask:         ask,
		wholeForm:   true,
	})
	s.version = version
	s.meetRestored()
	s.placeWaiting(ask)
}

// mergeDeferred merges the answer that waited for the attempt.
func (s *Session) mergeDeferred() {
	if waited := s.deferred; waited.present {
		s.deferred = deferred{}
		s.mergeLoaded(s.deferredValues, waited.version, waited.ask)
	}
}

func (s *Session) dropDeferred() { s.deferred, s.deferredValues = deferred{}, s.deferredValues[:0] }

func (s *Session) loadFailed(r RequestID, denied bool) error {
	if err := s.currentLoad(r); err != nil {
		return err
	}
	s.disarm(TimerLoad)
	said := form.MessageLoadFailed
	if denied {
		said = form.MessageLoadDenied
	}
	s.endFailedLoad(said)
	return nil
}

func (s *Session) loadTimedOut() {
	s.emit(Effect{Kind: EffectAbort, Request: s.load.request})
	s.endFailedLoad(form.MessageLoadFailed)
}

func (s *Session) endFailedLoad(said form.MessageID) {
	s.load.request = 0
	s.prefill = PrefillFailed
	if s.load.arrived && (s.load.needs == 0 || s.deferred.present) {
		s.prefill = PrefillReady
	}
	s.say(form.Message{ID: said}, Assertive)
}
