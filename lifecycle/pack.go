package lifecycle

import (
	"encoding/binary"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
)

// Packer writes sessions of one form in some tens of bytes, and makes them again: for
// walks that keep millions of them. Cells, and everything else by turns, are written as
// numbers of what the packer has seen before, so that two packed states are the same
// bytes if, and only if, their normal forms are the same.
//
//	p := NewPacker(form, PackOptions{})
//	names := p.Normalise(session, Ahead{})
//	packed := p.Pack(nil, session, nil)
//	p.Unpack(packed, other) // another session of the form
type Packer struct {
	form    *form.Form
	options PackOptions

	cells codec.Numbering[cell, cell]
	rests codec.Numbering[string, string] // all but the cells
	keys  [3]Key

	// The state that was unpacked last: most cells of the next are the same.
	from    []cell
	fromIDs []uint32

	// Scratch.
	text       []byte
	order      []form.FieldID
	names      Names
	rowMoved   []int32
	otherCells []cell
	otherRows  []row
}

// PackOptions say what counts as the same state.
type PackOptions struct {
	Alike  [][]form.FieldID // fields that are interchangeable; of forms without rows
	Brings []form.Answer    // what each load brings, where each brings the same; nil means that it is not known
	Whole  bool             // what has no future any more counts too, and nothing is interchangeable
}

// Ahead says what will not come any more of a session in a walk with bounds.
type Ahead struct {
	NoAttempt bool // none is begun after the newest
	NoTry     bool // the newest attempt is not sent again
}

// NewPacker makes a packer for the sessions of one form.
func NewPacker(form *form.Form, o PackOptions) *Packer {
	return &Packer{
		form: form, options: o, cells: codec.NewNumbering[cell, cell](), rests: codec.NewNumbering[string, string](),
	}
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	return &Packer{
		form: p.form, options: p.options, cells: p.cells.Fork(), rests: p.rests.Fork(),
	}
}

// Size is about the memory that the packer's tables take, in bytes. No fork may
// be at work meanwhile.
func (p *Packer) Size() int { return p.cells.Size() + p.rests.Size() }

