package lifecycle

// Step is one step of a session: an event, and what [Session.Apply] made of it.
type Step struct {
	Event   Event
	Before  Standing // where the session was; the zero value for the opening
	After   Standing
	Effects []Effect // valid until the next step; those of the opening, where there was no event
	Err     error    // why the event changed nothing
}

// Watcher looks at each step of a session. What was there before a step is taken down
// by those watchers alone that need it.
type Watcher interface {
	Before(e Event)
	After(s Step)
}

// Drive gives a session an event, and its watchers the step.
func Drive(s *Session, e Event, watchers ...Watcher) Step {
	for _, w := range watchers {
		w.Before(e)
	}
	before := s.Standing()
	effects, err := s.Apply(e)
	step := Step{Event: e, Before: before, After: s.Standing(), Effects: effects, Err: err}
	for _, w := range watchers {
		w.After(step)
	}
	return step
}
