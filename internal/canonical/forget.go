package canonical

import (
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// The canonical state leaves out every field that can make no difference any more, because the core
// writes it anew before it reads it, or never reads it again. A bug of the core may read a dropped
// field, so walks audit this: now and then they compare what follows a session with what follows its
// canonical state.

// forgetDead drops all that is dead in a session.
func (p *Packer) forgetDead(ahead Ahead) {
	w := &p.view
	if w.is(state.DeferredPresent) && w.deferredChangesNothing() {
		w.dropDeferred()
	}
	w.forgetSubmission(ahead)
	if w.is(state.AttemptUnsure) && (w.outcome() == lifecycle.OutcomeAccepted || w.outcome() != lifecycle.OutcomeOpen && !w.form.Prefill.Loads()) {
		w.clear(state.AttemptUnsure) // no load will bring what was sent
	}
	for g, group := range w.form.Groups() {
		p.forgetSentRows(g, group)
		w.forgetRemovedRows(group)
	}
	if w.is(state.AttemptUnsure) && p.options.Brings != nil && !p.mayBringSent() {
		w.clear(state.AttemptUnsure)
	}
	p.forgetBrought()
}

// broughtCells are the cells, outside of rows, that each load brings, and what it brings.
func (p *Packer) broughtCells(do func(c *state.Cell, v form.Value)) {
	for _, x := range p.options.Brings {
		if x.Row < 0 && p.form.Fields[x.Field].Kind != form.KindRows {
			do(&p.view.cells()[x.Field], x.Value)
		}
	}
}

// forgetBrought drops what can matter only where loads bring one thing and then another: that
// an answer has mentioned a field, and that one was edited since, where it stays what it is
// whatever a load brings.
func (p *Packer) forgetBrought() {
	open := p.view.open()
	p.broughtCells(func(c *state.Cell, v form.Value) {
		c.Bits &^= state.BitMentioned
		follows := c.Bits&state.BitDirty == 0 && c.Baseline != v
		if !open && !follows && c.Bits&state.BitEdited != 0 && len(p.form.Fields[c.Field].Asked) == 0 {
			p.view.alter(c, func() { c.Bits &^= state.BitEdited })
		}
	})
}

// deferredChangesNothing reports whether the answer that waits for the attempt brings what is already
// there.
func (w *view) deferredChangesNothing() bool {
	if w.Numbers[state.LoadNeeds] != 0 || w.is(state.DeferredSupplied) || w.Texts[state.DeferredVersion] != w.Texts[state.Version] || len(*w.Waiting) > 0 {
		return false
	}
	for _, group := range w.form.Groups() {
		if _, mentioned := state.RowCount(group, *w.Deferred); mentioned || w.cells()[group].Bits&state.BitMentioned != 0 {
			return false
		}
	}
	in, cells := 0, w.cells()
	for _, v := range *w.Deferred {
		i, ok := state.Incoming(w.form, v.Place, w.rows(), *w.Groups)
		if !ok || cells[i].Baseline != v.Value || cells[i].Bits&(state.BitRestored|state.BitStays|state.BitUnknown) != 0 {
			return false
		}
		in++
	}
	for i := range cells { // what an earlier answer mentioned, and this one does not, would be absent
		c := &cells[i]
		if c.Bits&(state.BitRestored|state.BitStays) != 0 || c.Bits&state.BitMentioned != 0 && !slices.ContainsFunc(*w.Deferred, func(v form.Answer) bool { return v.Field == c.Field }) {
			return false
		}
	}
	return in > 0
}

// forgetSubmission drops what an attempt has counted and pressed, where the next begins anew.
func (w *view) forgetSubmission(ahead Ahead) {
	open, activity := w.open(), w.activity()
	if ahead.NoAttempt && !open && activity == lifecycle.ActivityIdle {
		w.clear(state.AttemptButton, state.Received, state.ReceivedCleared)
	}
	if ahead.NoAttempt && ahead.NoTry && open && !w.is(state.Follow) {
		w.clear(state.AttemptButton, state.Pressed)
	}
	if activity != lifecycle.ActivitySending && activity != lifecycle.ActivityWaiting {
		w.clear(state.AttemptRepeats, state.AttemptWaited)
	}
	if w.begun() && !open && !w.is(state.Received) && lifecycle.Outcome(w.Numbers[state.NewestOutcome]) != lifecycle.OutcomeDenied {
		w.clear(state.AttemptButton)
	}
}

// mayBringSent reports whether a load may bring what was sent over another baseline. Such a load is no
// news to the applicant.
func (p *Packer) mayBringSent() bool {
	w := &p.view
	for i := range w.cells() {
		if c := &w.cells()[i]; c.Row >= 0 && w.rowIn(c.Row, state.InSent) && c.Bits&state.BitSent != 0 {
			return true
		}
	}
	brings := false
	p.broughtCells(func(c *state.Cell, v form.Value) {
		brings = brings || c.Bits&state.BitSent != 0 && c.Sent == v && c.Baseline != v
	})
	return brings
}

// isSentDead reports whether what was sent of fields that are in no row is looked at no more.
func (w *view) isSentDead() bool {
	return !w.open() && !w.is(state.Received) &&
		!(w.begun() && w.outcome() != lifecycle.OutcomeAccepted && w.form.Prefill.Loads() && w.is(state.AttemptUnsure))
}

// forgetSentRows drops the rows as they were sent, where no body can bring them.
func (p *Packer) forgetSentRows(g int, group form.FieldID) {
	w := &p.view
	of := w.group(g)
	if w.open() || w.is(state.Received) || len(of.Sent) == 0 || w.form.Accepted.Then == form.ThenAdopt {
		return
	}
	if w.form.Prefill.Loads() {
		if p.options.Brings == nil {
			return
		}
		if w.is(state.AttemptUnsure) && slices.ContainsFunc(of.Base, func(r int32) bool { return w.rowIn(r, state.InSent) }) {
			return // what was sent of a row is no news
		}
		count, mentioned := state.RowCount(group, p.options.Brings)
		// Whatever the baseline will be, a body may ever be taken to bring the rows as they were sent.
		mayBe := w.outcome() != lifecycle.OutcomeAccepted && state.BringsSent(w.form, group, count, p.options.Brings, w.cells(), w.rows(), of.Sent, nil)
		if !mentioned || mayBe || w.cells()[group].Bits&state.BitBased == 0 {
			return
		}
	}
	of.SetList(w.rows(), state.InSent, nil)
	for i := range w.cells() {
		if c := &w.cells()[i]; c.Row >= 0 && w.rows()[c.Row].Group == group {
			c.Sent = form.Value{}
			c.Bits &^= state.BitSent
		}
	}
}

// forgetRemovedRows drops what stood in rows that are not there now.
func (w *view) forgetRemovedRows(group form.FieldID) {
	for r, row := range w.rows() {
		if row.Group != group || row.In&state.InNow != 0 || !row.Used {
			continue
		}
		cells := w.cellsOf(int32(r))
		for i := range cells {
			c := &cells[i]
			w.alter(c, func() {
				c.Value, c.Rules = c.Baseline, 0
				c.Bits &^= state.BitAsked | state.BitEdited | state.BitTouched | state.BitTyped | state.BitContested | state.BitDirty
			})
		}
	}
}
