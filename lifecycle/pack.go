package lifecycle

import (
	"encoding/binary"
	"time"
)

// Packer writes watched sessions of one form in some tens of bytes, and makes
// them again: for walks that keep millions of them. Cells, and everything else
// by turns, are written as numbers of what the packer has seen before, so that
// two packed states are the same bytes if, and only if, their normal forms are
// the same.
//
//	p := NewPacker(form, PackOptions{})
//	packed := p.Pack(nil, watch)   // the session is in its normal form now
//	p.Unpack(packed, other)        // a watch of a session of its own
type Packer struct {
	form    *Form
	options PackOptions

	cells cache[cell, cell]
	rests cache[string, string] // all but the cells
	works cache[string, *sentWork]
	seen  map[string]*sentWork
	keys  [3]Key

	// The state that was unpacked last: most cells of the next are the same.
	from    []cell
	fromIDs []uint32

	// Scratch.
	text     []byte
	order    []FieldID
	moved    []int32
	rowMoved []int32
	cellsToo []cell
	rowsToo  []row
	timers   []uint32
	requests []uint32
}

// PackOptions say what counts as the same state.
type PackOptions struct {
	Alike [][]FieldID // fields that are interchangeable; of forms without rows
	Whole bool        // what has no future any more counts too, and nothing is interchangeable
}

// NewPacker makes a packer for the sessions of one form.
func NewPacker(form *Form, o PackOptions) *Packer {
	return &Packer{
		form: form, options: o, seen: map[string]*sentWork{},
		cells: newCache[cell, cell](), rests: newCache[string, string](), works: newCache[string, *sentWork](),
	}
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	return &Packer{
		form: p.form, options: p.options, seen: map[string]*sentWork{},
		cells: p.cells.fork(), rests: p.rests.fork(), works: p.works.fork(),
	}
}

// Size is about the memory that the packer's tables take, in bytes. No fork may
// be at work meanwhile.
func (p *Packer) Size() int { return p.cells.of.bytes + p.rests.of.bytes + p.works.of.bytes }

// Pack brings a watched session into its normal form and appends it, packed.
func (p *Packer) Pack(to []byte, w *Watch) []byte {
	p.normalise(w)
	s := w.session
	// In parts that vary little together, so that there are few of each.
	l := listWriter{p.text[:0]}
	part := func() {
		to = binary.AppendUvarint(to, uint64(numberOfBytes(&p.rests, l.to)))
		l.to = l.to[:0]
	}
	l.scalars(&s.scalars)
	part()
	l.lists(s)
	part()
	p.writeSeen(&l, w)
	part()
	p.text = l.to
	for i := range s.cells {
		c := &s.cells[i]
		if i < len(p.from) && *c == p.from[i] {
			to = binary.AppendUvarint(to, uint64(p.fromIDs[i]))
			continue
		}
		to = binary.AppendUvarint(to, uint64(p.cells.number(*c, *c)))
	}
	return to
}

// Unpack makes a watched session again, in its normal form. It returns what
// follows in the bytes.
func (p *Packer) Unpack(packed []byte, w *Watch) (rest []byte) {
	next := func() uint32 {
		n, size := binary.Uvarint(packed)
		packed = packed[size:]
		return uint32(n)
	}
	if w.session == nil {
		w.session = &Session{}
	}
	s := w.session
	s.form = p.form
	s.changed = s.changed[:0]
	l := listReader{*p.rests.at(next())}
	l.scalars(s)
	l = listReader{*p.rests.at(next())}
	l.lists(s)
	if n := s.attempt.number; n > 0 {
		s.attempt.key = p.key(n)
	}
	l = listReader{*p.rests.at(next())}
	p.readSeen(&l, w)
	s.cells, p.fromIDs = s.cells[:0], p.fromIDs[:0]
	size := len(p.form.Fields)
	for _, r := range s.rows {
		size += len(p.form.Members(r.group))
	}
	for range size {
		id := next()
		s.cells, p.fromIDs = append(s.cells, *p.cells.at(id)), append(p.fromIDs, id)
		s.tally.count(&s.cells[len(s.cells)-1], 1)
	}
	p.from = s.cells
	w.works = p.seen
	return packed
}

