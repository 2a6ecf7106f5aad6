package verify

import (
	"fmt"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/internal/canonical"
	"leanwicket.dev/lifecycle"
)

// world is a watched session, with what the bounds count. What is on its way to
// it and which timers run is what its watch has seen.
type world struct {
	session  *lifecycle.Session
	watch    *guarantee.Watch
	attempts int // begun
	sent     int // tries of the newest attempt
	loads    int // asked for
	load     outgoing
	check    outgoing
	requests []lifecycle.RequestID // scratch
	tries    []int32               // scratch
}

// outgoing has two requests of one kind: the newest, and one that was answered or given up, whose
// answer is stale. In a state that was kept, [canonical.SpentRequest] stands for the second.
type outgoing struct{ newest, spent lifecycle.RequestID }

// goesOut notes that a request is sent. The one before it is spent.
func (o *outgoing) goesOut(r lifecycle.RequestID) {
	if o.newest != 0 {
		o.spent = o.newest
	}
	o.newest = r
}

func newWorld() *world { return &world{session: &lifecycle.Session{}, watch: &guarantee.Watch{}} }

func open(form *form.Form) *world {
	s, effects := lifecycle.Open(form, lifecycle.Seed{})
	w := &world{session: s, watch: guarantee.NewWatch(s, effects)}
	w.follow(effects)
	return w
}

// packer packs the worlds of a walk.
func (m *successors) packer() *guarantee.Packer {
	return guarantee.NewPacker(m.form, canonical.Options{Whole: m.options.Whole, Alike: m.alike(), Brings: m.brings(), Supplied: m.options.Supplied})
}

// begin opens a world, up to where the walk begins.
func (m *successors) begin(page earlier) (*world, error) {
	w := open(m.form)
	for _, e := range m.beginning(page) {
		w.watch.Before(e)
		if _, breaches, _ := w.apply(e); len(breaches) > 0 {
			return nil, fmt.Errorf("a guarantee breaks before the walk begins: %w", breaches[0])
		}
	}
	return w, nil
}

func (w *world) copyFrom(v *world) {
	w.session.CopyFrom(v.session)
	w.watch.CopyFrom(v.watch, w.session)
	w.attempts, w.sent, w.loads, w.load, w.check = v.attempts, v.sent, v.loads, v.load, v.check
}

// take takes a move. The watch has already taken a snapshot of the state before it. take reports
// whether anything was taken, what broke, and the effects of the last event.
func (w *world) take(m *move) (taken bool, breaches []guarantee.Breach, effects []lifecycle.Effect) {
	taken, breaches, effects = w.apply(m.event)
	for k := 0; k < len(m.also) && len(breaches) == 0; k++ {
		w.watch.Before(m.also[k])
		_, breaches, effects = w.apply(m.also[k])
	}
	return taken, breaches, effects
}

// apply takes one event.
func (w *world) apply(e lifecycle.Event) (taken bool, breaches []guarantee.Breach, effects []lifecycle.Effect) {
	step := lifecycle.Drive(w.session, e)
	w.watch.After(step)
	if step.Err == nil {
		w.follow(step.Effects)
	}
	return step.Err == nil, w.watch.Breaches(), step.Effects
}

func (w *world) follow(effects []lifecycle.Effect) {
	for k := range effects {
		switch e := &effects[k]; e.Kind {
		case lifecycle.EffectLoad:
			w.loads++
			w.load.goesOut(e.Request)
		case lifecycle.EffectCheck:
			w.check.newest = e.Request
		case lifecycle.EffectAbort:
			if e.Request != 0 && e.Request == w.check.newest {
				w.check.spent = e.Request
			}
		case lifecycle.EffectSend:
			w.sent++
			if e.Try == 1 {
				w.attempts++
				w.sent = 1
			}
		}
	}
	if w.load.newest != 0 && w.load.newest != w.watch.Loading() {
		w.load.spent = w.load.newest
	}
	if w.check.newest != 0 && w.check.newest != w.check.spent {
		w.requests = w.watch.AppendChecks(w.requests[:0])
		if !slices.Contains(w.requests, w.check.newest) {
			w.check.spent = w.check.newest
		}
	}
}

func (w *world) gone() bool { return w.session.Leaving() == lifecycle.LeaveGone }

// mayElapse reports whether a timer can be the next to run out: none that was
// armed before it and is not longer is still armed.
func (w *world) mayElapse(k int) bool {
	timers := w.watch.Armed()
	for _, earlier := range timers[:k] {
		if earlier.After <= timers[k].After {
			return false
		}
	}
	return true
}

// counted is a count of a world and its limit. A limit of 0 allows any number.
type counted struct {
	limit int
	count *int
}

func (w *world) counted(o *Options) [3]counted {
	return [...]counted{{o.Attempts, &w.attempts}, {o.Tries, &w.sent}, {o.Loads, &w.loads}}
}

// pack brings the world into its canonical state and appends it, packed. A count is part of the state
// only where it has a limit, and only as far as that limit: all that is asked of a count is whether the
// limit is reached. Sendings count until an attempt is settled.
func (w *world) pack(to []byte, p *guarantee.Packer, o *Options) []byte {
	ahead := canonical.Ahead{}
	if !o.Whole {
		if w.session.Attempt().Outcome != lifecycle.OutcomeOpen {
			w.sent = 0
		}
		for _, c := range w.counted(o) {
			if c.limit > 0 {
				*c.count = min(*c.count, c.limit)
			}
		}
		ahead = canonical.Ahead{NoAttempt: !under(o.Attempts, w.attempts), NoTry: !under(o.Tries, w.sent)}
	}
	for _, c := range w.counted(o) {
		if c.limit > 0 {
			to = append(to, byte(*c.count))
		}
	}
	return p.Pack(to, w.watch, ahead)
}

// unpack makes a world of a packed state, and takes it down for the events that
// copies of it will take.
func (w *world) unpack(packed []byte, p *guarantee.Packer, o *Options) {
	for _, c := range w.counted(o) {
		if c.limit > 0 {
			*c.count = int(packed[0])
			packed = packed[1:]
		}
	}
	p.Unpack(packed, w.watch)
	w.session = w.watch.Session()
	w.load, w.check = outgoing{spent: canonical.SpentRequest}, outgoing{spent: canonical.SpentRequest}
	w.watch.BeforeAny()
}
