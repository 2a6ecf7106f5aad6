package canonical

import (
	"bytes"
	"encoding/binary"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// Packer writes sessions of one form in some tens of bytes, and makes them again. Cells, and
// everything else by turns, are written as numbers of what the packer has seen before, so that
// two packed states are the same bytes if, and only if, their canonical states are the same.
//
//	p := NewPacker(form, Options{})
//	names := p.Normalise(session, Ahead{})
//	packed := p.Pack(nil, session, nil)
//	p.Unpack(packed, other) // another session of the form
type Packer struct {
	form    *form.Form
	options Options

	cells codec.Numbering[state.Cell, state.Cell]
	rests codec.Numbering[string, string] // all but the cells
	first *lifecycle.Session              // one that has just been opened: unpacking begins with it

	// The state that was unpacked last: most cells of the next are the same.
	from    []state.Cell
	fromIDs []uint32

	others, lists, beside numbered // packed last

	// Scratch.
	view       view
	text       []byte
	order      []form.FieldID
	names      Names
	rowMoved   []int32
	otherCells []state.Cell
	otherRows  []state.Row
}

// Options say what counts as the same state.
type Options struct {
	Alike    [][]form.FieldID // fields that are interchangeable; of forms without rows
	Brings   []form.Answer    // what each load brings, where each brings the same; nil means that it is not known
	Supplied bool             // answers may be supplied
	Whole    bool             // what has no future any more counts too, and nothing is interchangeable
}

// Changes is how many changes of the record count, of so many: one reading of before a change is as stale as any
// other.
func (o *Options) Changes(n uint32) uint32 {
	if o.Supplied {
		return min(n, 1)
	}
	return 0
}

// Ahead says what will not come any more of a session in a walk with bounds.
type Ahead struct {
	NoAttempt bool // none is begun after the newest
	NoTry     bool // the newest attempt is not sent again
}

// NewPacker makes a packer for the sessions of one form.
func NewPacker(f *form.Form, o Options) *Packer {
	p := &Packer{form: f, options: o, cells: codec.NewNumbering[state.Cell, state.Cell](), rests: codec.NewNumbering[string, string]()}
	return p.begin()
}

// Fork makes a packer with the same numbers, for another goroutine.
func (p *Packer) Fork() *Packer {
	fork := &Packer{form: p.form, options: p.options, cells: p.cells.Fork(), rests: p.rests.Fork()}
	return fork.begin()
}

func (p *Packer) begin() *Packer {
	p.first, _ = lifecycle.Open(p.form, lifecycle.Seed{})
	p.view.form = p.form
	return p
}

// Size is about the memory that the packer's tables take, in bytes. No fork may
// be at work meanwhile.
func (p *Packer) Size() int { return p.cells.Size() + p.rests.Size() }

// Pack appends the session that was brought into its canonical state last, packed, and beside
// it what somebody remembers of it.
func (p *Packer) Pack(to []byte, s *lifecycle.Session, beside []byte) []byte {
	if p.names.more { // since then
		p.view.Scatter(s)
	}
	// In parts that vary little together, so that there are few of each.
	c := codec.Writing(p.text[:0])
	p.view.CodeOthers(&c)
	p.text = c.Written()
	to = p.rest(to, &p.others, p.text)
	c = p.view.CodeLists(s, codec.Writing(p.text[:0]))
	p.text = c.Written()
	to = p.rest(to, &p.lists, p.text)
	to = p.rest(to, &p.beside, beside)
	cells := p.view.cells()
	for i := range cells {
		c := &cells[i]
		if i < len(p.from) && *c == p.from[i] {
			to = binary.AppendUvarint(to, uint64(p.fromIDs[i]))
			continue
		}
		to = binary.AppendUvarint(to, uint64(p.cells.Number(*c, *c)))
	}
	return to
}

// rest appends the number of a text. Often it is the text before.
func (p *Packer) rest(to []byte, before *numbered, text []byte) []byte {
	if !bytes.Equal(before.text, text) || !before.known {
		*before = numbered{append(before.text[:0], text...), codec.NumberOfBytes(&p.rests, text), true}
	}
	return binary.AppendUvarint(to, uint64(before.number))
}

// numbered is a text that was packed, and its number.
type numbered struct {
	text   []byte
	number uint32
	known  bool
}

// Unpack makes a session again, in its canonical state. It returns what was given to be kept
// beside it, and what follows in the bytes.
func (p *Packer) Unpack(packed []byte, s *lifecycle.Session) (beside string, rest []byte) {
	next := func() uint32 {
		n, size := binary.Uvarint(packed)
		packed = packed[size:]
		return uint32(n)
	}
	if s.Form() != p.form {
		s.CopyFrom(p.first)
	}
	w := &p.view
	w.GatherLists(s)
	c := codec.Reading(*p.rests.At(next()))
	w.CodeOthers(&c)
	clear(w.Keys[:])
	if w.begun() {
		w.Keys[state.AttemptKey] = lifecycle.Key{byte(w.Numbers[state.AttemptNumber])}
	}
	w.Scatter(s)
	w.CodeLists(s, codec.Reading(*p.rests.At(next())))
	beside = *p.rests.At(next())
	cells := (*w.Cells)[:0]
	p.fromIDs = p.fromIDs[:0]
	size := len(p.form.Fields)
	for _, r := range *w.Rows {
		size += len(p.form.RowFields(r.Group))
	}
	for range size {
		id := next()
		cells, p.fromIDs = append(cells, *p.cells.At(id)), append(p.fromIDs, id)
	}
	*w.Cells = cells
	p.from = append(p.from[:0], cells...)
	return beside, packed
}
