package verify

import (
	"bytes"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// explorer takes every move from one state after the other.
type explorer struct {
	walker  *walker
	packer  *guarantee.Packer
	source  *world
	scratch *world
	moves   []move
	auditor *auditor

	standing lifecycle.Standing // of the source
	taken    []lifecycle.Transition
}

func newExplorer(w *walker, p *guarantee.Packer) *explorer {
	return &explorer{walker: w, packer: p, source: newWorld(), scratch: newWorld(), auditor: newAuditor(w.successors, p.Fork())}
}

// chunk is what was found from a run of states.
type chunk struct {
	batch
	first       int32
	cut         []bool // beside the states: a bound left something out
	transitions int
	breaches    []breachAt
	paid        []paidAt
	reached     []reachedAt
	audited     int
	differs     string // what an audit has found; empty means nothing
}

func (c *chunk) reset(first int32, count int) {
	c.first, c.transitions, c.audited, c.differs = first, 0, 0, ""
	c.bytes, c.found, c.breaches, c.paid, c.reached = c.bytes[:0], c.found[:0], c.breaches[:0], c.paid[:0], c.reached[:0]
	c.cut = append(c.cut[:0], make([]bool, count)...)
}

type breachAt struct {
	guarantee.Breach
	from int32
}

func (x *explorer) explore(first, until int32) *chunk {
	c, _ := x.walker.free.Get().(*chunk)
	if c == nil {
		c = &chunk{}
	}
	c.reset(first, int(until-first))
	for id := first; id < until; id++ {
		packed := x.walker.store.packed(id)
		x.source.unpack(packed, x.packer, &x.walker.options)
		x.moves, c.cut[id-first] = x.walker.successors.moves(x.source, x.moves[:0])
		x.standing = x.source.session.Standing()
		fresh := false // the scratch world is the source
		for k := range x.moves {
			if !fresh {
				x.scratch.copyFrom(x.source)
			}
			fresh = !x.take(c, id, packed, k)
		}
	}
	return c
}

// take takes the move k, and notes what it leads to. It reports whether anything
// was changed.
func (x *explorer) take(c *chunk, id int32, packed []byte, k int) (changed bool) {
	m := &x.moves[k]
	taken, breaches, effects := x.scratch.take(m)
	for _, b := range breaches {
		if !x.walker.found[b.Guarantee] {
			c.breaches = append(c.breaches, breachAt{b, id})
		}
	}
	if !taken {
		return len(breaches) > 0
	}
	c.transitions++
	for _, p := range x.walker.prices {
		if p.paid(m.event, x.source, x.scratch, effects) {
			c.paid = append(c.paid, paidAt{p, id})
		}
	}
	if x.walker.options.Wanted != nil {
		x.transitions(c, id, m)
	}
	kind, flags := kindOf(m, effects), flagsOf(x.scratch)
	audited := x.walker.options.audits(id, k)
	if audited {
		x.auditor.before(x.scratch)
	}
	start := len(c.bytes)
	c.bytes = x.scratch.pack(c.bytes, x.packer, &x.walker.options)
	if audited {
		c.audited++
		if difference := x.auditor.after(c.bytes[start:]); c.differs == "" && difference != "" {
			c.differs = x.auditor.nameOf(x.source, m) + ", then " + difference
		}
	}
	if kind != edgeAccepts && bytes.Equal(c.bytes[start:], packed) {
		c.bytes = c.bytes[:start] // it leads nowhere else
		return true
	}
	c.found = append(c.found, found{
		hash: x.walker.store.hash(c.bytes[start:]), from: id, kind: kind, flags: flags,
		start: uint32(start), end: uint32(len(c.bytes)),
	})
	return true
}

func flagsOf(w *world) (flags stateFlags) {
	if w.gone() {
		return flagGone
	}
	if w.session.Activity() != lifecycle.ActivityIdle || w.session.Prefill() == lifecycle.PrefillLoading {
		flags |= flagWaits
	}
	return flags
}

func kindOf(m *move, effects []lifecycle.Effect) edgeKind {
	if !m.forward {
		return edgeAny
	}
	accepts := func(e lifecycle.Effect) bool {
		return e.Kind == lifecycle.EffectSay && e.Message.ID == form.MessageAccepted
	}
	switch {
	case slices.ContainsFunc(effects, accepts):
		return edgeAccepts
	case m.event.Kind == lifecycle.EventElapsed:
		return edgeTime
	default:
		return edgeForward
	}
}