// Pack appends a session that is in its normal form, packed, and beside it what somebody
// remembers of it.
func (p *Packer) Pack(to []byte, s *Session, beside []byte) []byte {
	// In parts that vary little together, so that there are few of each.
	for _, visit := range packedParts {
		c := codec.Writing(p.text[:0])
		visit(&c, s)
		p.text = c.Written()
		to = binary.AppendUvarint(to, uint64(codec.NumberOfBytes(&p.rests, p.text)))
	}
	to = binary.AppendUvarint(to, uint64(codec.NumberOfBytes(&p.rests, beside)))
	for i := range s.cells {
		c := &s.cells[i]
		if i < len(p.from) && *c == p.from[i] {
			to = binary.AppendUvarint(to, uint64(p.fromIDs[i]))
			continue
		}
		to = binary.AppendUvarint(to, uint64(p.cells.Number(*c, *c)))
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
	for _, visit := range packedParts {
		c := codec.Reading(*p.rests.At(next()))
		visit(&c, s)
	}
	if n := s.attempt.number; n > 0 {
		s.attempt.key = p.key(n)
	}
	beside = *p.rests.At(next())
	s.cells, p.fromIDs = s.cells[:0], p.fromIDs[:0]
	size := len(p.form.Fields)
	for _, r := range s.rows {
		size += len(p.form.Members(r.group))
	}
	for range size {
		id := next()
		s.cells, p.fromIDs = append(s.cells, *p.cells.At(id)), append(p.fromIDs, id)
		s.tally.count(&s.cells[len(s.cells)-1], 1)
	}
	p.from = append(p.from[:0], s.cells...)
	return beside, packed
}

// packedParts visit a session in its normal form, but for its cells.
var packedParts = [...]func(*codec.Codec, *Session){packScalars, packLists}

// packScalars visits what is left of the scalars in the normal form, but for the counts.
func packScalars(c *codec.Codec, s *Session) {
	if c.Reads() {
		s.scalars = scalars{focus: WholeForm}
	}
	a := &s.attempt
	c.Flags(&s.revealed, &s.follow, &s.clearNext, &s.guard, &s.received.on, &s.received.cleared, &s.deferred.present)
	applied := s.applied > 0
	c.Flags(&s.deferred.ask, &s.load.arrived, &applied, &a.unsure, &a.waited, &a.adopted, &s.thenDue)
	if c.Reads() && applied {
		s.applied = 1
	}
	version, sent, deferred := s.version != "", a.version != "", s.deferred.version != ""
	c.Flags(&version, &sent, &deferred)
	packVersion(c, &s.version, version)
	packVersion(c, &a.version, sent)
	packVersion(c, &s.deferred.version, deferred)
	codec.Number(c, &s.prefill)
	codec.Number(c, &s.activity)
	codec.Number(c, &s.newestOutcome)
	codec.Number(c, &s.leave)
	codec.Number(c, &s.leaveKind)
	codec.Number(c, &s.asked)
	codec.Number(c, &s.load.needs)
	codec.Number(c, &a.outcome)
	codec.Number(c, &s.pressed)
	codec.Number(c, &s.load.request)
	codec.Number(c, &a.number)
	codec.Number(c, &a.button)
	codec.Number(c, &a.repeats)
	codec.Number(c, &s.nextRequest)
	codec.Number(c, &s.nextTimer)
	for k := range s.timers {
		codec.Number(c, &s.timers[k])
	}
	c.Text(&s.leaveTo)
}

// packVersion makes a version again, of which only whether there is one counts.
func packVersion(c *codec.Codec, version *string, known bool) {
	if c.Reads() && known {
		*version = knownVersion
	}
}

// packLists visits the lists of a session, but for the cells.
func packLists(c *codec.Codec, s *Session) {
	codec.List(c, &s.tries, codec.Number[tryState])
	codec.List(c, &s.checks, func(c *codec.Codec, x *check) {
		codec.Number(c, &x.cell)
		codec.Number(c, &x.request)
		codec.Number(c, &x.timer)
		codec.Number(c, &x.row)
	})
	codec.List(c, &s.issues, func(c *codec.Codec, x *issue) {
		codec.Number(c, &x.cell)
		codec.Number(c, &x.from)
		codec.Number(c, &x.source)
		c.Text(&x.code)
		c.Text(&x.text)
	})
	codec.List(c, &s.deferredValues, func(c *codec.Codec, a *form.Answer) {
		packPlace(c, &a.Place)
		packValue(c, &a.Value)
	})
	codec.List(c, &s.waiting, func(c *codec.Codec, v *waitingAnswer) {
		c.Flags(&v.Since, &v.Contested, &v.Clean)
		packPlace(c, &v.place)
		c.Text(&v.Path)
		c.Text(&v.Raw)
		packValue(c, &v.Baseline)
		packValue(c, &v.Veiled)
	})
	if len(s.groups) != s.form.GroupCount() {
		s.groups = make([]rows, s.form.GroupCount())
	}
	for g := range s.groups {
		for _, which := range [...]rowLists{inNow, inBase, inSent} {
			codec.List(c, s.groups[g].list(which), codec.Number[int32])
		}
	}
	codec.List(c, &s.rows, func(c *codec.Codec, r *row) {
		codec.Number(c, &r.group)
		codec.Number(c, &r.first)
	})
	if !c.Reads() {
		return
	}
	for k := range s.rows {
		s.rows[k].used = true
	}
	for g := range s.groups {
		s.groups[g].free = s.groups[g].free[:0]
		s.indexGroup(g)
	}
}

func packPlace(c *codec.Codec, p *form.Place) {
	codec.Number(c, &p.Field)
	codec.Number(c, &p.Row)
}

func packValue(c *codec.Codec, v *form.Value) {
	codec.Number(c, &v.Kind)
	codec.Number(c, &v.Exp)
	codec.Number(c, &v.Coef)
	c.Text(&v.Text)
}
