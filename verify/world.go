package verify

import (
	"encoding/binary"
	"slices"
	"time"

	"leanwicket.dev/lifecycle"
)

// world is a session with all that is on its way to it.
type world struct {
	session  *lifecycle.Session
	watch    *lifecycle.Watch
	loads    []lifecycle.RequestID // current ones, and
	checks   []lifecycle.RequestID
	stale    [2]lifecycle.RequestID // the last load and the last check that were given up: their answers still arrive
	tries    []sent
	timers   []armed // in the order of arming
	attempts int
	asked    int // loads
	gone     bool
}

type sent struct{ attempt, try int32 }

type armed struct {
	id    lifecycle.TimerID
	of    lifecycle.TimerKind
	after time.Duration
}

func newWorld() *world { return &world{session: &lifecycle.Session{}, watch: &lifecycle.Watch{}} }

func open(form *lifecycle.Form) *world {
	s, effects := lifecycle.Open(form, lifecycle.Seed{})
	w := &world{session: s, watch: lifecycle.NewWatch(s, effects)}
	w.follow(effects)
	return w
}

func (w *world) copyFrom(v *world) {
	w.session.CopyFrom(v.session)
	w.watch.CopyFrom(v.watch, w.session)
	w.stale = v.stale
	w.loads = append(w.loads[:0], v.loads...)
	w.checks = append(w.checks[:0], v.checks...)
	w.tries = append(w.tries[:0], v.tries...)
	w.timers = append(w.timers[:0], v.timers...)
	w.attempts, w.asked, w.gone = v.attempts, v.asked, v.gone
}

// apply takes one event. It reports whether anything was taken, and what broke.
func (w *world) apply(e lifecycle.Event) (taken bool, breaches []lifecycle.Breach, effects []lifecycle.Effect) {
	w.answered(e)
	w.watch.Before(e)
	effects, err := w.session.Apply(e)
	breaches = w.watch.After(e, effects, err)
	w.follow(effects)
	w.gone = w.session.Leaving() == lifecycle.LeaveGone
	return err == nil, breaches, effects
}

// answered takes off what an event brings.
func (w *world) answered(e lifecycle.Event) {
	switch e.Kind {
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed:
		w.arrived(&w.loads, 0, e.Request)
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		w.arrived(&w.checks, 1, e.Request)
	case lifecycle.EventReplied:
		remove(&w.tries, sent{e.Attempt, e.Try})
	case lifecycle.EventElapsed:
		for k := range w.timers {
			if w.timers[k].id == e.Timer {
				w.timers = append(w.timers[:k], w.timers[k+1:]...)
				break
			}
		}
	}
}

func (w *world) arrived(list *[]lifecycle.RequestID, kind int, r lifecycle.RequestID) {
	remove(list, r)
	if w.stale[kind] == r {
		w.stale[kind] = 0
	}
}

func remove[T comparable](list *[]T, v T) {
	for k := range *list {
		if (*list)[k] == v {
			*list = append((*list)[:k], (*list)[k+1:]...)
			return
		}
	}
}

func (w *world) follow(effects []lifecycle.Effect) {
	for k := range effects {
		e := &effects[k]
		switch e.Kind {
		case lifecycle.EffectLoad:
			w.asked++
			w.loads = append(w.loads, e.Request)
		case lifecycle.EffectCheck:
			w.checks = append(w.checks, e.Request)
		case lifecycle.EffectSend:
			if e.Try == 1 {
				w.attempts++
				w.tries = w.tries[:0] // answers to a settled attempt are stale, one like the other
			}
			w.tries = append(w.tries, sent{e.Attempt, e.Try})
		case lifecycle.EffectAbort:
			if slices.Contains(w.loads, e.Request) {
				remove(&w.loads, e.Request)
				w.stale[0] = e.Request
			}
			if slices.Contains(w.checks, e.Request) {
				remove(&w.checks, e.Request)
				w.stale[1] = e.Request
			}
		case lifecycle.EffectArm:
			w.timers = append(w.timers, armed{e.Timer, e.Of, e.After})
		case lifecycle.EffectDisarm:
			for j := range w.timers {
				if w.timers[j].id == e.Timer {
					w.timers = append(w.timers[:j], w.timers[j+1:]...)
					break
				}
			}
		}
	}
}

// mayElapse reports whether a timer can be the next to run out: none that was
// armed before it and is not longer is still armed.
func (w *world) mayElapse(k int) bool {
	for _, earlier := range w.timers[:k] {
		if earlier.after <= w.timers[k].after {
			return false
		}
	}
	return true
}

// key names the state: two worlds with one key have the same future.
func (w *world) key(to []byte) []byte {
	to = w.session.AppendCanonical(to)
	to = w.watch.AppendCanonical(to)
	to = append(to, byte(w.attempts), byte(w.asked), byte(len(w.loads)), byte(len(w.checks)), byte(len(w.tries)))
	for _, r := range w.stale {
		to = append(to, byte(min(r, 1)))
	}
	for _, t := range w.tries {
		to = append(to, byte(t.try))
	}
	for _, t := range w.timers {
		to = append(to, byte(t.of))
		to = binary.AppendVarint(to, int64(t.after))
	}
	return to
}

// outstanding lists the requests of one kind that can still be answered.
func (w *world) outstanding(current []lifecycle.RequestID, kind int) []lifecycle.RequestID {
	list := slices.Clone(current)
	if w.stale[kind] != 0 {
		list = append(list, w.stale[kind])
	}
	return list
}
