package canonical

import (
	"cmp"
	"slices"

	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// Normalise brings a session into its canonical state. It returns what rows, tries, requests,
// timers and attempts are called now, for those who remember them by their old names;
// that is valid until the next call.
func (p *Packer) Normalise(s *lifecycle.Session, ahead Ahead) *Names {
	w := &p.view
	w.Gather(s)
	p.names = Names{view: w, moved: p.names.moved[:0], timers: p.names.timers[:0], requests: append(p.names.requests[:0], 0)}
	p.forget(ahead)
	if len(w.rows()) > 0 {
		p.renameRows()
	}
	if !p.options.Whole {
		p.orderAlike()
	}
	p.renumber()
	if !p.options.Whole {
		p.renameTries()
	}
	w.Scatter(s)
	p.names.more = false
	return &p.names
}

// renameTries keeps of the tries of an open attempt the newest, and one for all
// before it: whether there was any, and whether one may still bring an
// acceptance.
func (p *Packer) renameTries() {
	tries := *p.view.Tries
	newest := len(tries)
	if newest == 0 || p.view.outcome() != lifecycle.OutcomeOpen {
		return
	}
	for k, t := range tries {
		if t == state.TryCancelled {
			tries[k] = state.TryTimedOut
		}
	}
	if newest > 2 {
		older := state.TryReplied
		if slices.Contains(tries[:newest-1], state.TryTimedOut) {
			older = state.TryTimedOut
		}
		*p.view.Tries = append(tries[:0], older, tries[newest-1])
	}
	p.names.newestTry = int32(newest)
}

// knownVersion stands for any version. Only the version's presence is stored, because what follows
// depends on that alone.
const knownVersion = "v"

// forget drops what can make no difference any more.
func (p *Packer) forget(ahead Ahead) {
	w := &p.view
	w.clear(state.Notice, state.NoticeCount, state.NoticeWait, state.NoticeAnd, state.NoticeAndCount, state.NoticeLevel, state.NoticeTimes, state.Ignored)
	w.Numbers[state.FocusField], w.Numbers[state.FocusRow] = -1, -1
	w.Numbers[state.Applied] = min(w.Numbers[state.Applied], 1)
	w.Numbers[state.Changes] = int64(p.options.Changes(uint32(w.Numbers[state.Changes])))
	for _, version := range [...]state.Text{state.Version, state.AttemptVersion, state.DeferredVersion} {
		if w.Texts[version] != "" && !w.form.Submit.Creates() {
			w.Texts[version] = knownVersion
		} else {
			w.Texts[version] = ""
		}
	}
	w.Keys[state.AdoptedKey] = [16]byte{}
	for _, said := range [...]state.Text{state.NoticeWords, state.ReceiptTo, state.ReceiptVersion, state.ReceiptText} {
		w.Texts[said] = ""
	}
	*w.ReceiptValues = (*w.ReceiptValues)[:0]
	if !w.is(state.DeferredPresent) {
		w.dropDeferred()
	}
	if leave := lifecycle.Leave(w.Numbers[state.Leave]); leave != lifecycle.LeaveAsking && leave != lifecycle.LeaveDeparting {
		w.Texts[state.LeaveTo] = ""
		w.clear(state.LeaveKind, state.Asked)
	}
	lost, gained := state.BitRaw, state.Bits(0)
	if !p.options.Whole {
		w.forgetSettled()
		p.forgetDead(ahead)
		lost |= w.withoutFuture()
		// The marks of what is shown change nothing else, and can be set at any time
		// by leaving the fields, and by a blocked submit: the state with the marks
		// stands for those without.
		w.Numbers[state.Revealed] = 1
		if w.form.Leave.When != form.LeaveDirtyAndTouched {
			gained = state.BitTouched
		}
	}
	sentDead := !p.options.Whole && w.isSentDead()
	cells := w.cells()
	for i := range cells {
		p.forgetCell(&cells[i], lost, gained, sentDead)
	}
}

func (p *Packer) forgetCell(c *state.Cell, lost, gained state.Bits, sentDead bool) {
	switch {
	case c.Row >= 0 && !p.options.Whole:
		lost |= state.BitSentChanged // a body says a group as a whole
	case sentDead && c.Row < 0:
		lost |= state.BitSent
	}
	bits := c.Bits &^ lost
	if c.Bits&state.BitLive != 0 {
		bits |= gained
	}
	if (bits^c.Bits)&(state.BitTouched|state.BitEdited) != 0 { // the counts look at these
		p.view.count(c, -1)
		c.Bits = bits
		p.view.count(c, 1)
	}
	c.Bits = bits
	c.Raw = ""
	if lost&state.BitSent != 0 {
		c.Sent = form.Value{}
	}
}

// forgetSettled drops what is of interest only while an attempt is open.
func (w *view) forgetSettled() {
	if w.activity() != lifecycle.ActivityChecking && !w.is(state.Follow) {
		w.clear(state.Pressed)
	}
	if w.begun() && !w.open() {
		if w.outcome() != lifecycle.OutcomeAccepted {
			w.Numbers[state.AttemptOutcome] = int64(lifecycle.OutcomeRefused)
		}
		w.Texts[state.AttemptVersion] = ""
		w.clear(state.AttemptRepeats, state.AttemptWaited, state.AttemptAdopted)
		*w.Tries = append((*w.Tries)[:0], state.TryReplied)
	}
}

// withoutFuture returns the bits of cells that can make no difference any more, either on this form at
// all or after what has become of the newest attempt.
func (w *view) withoutFuture() state.Bits {
	ignored := state.BitRaw
	set := func(b state.Bits, matters bool) {
		if !matters {
			ignored |= b
		}
	}
	f, loads := w.form, w.form.Prefill.Loads()
	open := w.open()
	settledOtherwise := w.begun() && !open && w.outcome() != lifecycle.OutcomeAccepted
	set(state.BitTyped, f.Show == form.ShowInput)
	set(state.BitTouched, f.Show != form.ShowSubmit || f.Leave.When == form.LeaveDirtyAndTouched)
	set(state.BitMentioned|state.BitBased|state.BitUnknown|state.BitRestored|state.BitStays, loads)
	set(state.BitEdited|state.BitRowsEdited, open || settledOtherwise && loads)
	// Of what was sent: to repeat it, to recognise it in a load, or to hold it as
	// received; rows are matched with it at any time.
	set(state.BitSent, !w.isSentDead() || len(*w.Groups) > 0)
	set(state.BitSentChanged, open)
	return ignored
}

// noCell is the new name of a cell whose row is in no list any more.
const noCell = -1

// renameRows stores rows in a fixed order: group by group those that are there
// now, then those only in the baseline, then those only as sent. Rows in no list are left out.
func (p *Packer) renameRows() {
	w := &p.view
	cells, list := append(p.otherCells[:0], w.cells()[:len(p.form.Fields)]...), p.otherRows[:0]
	moved := p.unmoved(len(w.cells()))
	for i := len(cells); i < len(moved); i++ {
		moved[i] = noCell // unless its row is in a list
	}
	p.rowMoved = p.rowMoved[:0]
	for range w.rows() {
		p.rowMoved = append(p.rowMoved, -1)
	}
	for g, group := range p.form.Groups() {
		of := w.group(g)
		for _, rs := range [...][]int32{of.Now, of.Base, of.Sent} {
			for k, r := range rs {
				if p.rowMoved[r] < 0 {
					p.rowMoved[r] = int32(len(list))
					first := w.rows()[r].First
					list = append(list, state.Row{Group: group, First: int32(len(cells)), Used: true})
					for m := range int32(len(p.form.RowFields(group))) {
						moved[first+m] = int32(len(cells))
						cells = append(cells, w.cells()[first+m])
						cells[len(cells)-1].Row = p.rowMoved[r]
					}
				}
				rs[k] = p.rowMoved[r]
			}
		}
	}
	p.otherCells, *w.Cells = *w.Cells, cells
	p.otherRows, *w.Rows = *w.Rows, list
	for g := range *w.Groups {
		of := w.group(g)
		of.Free = of.Free[:0]
		for _, which := range [...]state.ListSet{state.InNow, state.InBase, state.InSent} {
			state.Index(list, *of.List(which), which)
		}
	}
	p.rename()
}

// unmoved is the list of new names where each cell keeps its own.
func (p *Packer) unmoved(cells int) []int32 {
	for i := range cells {
		p.names.moved = append(p.names.moved, int32(i))
	}
	return p.names.moved
}

// rename follows the new names wherever the session refers to cells.
func (p *Packer) rename() {
	to := func(i *int32) { *i = p.names.cell(*i) }
	for k := range *p.view.Checks {
		to(&(*p.view.Checks)[k].Cell)
	}
	for k := range *p.view.Issues {
		to(&(*p.view.Issues)[k].Cell)
		to(&(*p.view.Issues)[k].From)
	}
}

// orderAlike sorts the cells of fields that are interchangeable, and all that
// speaks of them.
func (p *Packer) orderAlike() {
	cells := p.view.cells()
	for _, fields := range p.options.Alike {
		p.order = append(p.order[:0], fields...)
		slices.SortStableFunc(p.order, func(a, b form.FieldID) int { return compareCells(&cells[a], &cells[b]) })
		if slices.Equal(p.order, fields) {
			continue
		}
		if !p.names.reordered {
			p.unmoved(len(cells))
			p.names.reordered = true
		}
		p.otherCells = p.otherCells[:0]
		for k, id := range p.order {
			p.names.moved[id] = int32(fields[k])
			p.otherCells = append(p.otherCells, cells[id])
		}
		for k, id := range fields {
			cells[id] = p.otherCells[k]
			cells[id].Field = id
		}
	}
	if p.names.reordered {
		p.rename()
		p.names.Reorder(*p.view.Deferred)
	}
	if len(p.options.Alike) > 0 { // issues stand as the server said them, which tells the fields apart
		slices.SortStableFunc(*p.view.Issues, func(a, b state.Issue) int { return cmp.Compare(a.Cell, b.Cell) })
	}
}

func compareCells(a, b *state.Cell) int {
	return cmp.Or(
		cmp.Compare(a.Bits, b.Bits), cmp.Compare(a.Rules, b.Rules),
		compareExactly(a.Value, b.Value), compareExactly(a.Baseline, b.Baseline), compareExactly(a.Sent, b.Sent),
	)
}

func compareExactly(v, w form.Value) int {
	return cmp.Or(cmp.Compare(v.Kind, w.Kind), cmp.Compare(v.Coef, w.Coef), cmp.Compare(v.Exp, w.Exp), cmp.Compare(v.Text, w.Text))
}

// SpentRequest stands in the canonical state for a request that has been answered or given up. Any
// further answer to it is stale.
const SpentRequest lifecycle.RequestID = 1

// renumber gives new numbers to timers, requests and attempts.
func (p *Packer) renumber() {
	w, names := &p.view, &p.names
	w.Numbers[state.NextTimer], w.Numbers[state.NextRequest] = 0, int64(SpentRequest)
	for part, end := state.TimerNumbers(); part < end; part++ {
		w.Numbers[part] = names.timer(w.Numbers[part])
	}
	w.Numbers[state.LoadRequest] = names.request(w.Numbers[state.LoadRequest])
	for k := range *w.Checks {
		c := &(*w.Checks)[k]
		c.Request = uint32(names.request(int64(c.Request)))
		c.Timer = uint32(names.timer(int64(c.Timer)))
	}
	number := w.Numbers[state.AttemptNumber]
	names.attempts = int32(number - min(number, 1))
	w.Numbers[state.AttemptNumber] = min(number, 1)
	if number > 0 {
		names.oldKey = w.Keys[state.AttemptKey]
		names.newKey = lifecycle.Key{1}
		w.Keys[state.AttemptKey] = names.newKey
	}
}
