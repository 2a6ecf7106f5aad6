package verify

import (
	"encoding/binary"
	"fmt"
	"hash/maphash"
	"math"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// auditor compares what can follow a state as it was reached with what can follow its
// canonical state. What the canonical state leaves out must make no difference. Otherwise a walk
// could miss a fault of the core.
type auditor struct {
	successors    *successors
	packer        *guarantee.Packer
	alike         map[form.FieldID]form.FieldID // of fields that are interchangeable: the first of them
	raw           *world                        // as it was reached
	reduced, next *world
	moves         []move
	packed        []byte
	hash          maphash.Hash
	ways          [2][]uint64
}

// consequence is a move and what it leads to. A consequence without a move stands for everything
// that the bounds leave out.
type consequence struct {
	move     *move
	cut      bool   // the bounds leave something out
	after    *world // nil means that nothing was taken
	effects  []lifecycle.Effect
	breaches []guarantee.Breach
}

func newAuditor(m *successors, p *guarantee.Packer) *auditor {
	a := &auditor{successors: m, packer: p, alike: map[form.FieldID]form.FieldID{}, raw: newWorld(), reduced: newWorld(), next: newWorld()}
	for _, class := range m.alike() {
		for _, id := range class {
			a.alike[id] = class[0]
		}
	}
	return a
}

// Each step from the first auditedStates states is audited. Of the steps from the others one in
// auditedEvery is.
const (
	auditedStates = 64
	auditedEvery  = 512
)

// audits reports whether a step is audited. Each run audits the same steps.
func (o *Options) audits(from int32, step int) bool {
	if o.Whole {
		return false
	}
	if o.auditAll || from < auditedStates {
		return true
	}
	mixed := (uint64(from)<<16 | uint64(step)) * 0x9e3779b97f4a7c15 // the golden ratio spreads them (Knuth, The Art of Computer Programming, 6.4)
	return mixed>>32%auditedEvery == 0
}

// field is the number of a field, or of the first one that is declared alike.
func (a *auditor) field(id form.FieldID) int {
	if first, is := a.alike[id]; is {
		return int(first)
	}
	return int(id)
}

// before keeps a world as it was reached.
func (a *auditor) before(w *world) {
	a.raw.copyFrom(w)
	a.raw.watch.BeforeAny()
}

// beforeAll keeps a world as it was begun. It gets some requests that have been answered, because
// every canonical state has them.
func (a *auditor) beforeAll(w *world) {
	a.before(w)
	for _, o := range [...]*outgoing{&a.raw.load, &a.raw.check} {
		if o.spent == 0 {
			o.spent = math.MaxUint32 // which no session has reached
		}
	}
}

// after compares the world that was kept with its canonical state, which is given packed. It
// returns what makes a difference, or an empty text where nothing does.
func (a *auditor) after(packed []byte) string {
	a.reduced.unpack(packed, a.packer, &a.successors.options)
	for k, w := range [...]*world{a.raw, a.reduced} {
		list := a.ways[k][:0]
		a.follow(w, func(c consequence) { list = append(list, a.hashOf(w, c)) })
		slices.Sort(list)
		a.ways[k] = slices.Compact(list)
	}
	if slices.Equal(a.ways[0], a.ways[1]) {
		return ""
	}
	difference := [2]string{"nothing else", "nothing else"}
	for k, w := range [...]*world{a.raw, a.reduced} {
		a.follow(w, func(c consequence) {
			if _, both := slices.BinarySearch(a.ways[1-k], a.hashOf(w, c)); both {
				return
			}
			if difference[k] = fmt.Sprint("bounds leave something out: ", c.cut, ", holds: ", w.session.Holds("").Words()); c.move != nil {
				difference[k] = fmt.Sprint(a.nameOf(w, c.move), ": ", c.breaches, textOf(c.effects))
			}
		})
	}
	return difference[0] + "; in the canonical state " + difference[1]
}

// follow lists each thing that can happen in a world with its consequence. It ignores the marks of
// what is shown, because a state with these marks stands for the states without them.
func (a *auditor) follow(w *world, tell func(consequence)) {
	var all consequence
	a.moves, all.cut = a.successors.moves(w, a.moves[:0])
	tell(all)
	for k := range a.moves {
		m := &a.moves[k]
		if m.event.Kind == lifecycle.EventBlur {
			continue
		}
		a.next.copyFrom(w)
		taken, breaches, effects := a.next.take(m)
		c := consequence{move: m, breaches: breaches}
		if taken {
			c.after, c.effects = a.next, effects
		}
		tell(c)
	}
}

// hashOf is the hash of what a move leads to. It brings that world into its canonical state. The
// order of the effects is ignored, because effects on several fields come in the order of the fields.
func (a *auditor) hashOf(w *world, c consequence) uint64 {
	h := &a.hash
	h.Reset()
	flag(h, c.cut)
	if c.move == nil {
		lookAt(h, w.session)
		return h.Sum64()
	}
	_, _ = h.WriteString(a.nameOf(w, c.move)) // it never fails
	for _, b := range c.breaches {
		number(h, int(b.Guarantee))
	}
	sum := h.Sum64()
	for k := range c.effects {
		sum += a.hashOfEffect(&c.effects[k])
	}
	h.Reset()
	number(h, int(sum))
	if c.after == nil {
		return h.Sum64()
	}
	number(h, int(flagsOf(c.after)))
	lookAt(h, c.after.session)
	a.packed = c.after.pack(a.packed[:0], a.packer, &a.successors.options)
	_, _ = h.Write(a.packed)
	return h.Sum64()
}

// unseen is the hold that is there only where one more submit will come. The bounds may leave that
// submit out.
const unseen = lifecycle.Holds(lifecycle.HoldReceived)

// lookAt adds what a session would say now. A fault of the core could carry that from step to step
// beside the canonical state, so that no single step would show it.
func lookAt(h *maphash.Hash, s *lifecycle.Session) {
	for _, button := range s.Form().Buttons {
		number(h, int(s.Holds(button)&^unseen))
	}
	number(h, int(s.WouldAsk()))
	flag(h, s.Unsaved(), s.UnloadGuard())
}

func (a *auditor) hashOfEffect(e *lifecycle.Effect) uint64 {
	h := &a.hash
	h.Reset()
	for _, n := range [...]int{int(e.Kind), int(e.Of), int(e.After), a.field(e.Place.Field), int(e.Place.Row), int(e.Reason), int(e.LeaveKind), int(e.Level), int(e.Message.Count), int(e.Message.AndCount)} {
		number(h, n)
	}
	for _, text := range [...]string{e.Button, e.To, string(e.Message.ID), string(e.Message.And)} {
		_, _ = h.WriteString(text)
		number(h, len(text))
	}
	flag(h, e.On, e.Try == 1, e.Version != "")
	sum := h.Sum64()
	for _, v := range e.Values {
		h.Reset()
		for _, n := range [...]int{a.field(v.Field), int(v.Row), int(v.Value.Kind), int(v.Value.Exp), int(v.Value.Coef)} {
			number(h, n)
		}
		_, _ = h.WriteString(v.Value.Text)
		sum += h.Sum64()
	}
	return sum
}

func number(h *maphash.Hash, n int) {
	var b [8]byte
	binary.LittleEndian.PutUint64(b[:], uint64(n))
	_, _ = h.Write(b[:])
}

func flag(h *maphash.Hash, flags ...bool) {
	for _, on := range flags {
		if on {
			_ = h.WriteByte(1)
		} else {
			_ = h.WriteByte(0)
		}
	}
}

// nameOf names a move without the numbers of requests, timers and tries, which a canonical state
// gives anew.
func (a *auditor) nameOf(w *world, m *move) string {
	e := &m.event
	name := e.Kind.String()
	switch e.Kind {
	case lifecycle.EventElapsed:
		of, _ := w.session.TimerOf(e.Timer)
		return name + " " + of.String()
	case lifecycle.EventReplied:
		name += " " + e.Reply.Kind.String()
		if e.Try == w.session.Attempt().Tries {
			name += " to the newest try"
		}
	case lifecycle.EventLoaded, lifecycle.EventLoadFailed:
		if e.Request == w.watch.Loading() {
			name += " to the newest load"
		}
	case lifecycle.EventSupplied:
		if e.After < w.session.Changes() {
			name += " too late"
		} else if e.Version != "" && e.Version == w.session.Version() {
			name += " in the version that is known"
		}
	case lifecycle.EventChecked, lifecycle.EventCheckFailed:
		if len(e.Issues) > 0 {
			name += " with issues"
		}
		w.requests = w.watch.AppendChecks(w.requests[:0])
		if slices.Contains(w.requests, e.Request) {
			name += " to a check that is out"
		}
	case lifecycle.EventResolve:
		name += a.pathOf(e.Path) + e.Choice.String()
	case lifecycle.EventLeaveAsked:
		name += " " + e.LeaveKind.String()
	case lifecycle.EventLeaveDecided:
		name += " " + e.Decision.String()
	default:
		name += a.pathOf(e.Path) + e.Raw + e.Button + e.To
	}
	return name
}

func (a *auditor) pathOf(path string) string {
	if place, there := a.successors.form.Lookup(path); there {
		if first, is := a.alike[place.Field]; is {
			path = a.successors.form.Fields[first].Path
		}
	}
	return " " + path + " "
}

func textOf(effects []lifecycle.Effect) string {
	text := ""
	for k := range effects {
		e := &effects[k]
		text += fmt.Sprint("; ", e.Kind, " ", e.Of, " ", e.Place, e.Button, e.Reason, e.To, e.LeaveKind, e.On, e.Message.ID, e.Message.And, e.Message.Count, e.Message.AndCount)
		if e.Kind == lifecycle.EffectSend {
			text += fmt.Sprint(e.Try == 1, e.Version != "", e.Values)
		}
	}
	return text
}
