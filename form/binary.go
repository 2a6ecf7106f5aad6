package form

import (
	"encoding/binary"
	"errors"
	"hash/fnv"
	"sync"
)

// binaryMagic begins every compiled form: a name and a format version.
const binaryMagic = "leanwicket form 2\n"

// AppendBinary appends the form compiled: what a browser or a cache reads back
// with [Read], without a schema library.
func (f *Form) AppendBinary(to []byte) ([]byte, error) {
	return f.encode(append(to, binaryMagic...), whole), nil
}

func (f *Form) encode(to []byte, only selection) []byte {
	c := codec{out: to, only: only}
	d := f.Declaration
	d.Fields = f.Declared()
	c.declaration(&d)
	return c.out
}

// MarshalBinary is AppendBinary to nothing.
func (f *Form) MarshalBinary() ([]byte, error) { return f.AppendBinary(nil) }

// Read reads what AppendBinary wrote. It returns an error, and never panics,
// for anything else.
func Read(data []byte) (*Form, error) {
	if len(data) < len(binaryMagic) || string(data[:len(binaryMagic)]) != binaryMagic {
		return nil, errors.New("found no compiled form of this version; right would be what AppendBinary wrote")
	}
	c := codec{in: data[len(binaryMagic):], reading: true}
	var d Declaration
	c.declaration(&d)
	if c.unknown && !c.broken {
		return nil, errors.New("found a compiled form with a part that this version does not know; right would be a core and a script as new as the form")
	}
	if len(c.in) > 0 && !c.broken {
		c.broken = true
	}
	if c.broken {
		return nil, errors.New("found a compiled form that ends in the middle; right would be what AppendBinary wrote")
	}
	if err := d.check(); err != nil {
		return nil, err
	}
	return newForm(d)
}

// LifecycleFingerprint is a short name for the form's lifecycle: forms with the same one, of which
// the words alone can differ, take the same events to the same states. The defaults of an opening
// make no difference.
func (f *Form) LifecycleFingerprint() uint64 { return f.fingerprints().lifecycle }

// WordsFingerprint is a short name for the form's words: labels, helps, texts, the language, and
// what else is shown and decides nothing.
func (f *Form) WordsFingerprint() uint64 { return f.fingerprints().words }

// fingerprints are made when somebody asks for the first time, and then kept: a page asks whenever it
// keeps a draft.
type fingerprints struct {
	once             sync.Once
	lifecycle, words uint64
}

func (f *Form) fingerprints() *fingerprints {
	if f.declared != nil {
		f = f.declared
	}
	f.prints.once.Do(func() {
		f.prints.lifecycle, f.prints.words = hashOf(f.encode(nil, lifecycleOnly)), hashOf(f.encode(nil, wordsOnly))
	})
	return f.prints
}

func hashOf(data []byte) uint64 {
	h := fnv.New64a()
	h.Write(data)
	return h.Sum64()
}

// check looks for what no declaration made by hand or by a reader would have,
// but a damaged encoding can.
func (d *Declaration) check() error {
	field := func(id FieldID) bool { return id >= 0 && int(id) < len(d.Fields) }
	sound := true
	conditions := func(list []Condition) {
		for _, condition := range list {
			for _, clause := range condition {
				for _, l := range clause {
					sound = sound && field(l.Field)
				}
			}
		}
	}
	for k := range d.Fields {
		f := &d.Fields[k]
		sound = sound && f.Kind <= KindRows && f.Of <= KindFile
		conditions(f.Asked)
		for _, c := range f.Constraints {
			sound = sound && c.Op <= OpUniqueItems && field(c.Other)
			conditions(c.When)
		}
	}
	for _, a := range d.Defaults {
		sound = sound && field(a.Field) && a.Row >= -1 && a.Row < 1<<16
		if sound && d.Fields[a.Field].Kind == KindRows {
			sound = a.Value.Kind == ValueNumber && a.Value.Integer() >= 0 && a.Value.Integer() < 1<<16
		}
	}
	if !sound {
		return errors.New("found a compiled form that refers to what it does not have; right would be what AppendBinary wrote")
	}
	return nil
}

