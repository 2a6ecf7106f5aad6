package lifecycle

import (
	"encoding/binary"

	"leanwicket.dev/form"
)

// A session's state has two identities. Exact is everything, as traces compare
// it. The other is its normal form, which a Packer makes.

// AppendExact appends the exact state. Seed and keys are left out: attempts are
// told apart by their numbers.
func (s *Session) AppendExact(to []byte) []byte {
	w := stateWriter{session: s, to: to}
	w.state()
	w.number(int64(s.nextRequest), int64(s.nextTimer), int64(s.ignored), int64(s.attempt.number), int64(s.notice.count))
	w.number(int64(s.load.request), int64(s.applied))
	w.message(s.notice.message)
	w.number(int64(s.notice.level), int64(s.focus.Field), int64(s.focus.Row))
	for _, t := range s.timers {
		w.number(int64(t))
	}
	for k := range s.checks {
		w.number(int64(s.checks[k].request), int64(s.checks[k].timer))
	}
	w.text(s.receipt.To, s.receipt.Version, s.receipt.Text, s.leaveTo)
	w.answers(s.receipt.Values)
	for r := range s.rows {
		w.flags(s.rows[r].used)
	}
	return w.to
}

// AppendVeiled appends the exact state with private values veiled, and without
// the words of the server, in which they may be repeated.
func (s *Session) AppendVeiled(to []byte, veil form.Veil) []byte {
	w := stateWriter{session: s, to: to, veil: veil}
	w.state()
	w.number(int64(s.nextRequest), int64(s.nextTimer), int64(s.ignored), int64(s.attempt.number), int64(s.notice.count))
	w.number(int64(s.notice.message.ID), int64(s.notice.message.And), int64(s.focus.Field), int64(s.focus.Row))
	return w.to
}

type stateWriter struct {
	session *Session
	to      []byte
	veil    form.Veil // nil leaves private values as they are
	places  []int32   // beside Session.rows: the place of each in rowOrder
}

func (w *stateWriter) number(ns ...int64) {
	for _, n := range ns {
		w.to = binary.AppendVarint(w.to, n)
	}
}

func (w *stateWriter) flags(fs ...bool) {
	b := int64(0)
	for k, f := range fs {
		if f {
			b |= 1 << k
		}
	}
	w.number(b)
}

func (w *stateWriter) text(ss ...string) {
	for _, s := range ss {
		w.to = binary.AppendUvarint(w.to, uint64(len(s)))
		w.to = append(w.to, s...)
	}
}

func (w *stateWriter) value(v form.Value) {
	w.to = append(w.to, byte(v.Kind))
	if v.Kind != form.ValueAbsent {
		w.number(v.Coef, int64(v.Exp))
		w.text(v.Text)
	}
}

// fieldValue writes a value of a field, veiled if it has to be.
func (w *stateWriter) fieldValue(id form.FieldID, v form.Value) {
	if w.veil != nil && w.session.form.Fields[id].Private {
		v = w.session.form.VeilOf(id, v, w.veil)
	}
	w.value(v)
}

func (w *stateWriter) message(m form.Message) {
	w.number(int64(m.ID), int64(m.Count), int64(m.Wait), int64(m.And), int64(m.AndCount))
	w.text(m.Words)
}

func (w *stateWriter) answers(as []form.Answer) {
	w.number(int64(len(as)))
	for _, a := range as {
		w.number(int64(a.Field), int64(a.Row))
		w.fieldValue(a.Field, a.Value)
	}
}

