package state

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/codec"
)

// Check is a check that is delayed or out.
type Check struct {
	Cell    int32
	Request uint32 // 0 means that the check is still delayed
	Timer   uint32
	Row     int32 // where the row of the cell was when the check was sent; -1 means that it was nowhere
}

// Issue is what a check or the server said.
type Issue struct {
	Cell   int32 // -1 is the whole form
	From   int32 // of a check: the checked cell; of the server: a cell in a row that has not come yet; else -1
	Source uint8 // a lifecycle.Source
	Code   string
	Text   string
}

// Try is what has become of one sending of an attempt.
type Try uint8

// The fates of a sending.
const (
	TryInFlight Try = iota
	TryReplied
	TryTimedOut
	TryCancelled // by the applicant, by an overtaking reply, or left behind on an earlier page
)

// DraftAnswer has the fields of an answer that a page keeps, as the lifecycle declares them.
type DraftAnswer struct {
	Path      string
	Raw       string
	Baseline  form.Value
	Redacted  form.Value
	Since     bool
	Contested bool
	Clean     bool
}

// Waiting is an answer of a row that was as saved: it waits for the rows.
type Waiting struct {
	DraftAnswer
	Place form.Place
}

// The functions below visit one element of a list each, with the visitor's codec. What is
// private in it is redacted first, if the visitor redacts.

// VisitCheck visits an element of its list.
func (v *Visitor) VisitCheck(x *Check) {
	c := &v.codec
	codec.Number(c, &x.Cell)
	codec.Number(c, &x.Request)
	codec.Number(c, &x.Timer)
	codec.Number(c, &x.Row)
}

// VisitIssue visits an element of its list.
func (v *Visitor) VisitIssue(x *Issue) {
	c := &v.codec
	codec.Number(c, &x.Cell)
	codec.Number(c, &x.From)
	codec.Number(c, &x.Source)
	if v.redact == nil { // the words may repeat what is private
		c.Text(&x.Code)
		c.Text(&x.Text)
	}
}

// VisitTry visits an element of its list.
func (v *Visitor) VisitTry(x *Try) { codec.Number(&v.codec, x) }

// VisitAnswer visits an element of its list.
func (v *Visitor) VisitAnswer(x *form.Answer) {
	v.place(&x.Place)
	v.value(x.Field, &x.Value)
	v.codec.Flags(&x.Changed)
}

// VisitWaiting visits an element of its list.
func (v *Visitor) VisitWaiting(x *Waiting) {
	v.codec.Flags(&x.Since, &x.Contested, &x.Clean)
	v.place(&x.Place)
	v.codec.Text(&x.Path)
	if v.redacts(x.Place.Field) {
		typed := x.Redacted
		if typed.Kind != form.ValueRedacted {
			typed = v.form.Parse(x.Place.Field, x.Raw)
		}
		v.value(x.Place.Field, &typed)
	} else {
		v.codec.Text(&x.Raw)
		v.value(x.Place.Field, &x.Redacted)
	}
	v.value(x.Place.Field, &x.Baseline)
}

// VisitRow visits an element of its list.
func (v *Visitor) VisitRow(x *Row) {
	c := &v.codec
	codec.Number(c, &x.Group)
	codec.Number(c, &x.First)
	codec.Number(c, &x.In)
	codec.Number(c, &x.At)
	c.Flags(&x.Used)
}

func (v *Visitor) cell(x *Cell) {
	c := &v.codec
	v.value(x.Field, &x.Value)
	v.value(x.Field, &x.Baseline)
	v.value(x.Field, &x.Sent)
	if !v.redacts(x.Field) {
		c.Text(&x.Raw)
	}
	codec.Number(c, &x.Field)
	codec.Number(c, &x.Row)
	codec.Number(c, &x.Bits)
	codec.Number(c, &x.Rules)
}

func (v *Visitor) place(p *form.Place) {
	codec.Number(&v.codec, &p.Field)
	codec.Number(&v.codec, &p.Row)
}

// value visits a value of a field.
func (v *Visitor) value(of form.FieldID, x *form.Value) {
	if v.redacts(of) {
		own := v.form.Redact(of, *x, v.redact)
		x = &own
	}
	codec.Number(&v.codec, &x.Kind)
	codec.Number(&v.codec, &x.Exp)
	codec.Number(&v.codec, &x.Coef)
	v.codec.Text(&x.Text)
}

// redacts reports whether the values of a field are redacted.
func (v *Visitor) redacts(of form.FieldID) bool {
	return v.redact != nil && v.form.Fields[of].Covered()
}