// codec writes or reads with the same functions, so that each direction undoes the other.
type codec struct {
	out     []byte
	in      []byte
	reading bool
	broken  bool
	unknown bool // a part of the lifecycle has a tag that nobody knows
	only    selection
}

// selection says which parts of a form are written.
type selection uint8

const (
	whole selection = iota
	lifecycleOnly
	wordsOnly
)

// firstWord is the first tag of what is shown and decides nothing. A reader passes over such
// parts where it does not know them; of the lifecycle it has to know every part.
const firstWord = 64

// parts are the tagged parts of one thing. A part that is empty is left out.
type parts struct {
	*codec
	found map[int64][]byte // while reading
}

// parts visits the parts of one thing, which end with a zero.
func (c *codec) parts(visit func(p *parts)) {
	p := parts{codec: c}
	if !c.reading {
		visit(&p)
		c.out = append(c.out, 0)
		return
	}
	p.found = map[int64][]byte{}
	for {
		var tag int64
		if c.number(&tag); tag == 0 {
			break
		}
		content := c.bytes()
		if _, twice := p.found[tag]; c.broken || twice || len(content) == 0 {
			c.broken = true
			return
		}
		p.found[tag] = content
	}
	visit(&p)
	for tag := range p.found {
		c.unknown = c.unknown || tag < firstWord
	}
}

// part visits a part.
func (p *parts) part(tag int64, has bool, visit func(c *codec)) {
	if tag >= firstWord && p.only == lifecycleOnly || tag < firstWord && p.only == wordsOnly {
		return
	}
	p.nested(tag, has, visit)
}

// nested visits a part of the lifecycle that has words in it.
func (p *parts) nested(tag int64, has bool, visit func(c *codec)) {
	if p.reading {
		content, ok := p.found[tag]
		if !ok {
			return
		}
		delete(p.found, tag)
		c := codec{in: content, reading: true}
		visit(&c)
		p.broken = p.broken || c.broken || len(c.in) > 0
		p.unknown = p.unknown || c.unknown
		return
	}
	if !has {
		return
	}
	c := codec{only: p.only}
	visit(&c)
	content := string(c.out)
	p.number(&tag)
	p.text(&content)
}

func (p *parts) textPart(tag int64, s *string) {
	p.part(tag, *s != "", func(c *codec) { c.text(s) })
}

func (p *parts) fact(tag int64, f *bool) {
	p.part(tag, *f, func(c *codec) { c.flags(f) })
}

func smallPart[T ~int | ~int32 | ~int64 | ~uint8](p *parts, tag int64, v *T) {
	p.part(tag, *v != 0, func(c *codec) { small(c, v) })
}

func listPart[T any](p *parts, tag int64, items *[]T, item func(*codec, *T)) {
	p.part(tag, len(*items) > 0, func(c *codec) { list(c, items, func(v *T) { item(c, v) }) })
}

func (c *codec) number(n *int64) {
	if !c.reading {
		c.out = binary.AppendVarint(c.out, *n)
		return
	}
	v, size := binary.Varint(c.in)
	if size <= 0 {
		c.broken, c.in = true, nil
		return
	}
	*n, c.in = v, c.in[size:]
}

// small reads and writes any of the small types.
func small[T ~int | ~int32 | ~int64 | ~uint8](c *codec, v *T) {
	n := int64(*v)
	c.number(&n)
	if *v = T(n); int64(*v) != n {
		c.broken = true
	}
}

func (c *codec) text(s *string) {
	n := int64(len(*s))
	c.number(&n)
	if !c.reading {
		c.out = append(c.out, *s...)
		return
	}
	*s = string(c.take(n))
}

// bytes reads bytes behind their number; they are a part of what is read.
func (c *codec) bytes() []byte {
	var n int64
	c.number(&n)
	return c.take(n)
}

func (c *codec) take(n int64) (taken []byte) {
	if n < 0 || n > int64(len(c.in)) {
		c.broken, c.in = true, nil
		return nil
	}
	taken, c.in = c.in[:n], c.in[n:]
	return taken
}

