package lifecycle

import (
	"encoding/binary"

	"leanwicket.dev/form"
)

// Packer writes sessions of one form in some tens of bytes, and makes them again: for
// walks that keep millions of them. Cells, and everything else by turns, are written as
// numbers of what the packer has seen before, so that two packed states are the same
// bytes if, and only if, their normal forms are the same.
//
//	p := NewPacker(form, PackOptions{})
//	names := p.Normalise(session)
//	packed := p.Pack(nil, session, nil)
//	p.Unpack(packed, other) // another session of the form
type Packer struct {
	form    *form.Form
	options PackOptions

	cells cache[cell, cell]
	rests cache[string, string] // all but the cells
	keys  [3]Key

	// The state that was unpacked last: most cells of the next are the same.
	from    []cell
	fromIDs []uint32

	// Scratch.
	text     []byte
	order    []form.FieldID
	names    Names
	rowMoved []int32
	cellsToo []cell
	rowsToo  []row
}

// PackOptions say what counts as the same state.
type PackOptions struct {
	Alike [][]form.FieldID // fields that are interchangeable; of forms without rows
	Whole bool             // what has no future any more counts too, and nothing is interchangeable
}

// NewPacker makes a packer for the sessions of one form.
func NewPacker(form *form.Form, o PackOptions) *Packer {
	return &Packer{
		form: form, options: o, cells: newCache[cell, cell](), rests: newCache[string, string](),
	}
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	return &Packer{
		form: p.form, options: p.options, cells: p.cells.fork(), rests: p.rests.fork(),
	}
}

// Size is about the memory that the packer's tables take, in bytes. No fork may
// be at work meanwhile.
func (p *Packer) Size() int { return p.cells.of.bytes + p.rests.of.bytes }

// Pack appends a session that is in its normal form, packed, and beside it what somebody
// remembers of it.
func (p *Packer) Pack(to []byte, s *Session, beside []byte) []byte {
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
	p.text = l.to
	to = binary.AppendUvarint(to, uint64(numberOfBytes(&p.rests, beside)))
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

// Unpack makes a session again, in its normal form. It returns what was given to be kept
// beside it, and what follows in the bytes.
func (p *Packer) Unpack(packed []byte, s *Session) (beside string, rest []byte) {
	next := func() uint32 {
		n, size := binary.Uvarint(packed)
		packed = packed[size:]
		return uint32(n)
	}
	s.form = p.form
	s.changed = s.changed[:0]
	l := listReader{*p.rests.at(next())}
	l.scalars(s)
	l = listReader{*p.rests.at(next())}
	l.lists(s)
	if n := s.attempt.number; n > 0 {
		s.attempt.key = p.key(n)
	}
	beside = *p.rests.at(next())
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
	return beside, packed
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
		a := form.Answer{Place: form.Place{Field: form.FieldID(l.number()), Row: int32(l.number())}}
		a.Value = l.value()
		s.keptValues = append(s.keptValues, a)
	}
	s.waiting = s.waiting[:0]
	for range l.number() {
		s.waiting = append(s.waiting, l.waiting())
	}
	if len(s.groups) != s.form.GroupCount() {
		s.groups = make([]rows, s.form.GroupCount())
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
		s.rows = append(s.rows, row{group: form.FieldID(l.number()), first: int32(l.number()), used: true})
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
	v.place = form.Place{Field: form.FieldID(l.number()), Row: int32(l.number())}
	v.Path, v.Raw = l.text(), l.text()
	v.Baseline, v.Veiled = l.value(), l.value()
	return v
}
