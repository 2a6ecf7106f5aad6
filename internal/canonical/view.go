package canonical

import (
	"leanwicket.dev/form"
	"leanwicket.dev/internal/state"
	"leanwicket.dev/lifecycle"
)

// view is the state of one session, which can be changed: the lists are the session's own,
// and [state.Visitor.Scatter] gives the session the rest.
type view struct {
	state.Visitor
	form *form.Form
}

func (w *view) cells() []state.Cell       { return *w.Cells }
func (w *view) rows() []state.Row         { return *w.Rows }
func (w *view) group(g int) *state.Group  { return &(*w.Groups)[g] }
func (w *view) is(fact state.Number) bool { return w.Numbers[fact] != 0 }

// clear makes numbers zero.
func (w *view) clear(numbers ...state.Number) {
	for _, n := range numbers {
		w.Numbers[n] = 0
	}
}

func (w *view) outcome() lifecycle.Outcome { return lifecycle.Outcome(w.Numbers[state.AttemptOutcome]) }

func (w *view) activity() lifecycle.Activity { return lifecycle.Activity(w.Numbers[state.Activity]) }

// begun reports whether there was an attempt.
func (w *view) begun() bool { return w.Numbers[state.AttemptNumber] > 0 }

// open reports whether the outcome of the newest attempt is still to come.
func (w *view) open() bool { return w.begun() && w.outcome() == lifecycle.OutcomeOpen }

func (w *view) rowIn(r int32, which state.ListSet) bool { return w.rows()[r].In&which != 0 }

// cellsOf are the cells of a row.
func (w *view) cellsOf(r int32) []state.Cell {
	row := &w.rows()[r]
	return w.cells()[row.First:][:len(w.form.RowFields(row.Group))]
}

// alter changes a cell, and keeps the counts in step.
func (w *view) alter(c *state.Cell, change func()) {
	w.count(c, -1)
	change()
	w.count(c, 1)
}

func (w *view) count(c *state.Cell, by int64) {
	for k, set := state.Tallies, c.Classes(); set != 0; k, set = k+1, set>>1 {
		w.Numbers[k] += int64(set&1) * by
	}
}

// dropDeferred drops the answer of a load that waits for the attempt.
func (w *view) dropDeferred() {
	w.clear(state.DeferredPresent, state.DeferredAsk, state.DeferredSupplied)
	w.Texts[state.DeferredVersion] = ""
	*w.Deferred = (*w.Deferred)[:0]
}