func (c *codec) flags(fs ...*bool) {
	n := int64(0)
	for k, f := range fs {
		if *f {
			n |= 1 << k
		}
	}
	c.number(&n)
	for k, f := range fs {
		*f = n&(1<<k) != 0
	}
	if n >= 1<<len(fs) || n < 0 {
		c.broken = true
	}
}

// list reads and writes a slice; each element takes at least a byte.
func list[T any](c *codec, items *[]T, item func(*T)) {
	n := int64(len(*items))
	c.number(&n)
	if c.reading {
		if n < 0 || n > int64(len(c.in)) {
			c.broken, c.in = true, nil
			return
		}
		*items = nil
		for range n {
			if c.broken {
				return
			}
			var v T
			item(&v)
			*items = append(*items, v)
		}
		return
	}
	for k := range *items {
		item(&(*items)[k])
	}
}

func (c *codec) value(v *Value) {
	small(c, &v.Kind)
	if v.Kind == ValueAbsent {
		return
	}
	c.number(&v.Coef)
	small(c, &v.Exp)
	c.text(&v.Text)
}

func (c *codec) answer(a *Answer) {
	small(c, &a.Field)
	small(c, &a.Row)
	c.value(&a.Value)
	c.flags(&a.Changed)
}

func (c *codec) declaration(d *Declaration) {
	c.parts(func(p *parts) {
		p.textPart(tagName, &d.Name)
		p.nested(tagFields, len(d.Fields) > 0, func(c *codec) { list(c, &d.Fields, c.field) })
		listPart(p, tagObjects, &d.Objects, (*codec).text)
		listPart(p, tagDefaults, &d.Defaults, (*codec).answer)
		listPart(p, tagButtons, &d.Buttons, (*codec).text)
		p.part(tagPrefill, d.Prefill != PrefillPolicy{}, func(c *codec) { c.prefill(&d.Prefill) })
		p.part(tagSubmit, d.Submit != SubmitPolicy{}, func(c *codec) { c.submit(&d.Submit) })
		smallPart(p, tagShow, &d.Show)
		p.part(tagAccepted, d.Accepted != AcceptedPolicy{}, func(c *codec) { c.accepted(&d.Accepted) })
		p.part(tagLeave, d.Leave != LeavePolicy{}, func(c *codec) { c.leave(&d.Leave) })
		listPart(p, tagServerNames, &d.ServerNames, func(c *codec, n *ServerName) { c.text(&n.Name); c.text(&n.Path) })
		listPart(p, tagInBody, &d.InBody, (*codec).text)
		p.fact(tagInBodyNone, &d.InBodyNone)
		listPart(p, tagGiven, &d.Given, (*codec).text)
		listPart(p, tagSignInPaths, &d.SignInPaths, (*codec).text)
		listPart(p, tagOrigins, &d.Origins, (*codec).text)
		listPart(p, tagNulls, &d.Nulls, (*codec).text)

		p.textPart(tagTitle, &d.Title)
		p.textPart(tagLang, &d.Lang)
		p.textPart(tagPlurals, (*string)(&d.Plurals))
		listPart(p, tagTexts, &d.Texts, func(c *codec, t *MessageText) { small(c, &t.Message); c.wording(&t.Wording) })
	})
}

// The tags of a form's parts. A tag is never used again for another part.
const (
	tagName int64 = iota + 1
	tagFields
	tagObjects
	tagDefaults
	tagButtons
	tagPrefill
	tagSubmit
	tagShow
	tagAccepted
	tagLeave
	tagServerNames
	tagInBody
	tagInBodyNone
	tagGiven
	tagSignInPaths
	tagOrigins
	tagNulls
	lastTag = tagNulls
)

const (
	tagTitle int64 = iota + firstWord
	tagLang
	tagPlurals
	tagTexts
)

func (c *codec) prefill(x *PrefillPolicy) {
	c.parts(func(p *parts) {
		p.textPart(1, &x.URL)
		p.fact(2, &x.Needed)
		p.fact(3, &x.Lock)
		p.fact(4, &x.Ask)
		smallPart(p, 5, &x.Timeout)
		p.fact(6, &x.Own)
	})
}

