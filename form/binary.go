package form

import (
	"encoding/binary"
	"errors"
	"hash/fnv"
	"strings"
	"time"
)

// binaryMagic begins every compiled form: a name and a format version.
const binaryMagic = "leanwicket form 1\n"

// AppendBinary appends the form compiled: what a browser or a cache reads back
// with [Read], without a schema library.
func (f *Form) AppendBinary(to []byte) ([]byte, error) {
	c := codec{out: append(to, binaryMagic...)}
	d := f.Declaration
	c.declaration(&d)
	return c.out, nil
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
	if len(c.in) > 0 && !c.broken {
		c.broken = true
	}
	if c.broken {
		return nil, errors.New("found a compiled form that ends in the middle; right would be what AppendBinary wrote")
	}
	if err := d.check(); err != nil {
		return nil, err
	}
	return New(d)
}

// Fingerprint is a short name for exactly this form, whatever the defaults of an opening are.
func (f *Form) Fingerprint() uint64 {
	if f.declared != nil {
		f = f.declared
	}
	data, _ := f.AppendBinary(nil) // cannot fail
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
			sound = sound && c.Op <= OpEqualTo && field(c.Other)
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

// codec writes or reads, by the same functions: what one direction does the
// other undoes.
type codec struct {
	out     []byte
	in      []byte
	reading bool
	broken  bool
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
	if n < 0 || n > int64(len(c.in)) {
		c.broken, c.in = true, nil
		return
	}
	*s, c.in = string(c.in[:n]), c.in[n:]
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

func (c *codec) duration(d *time.Duration) { small(c, d) }

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
	c.text(&d.Name)
	c.text(&d.Title)
	c.text(&d.Lang)
	c.text((*string)(&d.Plurals))
	list(c, &d.Fields, c.field)
	list(c, &d.Objects, c.text)
	list(c, &d.Defaults, c.answer)
	list(c, &d.Buttons, c.text)

	p := &d.Prefill
	c.text(&p.URL)
	c.flags(&p.Needed, &p.Lock, &p.Ask)
	c.duration(&p.Timeout)
	s := &d.Submit
	c.text(&s.URL)
	c.text(&s.Method)
	c.flags(&s.Edit, &s.HoldUnchanged)
	c.duration(&s.Timeout)
	small(c, &s.ResendTimes)
	c.duration(&s.ResendWait)
	c.duration(&s.ResendLongest)
	small(c, &d.Show)
	small(c, &d.Accepted.Then)
	c.text(&d.Accepted.To)
	c.duration(&d.Accepted.Lasts)
	small(c, &d.Leave.When)
	c.flags(&d.Leave.AllowInFlight)

	list(c, &d.ServerNames, func(n *ServerName) { c.text(&n.Name); c.text(&n.Path) })
	list(c, &d.Texts, func(t *MessageText) { small(c, &t.Message); c.wording(&t.Wording) })
	// Forms without what follows are written as ever.
	follows := func(has bool) bool { return c.reading && len(c.in) > 0 || !c.reading && has }
	a := &d.Accepted
	judges := len(d.SignInPaths) > 0 || len(d.Origins) > 0 || a.At != "" || a.Has != ""
	if follows(len(d.InBody) > 0 || d.InBodyNone || len(d.Given) > 0 || judges) {
		c.inBody(d)
	}
	if follows(len(d.Given) > 0 || judges) {
		list(c, &d.Given, c.text)
	}
	if follows(judges) {
		list(c, &d.SignInPaths, c.text)
		list(c, &d.Origins, c.text)
		c.text(&a.At)
		c.text(&a.Has)
	}
}

// inBody is one text: the pointers are lines, and no pointer is the word none.
func (c *codec) inBody(d *Declaration) {
	const none = "none"
	text := strings.Join(d.InBody, "\n")
	if d.InBodyNone {
		text = none
	}
	c.text(&text)
	if d.InBodyNone = text == none; c.reading && !d.InBodyNone && text != "" {
		d.InBody = strings.Split(text, "\n")
	}
}

func (c *codec) field(f *Field) {
	c.text(&f.Path)
	small(c, &f.Kind)
	small(c, &f.Of)
	for _, s := range []*string{&f.Label, &f.Unit, &f.Help, &f.Placeholder, &f.Autocomplete, &f.Check.URL} {
		c.text(s)
	}
	small(c, &f.Lines)
	c.flags(&f.Private, &f.Required)
	list(c, &f.Options, func(o *Option) { c.value(&o.Value); c.text(&o.Label) })
	list(c, &f.Constraints, c.constraint)
	list(c, &f.Asked, c.condition)
	c.duration(&f.Check.Delay)
	c.duration(&f.Check.Timeout)
	list(c, &f.Says, func(t *CodeText) { small(c, &t.Code); c.wording(&t.Wording) })
	list(c, &f.Samples, c.text)
}

func (c *codec) constraint(x *Constraint) {
	small(c, &x.Op)
	c.value(&x.Value)
	c.text(&x.Text)
	small(c, &x.Other)
	list(c, &x.When, c.condition)
	c.wording(&x.Say)
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
