package verify

import (
	"reflect"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/guarantee"
	"leanwicket.dev/lifecycle"
)

// price is a waived guarantee, and how a step is recognised that pays it.
type price struct {
	guarantee.Waived
	paid func(e lifecycle.Event, before, after *world, effects []lifecycle.Effect) bool
}

type paidAt struct {
	price
	from int32
}

// pricesOf lists what the policies of a form may cost.
func pricesOf(form *form.Form) []price {
	var list []price
	for _, waived := range guarantee.Waives(form) {
		p := price{Waived: waived}
		switch waived.Policy {
		case guarantee.PolicyNeverAsk:
			p.paid = func(e lifecycle.Event, before, after *world, _ []lifecycle.Effect) bool {
				return left(e, before, after) && (before.session.Unsaved() || attemptOpen(before))
			}
		case guarantee.PolicyAskTouched:
			p.paid = func(e lifecycle.Event, before, after *world, _ []lifecycle.Effect) bool {
				return left(e, before, after) && before.session.Unsaved()
			}
		case guarantee.PolicyInFlight:
			p.paid = func(e lifecycle.Event, before, after *world, _ []lifecycle.Effect) bool {
				return left(e, before, after) && attemptOpen(before)
			}
		case guarantee.PolicyKeep:
			p.paid = replacesUnasked
		}
		list = append(list, p)
	}
	return list
}

// left reports whether a step left the form, other than by a discard.
func left(e lifecycle.Event, before, after *world) bool {
	discards := e.Kind == lifecycle.EventLeaveDecided && e.Decision == lifecycle.DecisionDiscard
	return !discards && after.gone() && !before.gone()
}

func attemptOpen(w *world) bool {
	switch w.session.Submission() {
	case lifecycle.SubmissionSending, lifecycle.SubmissionWaiting, lifecycle.SubmissionUnsettled:
		return true
	default:
		return false
	}
}

// replacesUnasked reports whether a load brought a newer saved value under an
// edit that stays.
func replacesUnasked(e lifecycle.Event, before, after *world, _ []lifecycle.Effect) bool {
	if e.Kind != lifecycle.EventLoaded && e.Kind != lifecycle.EventSupplied {
		return false
	}
	for f := range after.session.Fields() {
		old, there := before.session.At(f.Place())
		if there && f.Dirty() && old.Dirty() && f.Value() == old.Value() && f.Baseline() != old.Baseline() && !f.Contested() {
			return true
		}
	}
	return false
}

// pay keeps the first session that pays a price. The walk goes breadth first, so that this is the
// shortest one.
func (w *walker) pay(paid paidAt) {
	k := slices.IndexFunc(w.prices, func(p price) bool { return p.Policy == paid.Policy })
	if k < 0 {
		return
	}
	session, feasible := w.write(paid.from, purpose{
		title: "What " + paid.Policy + " costs", comment: paid.Price,
		last: func(m move, before, after *world, _ []guarantee.Breach, effects []lifecycle.Effect) bool {
			return paid.paid(m.event, before, after, effects)
		},
	})
	if feasible {
		w.result.Waived = append(w.result.Waived, Waived{paid.Waived, session})
		w.prices = append(w.prices[:k], w.prices[k+1:]...)
	}
}

// alike finds the edited fields that are interchangeable. They are declared alike but for their
// names, no rule refers to them, and the answers of the backend name all of them or none.
func (m *successors) alike() [][]form.FieldID {
	if slices.ContainsFunc(m.form.Fields, func(f form.Field) bool { return f.Kind == form.KindRows }) {
		return nil
	}
	var classes [][]form.FieldID
	for _, f := range m.fields {
		if !m.independent(f.field) {
			continue
		}
		k := slices.IndexFunc(classes, func(class []form.FieldID) bool { return m.interchangeable(class[0], f.field) })
		if k < 0 {
			classes = append(classes, []form.FieldID{f.field})
		} else {
			classes[k] = append(classes[k], f.field)
		}
	}
	classes = slices.DeleteFunc(classes, func(class []form.FieldID) bool { return len(class) == 1 })
	for _, class := range classes {
		slices.Sort(class)
	}
	return classes
}

func (m *successors) independent(id form.FieldID) bool {
	f := &m.form.Fields[id]
	hasDefault := slices.ContainsFunc(m.form.Defaults, func(a form.Answer) bool { return a.Field == id })
	return f.Check.URL == "" && len(f.Asked) == 0 && len(m.form.Dependents(id)) == 0 && len(linkedWith(m.form, id)) == 0 && !hasDefault
}

func (m *successors) interchangeable(a, b form.FieldID) bool {
	bare := func(id form.FieldID) form.Field {
		f := m.form.Fields[id]
		f.Path, f.Label, f.Help, f.Placeholder, f.Autocomplete = "", "", "", "", ""
		return f
	}
	return reflect.DeepEqual(bare(a), bare(b))
}