func (c *codec) submit(x *SubmitPolicy) {
	c.parts(func(p *parts) {
		p.textPart(1, &x.URL)
		p.textPart(2, &x.Method)
		p.fact(3, &x.Edit)
		p.fact(4, &x.HoldUnchanged)
		smallPart(p, 5, &x.Timeout)
		smallPart(p, 6, &x.ResendTimes)
		smallPart(p, 7, &x.ResendWait)
		smallPart(p, 8, &x.ResendLongest)
		p.fact(9, &x.AsForm)
		p.fact(10, &x.Undeclared)
	})
}

func (c *codec) accepted(x *AcceptedPolicy) {
	c.parts(func(p *parts) {
		smallPart(p, 1, &x.Then)
		p.textPart(2, &x.To)
		smallPart(p, 3, &x.Lasts)
		p.textPart(4, &x.At)
		p.textPart(5, &x.Has)
	})
}

func (c *codec) leave(x *LeavePolicy) {
	c.parts(func(p *parts) {
		smallPart(p, 1, &x.When)
		p.fact(2, &x.AllowInFlight)
	})
}

func (c *codec) field(f *Field) {
	c.parts(func(p *parts) {
		p.textPart(1, &f.Path)
		smallPart(p, 2, &f.Kind)
		smallPart(p, 3, &f.Of)
		p.fact(4, &f.Private)
		p.fact(5, &f.Required)
		listPart(p, 6, &f.Options, func(c *codec, o *Option) { c.value(&o.Value) })
		p.nested(7, len(f.Constraints) > 0, func(c *codec) { list(c, &f.Constraints, c.constraint) })
		listPart(p, 8, &f.Asked, (*codec).condition)
		p.textPart(9, &f.Check.URL)
		smallPart(p, 10, &f.Check.Delay)
		smallPart(p, 11, &f.Check.Timeout)

		p.textPart(firstWord, &f.Label)
		p.textPart(firstWord+1, &f.Unit)
		p.textPart(firstWord+2, &f.Help)
		p.textPart(firstWord+3, &f.Placeholder)
		p.textPart(firstWord+4, &f.Autocomplete)
		smallPart(p, firstWord+5, &f.Lines)
		p.part(firstWord+6, f.labelsOptions(), func(c *codec) { // beside the options
			for k := range f.Options {
				c.text(&f.Options[k].Label)
			}
		})
		listPart(p, firstWord+7, &f.Says, func(c *codec, t *CodeText) { small(c, &t.Code); c.wording(&t.Wording) })
		listPart(p, firstWord+8, &f.Samples, (*codec).text)
	})
}

// labelsOptions reports whether an option has a label.
func (f *Field) labelsOptions() bool {
	for k := range f.Options {
		if f.Options[k].Label != "" {
			return true
		}
	}
	return false
}

func (c *codec) constraint(x *Constraint) {
	c.parts(func(p *parts) {
		smallPart(p, 1, &x.Op)
		p.part(2, !x.Value.Absent(), func(c *codec) { c.value(&x.Value) })
		p.textPart(3, &x.Text)
		smallPart(p, 4, &x.Other)
		listPart(p, 5, &x.When, (*codec).condition)
		listPart(p, 6, &x.Or, func(c *codec, a *Alternative) { small(c, &a.Op); c.text(&a.Text) })
		p.part(firstWord, x.Say != Wording{}, func(c *codec) { c.wording(&x.Say) })
	})
}

func (c *codec) wording(w *Wording) {
	for _, s := range [...]*string{&w.Other, &w.Zero, &w.One, &w.Two, &w.Few, &w.Many} {
		c.text(s)
	}
}

func (c *codec) condition(x *Condition) {
	clauses := []Clause(*x)
	list(c, &clauses, func(cl *Clause) {
		literals := []Literal(*cl)
		list(c, &literals, func(l *Literal) {
			small(c, &l.Field)
			list(c, &l.Values, c.value)
			c.flags(&l.Present, &l.OrAbsent, &l.Negate)
		})
		*cl = literals
	})
	*x = clauses
}
