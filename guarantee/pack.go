package guarantee

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/canonical"
	"leanwicket.dev/internal/codec"
	"leanwicket.dev/lifecycle"
)

// Packer writes watched sessions of one form, as [canonical.Packer] writes sessions.
//
//	p := NewPacker(form, Options{})
//	packed := p.Pack(nil, watch, canonical.Ahead{}) // the session is in its canonical state now
//	p.Unpack(packed, other)      // a watch of a session of its own
type Packer struct {
	core    *canonical.Packer
	options canonical.Options
	works   codec.Numbering[string, *sentWork] // by content
	own     map[string]*sentWork               // by content
	text    []byte                             // scratch
}

// NewPacker makes a packer for the watched sessions of one form.
func NewPacker(form *form.Form, o canonical.Options) *Packer {
	return &Packer{core: canonical.NewPacker(form, o), options: o, works: codec.NewNumbering[string, *sentWork](), own: map[string]*sentWork{}}
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	return &Packer{core: p.core.Fork(), options: p.options, works: p.works.Fork(), own: map[string]*sentWork{}}
}

// Size estimates the memory that the packer's tables take, in bytes. No fork may be at work
// meanwhile.
func (p *Packer) Size() int { return p.core.Size() }

// Pack brings a watched session into its canonical state and appends it, packed.
func (p *Packer) Pack(to []byte, w *Watch, ahead canonical.Ahead) []byte {
	names := p.core.Normalise(w.session, ahead)
	if !p.options.Whole {
		w.forget(ahead)
	}
	w.changes = p.options.Changes(w.changes)
	w.rename(names)
	c := codec.Writing(p.text[:0])
	p.memory(&c, w)
	p.text = c.Written()
	return p.core.Pack(to, w.session, p.text)
}

// Unpack makes a watched session again, in its canonical state. It returns what
// follows in the bytes.
func (p *Packer) Unpack(packed []byte, w *Watch) (rest []byte) {
	if w.session == nil {
		w.session = &lifecycle.Session{}
	}
	memory, rest := p.core.Unpack(packed, w.session)
	c := codec.Reading(memory)
	p.memory(&c, w)
	w.works = p.own
	return rest
}

// forget drops every part of the watch that can make no difference any more. The watch either sets
// such a part anew before it reads it, or never reads it again.
func (w *Watch) forget(ahead canonical.Ahead) {
	if activity := w.session.Activity(); w.inFlight == 0 && activity != lifecycle.ActivitySending && activity != lifecycle.ActivityWaiting {
		w.paused = false
	}
	f := w.session.Form()
	if !w.settled {
		w.resetAt = false
		if first := f.Buttons[0]; ahead.NoAttempt && ahead.NoTry && w.sent != nil && w.sent.button != first {
			w.sent = w.workOf(first, w.sent.values)
		}
		return
	}
	w.paused, w.adopted, w.late = false, false, w.late[:0]
	if ahead.NoAttempt || !w.accepted || w.resetAt || !f.Submit.Creates() || f.Accepted.Then == form.ThenAdopt {
		w.sent, w.sentIDs, w.resetAt = nil, w.sentIDs[:0], false
	}
}

// rename follows the session into its canonical state.
func (w *Watch) rename(names *canonical.Names) {
	for k := range w.sentIDs {
		w.sentIDs[k] = int32(names.Field(int(w.sentIDs[k])))
	}
	if w.sent != nil && names.Reordered() {
		values := slices.Clone(w.sent.values)
		names.Reorder(values)
		w.sent = w.workOf(w.sent.button, values)
		w.sentIDs = w.sentIDs[:0]
		for _, a := range w.sent.present { // forms with rows have no fields that are interchangeable
			w.sentIDs = append(w.sentIDs, int32(a.Field))
		}
	}
	for k := range w.timers {
		w.timers[k].ID = names.Timer(w.timers[k].ID)
	}
	w.load = names.Request(w.load)
	for k := range w.checks {
		w.checks[k].request = names.Request(w.checks[k].request)
		w.checks[k].field = int32(names.Field(int(w.checks[k].field)))
	}
	if len(w.checks) > 1 {
		slices.SortFunc(w.checks, func(a, b checkOut) int { return int(a.request) - int(b.request) })
	}
	w.attempt = names.Attempt(w.attempt)
	if w.attempt > 0 {
		w.key = names.Key(w.key)
		w.keys = append(w.keys[:0], w.key)
	}
	w.inFlight = names.Try(w.inFlight)
	for k := range w.late {
		w.late[k] = names.Try(w.late[k])
	}
	slices.Sort(w.late)
	w.late = slices.Compact(w.late)
}

// memory visits what a watch remembers.
func (p *Packer) memory(c *codec.Codec, w *Watch) {
	hasSent, ownKey := w.sent != nil, w.key != w.session.Attempt().Key
	c.Flags(&w.settled, &w.adopted, &w.accepted, &w.resetAt, &w.missing, &w.paused, &w.owed)
	c.Flags(&hasSent, &ownKey)
	codec.Number(c, &w.changes)
	codec.Number(c, &w.load)
	codec.Number(c, &w.inFlight)
	codec.Number(c, &w.attempt)
	if ownKey {
		c.Bytes(w.key[:])
	} else {
		w.key = w.session.Attempt().Key
	}
	codec.List(c, &w.checks, func(c *codec.Codec, x *checkOut) {
		codec.Number(c, &x.request)
		codec.Number(c, &x.field)
	})
	codec.List(c, &w.timers, func(c *codec.Codec, t *ArmedTimer) {
		codec.Number(c, &t.ID)
		codec.Number(c, &t.Of)
		codec.Number(c, &t.After)
	})
	codec.List(c, &w.late, codec.Number[int32])
	if c.Reads() {
		w.sent, w.sentIDs, w.keys = nil, w.sentIDs[:0], w.keys[:0]
		if w.attempt > 0 {
			w.keys = append(w.keys, w.key)
		}
	}
	if !hasSent {
		return
	}
	var work uint32
	if !c.Reads() {
		work = p.works.Number(w.sent.content, w.sent)
	}
	codec.Number(c, &work)
	w.sent = *p.works.At(work)
	codec.List(c, &w.sentIDs, codec.Number[int32])
}