// scalars writes what is left of the scalars in the normal form, but for the
// counts.
func (l *listWriter) scalars(s *scalars) {
	a := &s.attempt
	l.flags(s.revealed, s.follow, s.clearNext, s.guard, s.received.on, s.received.cleared, s.kept.present)
	l.flags(s.kept.ask, s.load.arrived, s.applied > 0, a.unsure, a.waited, a.adopted, s.thenDue)
	l.flags(s.version != "", a.version != "", s.kept.version != "")
	l.small(byte(s.prefill), byte(s.activity), byte(s.standing), byte(s.leave), byte(s.leaveKind), byte(s.asked), byte(s.load.needs), byte(a.outcome))
	l.numbers(int(s.pressed), int(s.load.request), int(a.number), int(a.button), int(a.repeats), int(s.nextRequest), int(s.nextTimer))
	for _, t := range s.timers {
		l.numbers(int(t))
	}
	l.text(s.leaveTo)
}

func (l *listReader) scalars(s *Session) {
	first, second, third := l.small(), l.small(), l.small()
	on := func(set byte, k int) bool { return set&(1<<k) != 0 }
	s.scalars = scalars{revealed: on(first, 0), follow: on(first, 1), clearNext: on(first, 2), guard: on(first, 3), focus: WholeForm}
	s.received = receivedMark{on(first, 4), on(first, 5)}
	s.kept.present, s.kept.ask, s.load.arrived = on(first, 6), on(second, 0), on(second, 1)
	if on(second, 2) {
		s.applied = 1
	}
	a := &s.attempt
	a.unsure, a.waited, a.adopted, s.thenDue = on(second, 3), on(second, 4), on(second, 5), on(second, 6)
	for k, version := range [...]*string{&s.version, &a.version, &s.kept.version} {
		if on(third, k) {
			*version = knownVersion
		}
	}
	s.prefill, s.activity, s.standing = Prefill(l.small()), Activity(l.small()), Outcome(l.small())
	s.leave, s.leaveKind, s.asked = Leave(l.small()), LeaveKind(l.small()), AskReason(l.small())
	s.load.needs, a.outcome = needs(l.small()), Outcome(l.small())
	s.pressed, s.load.request = int32(l.number()), RequestID(l.number())
	a.number, a.button, a.repeats = int32(l.number()), int32(l.number()), int32(l.number())
	s.nextRequest, s.nextTimer = RequestID(l.number()), TimerID(l.number())
	for k := range s.timers {
		s.timers[k] = TimerID(l.number())
	}
	s.leaveTo = l.text()
}

// lists writes the lists of a session, but for the cells.
func (l *listWriter) lists(s *Session) {
	l.numbers(len(s.tries))
	for _, t := range s.tries {
		l.numbers(int(t))
	}
	l.numbers(len(s.checks))
	for _, c := range s.checks {
		l.numbers(int(c.cell), int(c.request), int(c.timer), int(c.row))
	}
	l.numbers(len(s.issues))
	for _, x := range s.issues {
		l.numbers(int(x.cell), int(x.from), int(x.source))
		l.text(x.code)
		l.text(x.text)
	}
	l.numbers(len(s.keptValues))
	for _, a := range s.keptValues {
		l.numbers(int(a.Field), int(a.Row))
		l.value(a.Value)
	}
	l.numbers(len(s.waiting))
	for k := range s.waiting {
		l.waiting(&s.waiting[k])
	}
	for g := range s.groups {
		for _, list := range [...][]int32{s.groups[g].now, s.groups[g].base, s.groups[g].sent} {
			l.numbers(len(list))
			for _, r := range list {
				l.numbers(int(r))
			}
		}
	}
	l.numbers(len(s.rows))
	for _, r := range s.rows {
		l.numbers(int(r.group), int(r.first))
	}
}