// state is what both identities share. Rows are written in a fixed order (now,
// then those only in the baseline, then those only as sent) and known by their
// place in it.
func (w *stateWriter) state() {
	s := w.session
	w.places = make([]int32, len(s.rows))
	for i := range s.cells {
		if s.form.GroupOf(s.cells[i].field) < 0 && s.cells[i].row < 0 {
			w.cell(&s.cells[i])
		}
	}
	for g, group := range s.form.Groups() {
		order := s.rowOrder(g)
		for place, r := range order {
			w.places[r] = int32(place)
		}
		for _, list := range [...][]int32{s.groups[g].now, s.groups[g].base, s.groups[g].sent} {
			w.number(int64(len(list)))
			for _, r := range list {
				w.number(int64(w.places[r]))
			}
		}
		for _, r := range order {
			for k := range s.form.Members(group) {
				w.cell(&s.cells[s.rows[r].first+int32(k)])
			}
		}
	}
	w.number(int64(s.prefill), int64(s.activity), int64(s.newestOutcome), int64(s.leave))
	w.number(int64(s.leaveKind), int64(s.asked), int64(s.pressed), int64(s.load.needs))
	w.flags(s.load.request != 0, s.load.arrived, s.revealed, s.follow, s.received.on, s.received.cleared, s.clearNext, s.thenDue, s.guard,
		s.applied > 0, s.deferred.present, s.deferred.ask)
	w.text(s.version)
	if s.deferred.present {
		w.answers(s.deferredValues)
		w.text(s.deferred.version)
	}
	for _, t := range s.timers {
		w.flags(t != 0)
	}
	w.number(int64(len(s.waiting)))
	for k := range s.waiting {
		w.waiting(&s.waiting[k])
	}
	w.number(int64(len(s.checks)))
	for k := range s.checks {
		w.number(w.cellName(s.checks[k].cell))
		w.flags(s.checks[k].request != 0)
		w.number(int64(s.checks[k].row))
	}
	w.number(int64(len(s.issues)))
	for _, x := range s.issues {
		w.number(w.cellName(x.cell), w.cellName(x.from), int64(x.source))
		if w.veil == nil {
			w.text(x.code, x.text)
		}
	}
	w.attempt()
}

func (w *stateWriter) waiting(v *waitingAnswer) {
	w.text(v.Path)
	w.flags(v.Since, v.Contested, v.Clean)
	typed := v.Veiled
	if typed.Kind != form.ValueVeiled {
		typed = w.session.form.Parse(v.place.Field, v.Raw)
	}
	w.fieldValue(v.place.Field, typed)
	w.fieldValue(v.place.Field, v.Baseline)
}

func (w *stateWriter) attempt() {
	a := &w.session.attempt
	w.flags(a.number > 0, a.unsure, a.waited, a.adopted)
	w.number(int64(a.button), int64(a.outcome), int64(a.repeats), int64(len(w.session.tries)))
	w.text(a.version)
	for _, t := range w.session.tries {
		w.to = append(w.to, byte(t))
	}
}

func (w *stateWriter) cell(c *cell) {
	w.number(int64(c.bits&^bitChanged), int64(c.rules))
	w.fieldValue(c.field, c.value)
	w.fieldValue(c.field, c.baseline)
	w.fieldValue(c.field, c.sent)
	if c.bits&bitRaw != 0 && (w.veil == nil || !w.session.form.Fields[c.field].Private) {
		w.text(c.raw)
	}
}

// cellName is a cell's name that does not depend on where its row is stored.
func (w *stateWriter) cellName(i int32) int64 {
	s := w.session
	if i < 0 {
		return -1
	}
	c := &s.cells[i]
	if c.row < 0 {
		return int64(c.field)
	}
	return int64(len(s.form.Fields)) + int64(w.places[c.row])*int64(len(s.form.Fields)) + int64(c.field)
}

// rowOrder lists the rows of a group, each once: those that are there now, then
// those only in the baseline, then those only as sent.
func (s *Session) rowOrder(g int) []int32 {
	group := &s.groups[g]
	order := append(make([]int32, 0, len(group.now)+len(group.base)), group.now...)
	for _, r := range group.base {
		if !s.rowIn(r, inNow) {
			order = append(order, r)
		}
	}
	for _, r := range group.sent {
		if !s.rowIn(r, inNow|inBase) {
			order = append(order, r)
		}
	}
	return order
}
