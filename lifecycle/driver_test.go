package lifecycle_test

import (
	"fmt"
	"strings"
	"testing"

	"pgregory.net/rapid"

	"leanwicket.dev/internal/walk"
	"leanwicket.dev/lifecycle"
)

// driver does what the effects say, and nothing else: it knows what is out, which timers run, and
// whether the page is guarded.
type driver struct {
	guard  bool
	load   lifecycle.RequestID
	checks map[lifecycle.RequestID]bool
	timers map[lifecycle.TimerID]bool
}

// carryOut says which effect cannot be carried out.
func (d *driver) carryOut(effects []lifecycle.Effect) (problem string) {
	for _, e := range effects {
		switch e.Kind {
		case lifecycle.EffectLoad:
			if d.load != 0 {
				return "a load goes out beside another"
			}
			d.load = e.Request
		case lifecycle.EffectCheck:
			d.checks[e.Request] = true
		case lifecycle.EffectAbort:
			switch {
			case e.Request == 0:
			case e.Request == d.load:
				d.load = 0
			case d.checks[e.Request]:
				delete(d.checks, e.Request)
			default:
				return fmt.Sprint("what is not out is given up: ", e.Request)
			}
		case lifecycle.EffectArm:
			d.timers[e.Timer] = true
		case lifecycle.EffectDisarm:
			if !d.timers[e.Timer] {
				return fmt.Sprint("a timer that does not run is disarmed: ", e.Of)
			}
			delete(d.timers, e.Timer)
		case lifecycle.EffectGuardUnload:
			if d.guard == e.On {
				return "the page is guarded, or not, as it was"
			}
			d.guard = e.On
		}
	}
	return ""
}

// follow takes a step. It says where the driver and the session differ.
func (d *driver) follow(s *lifecycle.Session, before lifecycle.Activity, step lifecycle.Step) (problem string) {
	if step.Err != nil {
		return ""
	}
	switch e := step.Event; e.Kind {
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed:
		if e.Request == d.load {
			d.load = 0
		}
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		delete(d.checks, e.Request)
	case lifecycle.EventElapsed:
		delete(d.timers, e.Timer)
	}
	if problem := d.carryOut(step.Effects); problem != "" {
		return problem
	}
	asks, _ := s.Asking()
	aborted := false
	for _, e := range step.Effects {
		aborted = aborted || e.Kind == lifecycle.EffectAbort && e.Try > 0
	}
	switch {
	case asks != lifecycle.AskNothing && s.Leaving() != lifecycle.LeaveAsking:
		return fmt.Sprint("a question stands that was answered: ", asks)
	case d.guard != s.UnloadGuard():
		return fmt.Sprint("the page is guarded: ", d.guard)
	case (d.load != 0) != (s.Prefill() == lifecycle.PrefillLoading && s.Leaving() != lifecycle.LeaveGone):
		return fmt.Sprint("a load is out: ", d.load, ", and the prefill is ", s.Prefill())
	case s.Leaving() == lifecycle.LeaveGone && len(d.checks)+len(d.timers) > 0:
		return fmt.Sprint("after the end ", len(d.checks), " checks are out and ", len(d.timers), " timers run")
	case step.Event.Kind == lifecycle.EventCancel && before == lifecycle.ActivitySending && !aborted:
		return "a try that is cancelled is not given up"
	}
	for timer := range d.timers {
		if _, armed := s.TimerOf(timer); !armed {
			return "a timer runs that the session does not know"
		}
	}
	return ""
}

// Whoever carries the effects out, and knows nothing else, has out what the session waits for,
// runs the timers that it knows, and guards the page while it should be.
func TestTheEffectsAreEnough(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		w := walk.New(walk.Form(t))
		d := &driver{checks: map[lifecycle.RequestID]bool{}, timers: map[lifecycle.TimerID]bool{}}
		problem := d.carryOut(w.Opening)
		for range rapid.IntRange(1, 60).Draw(t, "steps") {
			if problem != "" {
				t.Fatalf("%s\n%s", problem, strings.Join(w.Log, "\n"))
			}
			before, event := w.Session.Activity(), w.Event(t)
			problem = d.follow(w.Session, before, w.Step(event))
		}
	})
}