func (l *listReader) lists(s *Session) {
	s.tries, s.checks, s.issues, s.keptValues, s.rows = s.tries[:0], s.checks[:0], s.issues[:0], s.keptValues[:0], s.rows[:0]
	for range l.number() {
		s.tries = append(s.tries, tryState(l.number()))
	}
	for range l.number() {
		s.checks = append(s.checks, check{int32(l.number()), RequestID(l.number()), TimerID(l.number()), int32(l.number())})
	}
	for range l.number() {
		s.issues = append(s.issues, issue{int32(l.number()), int32(l.number()), Source(l.number()), l.text(), l.text()})
	}
	for range l.number() {
		a := Answer{Place: Place{FieldID(l.number()), int32(l.number())}}
		a.Value = l.value()
		s.keptValues = append(s.keptValues, a)
	}
	s.waiting = s.waiting[:0]
	for range l.number() {
		s.waiting = append(s.waiting, l.waiting())
	}
	if len(s.groups) != len(s.form.groups) {
		s.groups = make([]rows, len(s.form.groups))
	}
	for g := range s.groups {
		for _, list := range [...]*[]int32{&s.groups[g].now, &s.groups[g].base, &s.groups[g].sent} {
			*list = (*list)[:0]
			for range l.number() {
				*list = append(*list, int32(l.number()))
			}
		}
	}
	for range l.number() {
		s.rows = append(s.rows, row{group: FieldID(l.number()), first: int32(l.number()), used: true})
	}
	for g := range s.groups {
		s.groups[g].free = s.groups[g].free[:0]
		s.indexGroup(g)
	}
}

// waiting writes an answer that waits for its row.
func (l *listWriter) waiting(v *waitingAnswer) {
	l.flags(v.Since, v.Contested, v.Clean)
	l.numbers(int(v.place.Field), int(v.place.Row))
	l.text(v.Path)
	l.text(v.Raw)
	l.value(v.Baseline)
	l.value(v.Veiled)
}

func (l *listReader) waiting() (v waitingAnswer) {
	flags := l.small()
	v.Since, v.Contested, v.Clean = flags&1 != 0, flags&2 != 0, flags&4 != 0
	v.place = Place{FieldID(l.number()), int32(l.number())}
	v.Path, v.Raw = l.text(), l.text()
	v.Baseline, v.Veiled = l.value(), l.value()
	return v
}

// writeSeen writes the memory of a watch.
func (p *Packer) writeSeen(l *listWriter, w *Watch) {
	ownKey := w.key != w.session.attempt.key
	l.flags(w.settled, w.adopted, w.accepted, w.resetAt, w.missing, w.paused, w.sent != nil, ownKey)
	l.flags(w.owed)
	l.numbers(int(w.load), int(w.inFlight), int(w.attempt), len(w.checks), len(w.timers), len(w.late))
	if ownKey {
		l.small(w.key[:]...)
	}
	for _, c := range w.checks {
		l.numbers(int(c.request), int(c.field))
	}
	for _, t := range w.timers {
		l.numbers(int(t.ID), int(t.Of), int(t.After))
	}
	for _, t := range w.late {
		l.numbers(int(t))
	}
	if w.sent != nil {
		l.numbers(int(p.works.number(w.sent.content, w.sent)), len(w.sentIDs))
		for _, id := range w.sentIDs {
			l.numbers(int(id))
		}
	}
}

func (p *Packer) readSeen(l *listReader, w *Watch) {
	flags := l.small()
	on := func(k int) bool { return flags&(1<<k) != 0 }
	w.settled, w.adopted, w.accepted, w.resetAt, w.missing, w.paused = on(0), on(1), on(2), on(3), on(4), on(5)
	w.owed = l.small() != 0
	w.load, w.inFlight, w.attempt = RequestID(l.number()), int32(l.number()), int32(l.number())
	checks, timers, late := l.number(), l.number(), l.number()
	if w.key = w.session.attempt.key; on(7) {
		l.rest = l.rest[copy(w.key[:], l.rest):]
	}
	w.checks, w.timers, w.late, w.sentIDs, w.keys = w.checks[:0], w.timers[:0], w.late[:0], w.sentIDs[:0], w.keys[:0]
	for range checks {
		w.checks = append(w.checks, checkOut{RequestID(l.number()), int32(l.number())})
	}
	for range timers {
		w.timers = append(w.timers, ArmedTimer{TimerID(l.number()), TimerKind(l.number()), time.Duration(l.number())})
	}
	for range late {
		w.late = append(w.late, int32(l.number()))
	}
	if w.sent = nil; on(6) {
		w.sent = *p.works.at(uint32(l.number()))
		for range l.number() {
			w.sentIDs = append(w.sentIDs, int32(l.number()))
		}
	}
	if w.attempt > 0 {
		w.keys = append(w.keys, w.key)
	}
}
