package guarantee

import (
	"encoding/binary"
	"slices"
	"sync"
	"time"

	"leanwicket.dev/form"
	"leanwicket.dev/lifecycle"
)

// WatchPacker writes watched sessions of one form, as [lifecycle.Packer] writes sessions.
//
//	p := NewWatchPacker(form, PackOptions{})
//	packed := p.Pack(nil, watch) // the session is in its normal form now
//	p.Unpack(packed, other)      // a watch of a session of its own
type Packer struct {
	core  *lifecycle.Packer
	whole bool
	works *workTable
	own   map[string]*sentWork // by content
	text  []byte               // scratch
}

// workTable numbers what attempts carry. It is shared by forks.
type workTable struct {
	mu      sync.RWMutex
	numbers map[string]int
	list    []*sentWork
}

func (t *workTable) number(work *sentWork) int {
	t.mu.RLock()
	id, known := t.numbers[work.content]
	t.mu.RUnlock()
	if known {
		return id
	}
	t.mu.Lock()
	defer t.mu.Unlock()
	if id, known = t.numbers[work.content]; !known {
		id = len(t.list)
		t.numbers[work.content] = id
		t.list = append(t.list, work)
	}
	return id
}

func (t *workTable) at(id int) *sentWork {
	t.mu.RLock()
	defer t.mu.RUnlock()
	return t.list[id]
}

// NewWatchPacker makes a packer for the watched sessions of one form.
func NewPacker(form *form.Form, o lifecycle.PackOptions) *Packer {
	return &Packer{core: lifecycle.NewPacker(form, o), whole: o.Whole, works: &workTable{numbers: map[string]int{}}, own: map[string]*sentWork{}}
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	return &Packer{core: p.core.Fork(), whole: p.whole, works: p.works, own: map[string]*sentWork{}}
}

// Size is about the memory that the packer's tables take, in bytes. No fork may
// be at work meanwhile.
func (p *Packer) Size() int { return p.core.Size() }

// Pack brings a watched session into its normal form and appends it, packed.
func (p *Packer) Pack(to []byte, w *Watch) []byte {
	names := p.core.Normalise(w.session)
	if !p.whole {
		w.forget()
	}
	w.rename(names)
	p.text = p.appendMemory(p.text[:0], w)
	return p.core.Pack(to, w.session, p.text)
}

// Unpack makes a watched session again, in its normal form. It returns what
// follows in the bytes.
func (p *Packer) Unpack(packed []byte, w *Watch) (rest []byte) {
	if w.session == nil {
		w.session = &lifecycle.Session{}
	}
	memory, rest := p.core.Unpack(packed, w.session)
	p.readMemory(memoryReader{memory}, w)
	w.works = p.own
	return rest
}

// forget drops what has no future.
func (w *Watch) forget() {
	if !w.settled {
		return
	}
	w.paused, w.adopted, w.late = false, false, w.late[:0]
	if !w.accepted || w.resetAt || !w.session.Form().Submit.Creates() {
		w.sent, w.sentIDs, w.resetAt = nil, w.sentIDs[:0], false
	}
}

// rename follows the session into its normal form.
func (w *Watch) rename(names *lifecycle.Names) {
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

func appendNumbers(to []byte, numbers ...int) []byte {
	for _, n := range numbers {
		if n >= 0 && n < 64 { // as AppendVarint would write it
			to = append(to, byte(n<<1))
		} else {
			to = binary.AppendVarint(to, int64(n))
		}
	}
	return to
}

// appendMemory writes the memory of a watch.
func (p *Packer) appendMemory(to []byte, w *Watch) []byte {
	ownKey := w.key != w.session.Attempt().Key
	flags := 0
	for k, is := range [...]bool{w.settled, w.adopted, w.accepted, w.resetAt, w.missing, w.paused, w.owed, w.sent != nil, ownKey} {
		if is {
			flags |= 1 << k
		}
	}
	to = appendNumbers(to, flags, int(w.load), int(w.inFlight), int(w.attempt), len(w.checks), len(w.timers), len(w.late))
	if ownKey {
		to = append(to, w.key[:]...)
	}
	for _, c := range w.checks {
		to = appendNumbers(to, int(c.request), int(c.field))
	}
	for _, t := range w.timers {
		to = appendNumbers(to, int(t.ID), int(t.Of), int(t.After))
	}
	for _, t := range w.late {
		to = appendNumbers(to, int(t))
	}
	if w.sent != nil {
		to = appendNumbers(to, p.works.number(w.sent), len(w.sentIDs))
		for _, id := range w.sentIDs {
			to = appendNumbers(to, int(id))
		}
	}
	return to
}

// memoryReader reads what appendMemory wrote.
type memoryReader struct{ rest string }

func (r *memoryReader) number() int {
	if b := r.rest[0]; b < 0x80 { // most are a byte
		r.rest = r.rest[1:]
		return int(b>>1) ^ -int(b&1)
	}
	n, size := binary.Varint([]byte(r.rest[:min(len(r.rest), binary.MaxVarintLen64)]))
	r.rest = r.rest[size:]
	return int(n)
}

func (p *Packer) readMemory(r memoryReader, w *Watch) {
	flags, bit := r.number(), 0
	next := func() bool {
		bit++
		return flags&(1<<(bit-1)) != 0
	}
	for _, is := range [...]*bool{&w.settled, &w.adopted, &w.accepted, &w.resetAt, &w.missing, &w.paused, &w.owed} {
		*is = next()
	}
	hasSent, ownKey := next(), next()
	w.load, w.inFlight, w.attempt = lifecycle.RequestID(r.number()), int32(r.number()), int32(r.number())
	checks, timers, late := r.number(), r.number(), r.number()
	if w.key = w.session.Attempt().Key; ownKey {
		r.rest = r.rest[copy(w.key[:], r.rest):]
	}
	w.checks, w.timers, w.late, w.sentIDs, w.keys = w.checks[:0], w.timers[:0], w.late[:0], w.sentIDs[:0], w.keys[:0]
	for range checks {
		w.checks = append(w.checks, checkOut{lifecycle.RequestID(r.number()), int32(r.number())})
	}
	for range timers {
		w.timers = append(w.timers, ArmedTimer{lifecycle.TimerID(r.number()), lifecycle.TimerKind(r.number()), time.Duration(r.number())})
	}
	for range late {
		w.late = append(w.late, int32(r.number()))
	}
	if w.sent = nil; hasSent {
		w.sent = p.works.at(r.number())
		for range r.number() {
			w.sentIDs = append(w.sentIDs, int32(r.number()))
		}
	}
	if w.attempt > 0 {
		w.keys = append(w.keys, w.key)
	}
}
