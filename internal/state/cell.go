package state

import "leanwicket.dev/form"

// Cell is the state of one field: a declared one, or one in a row.
type Cell struct {
	Value    form.Value
	Baseline form.Value
	Sent     form.Value
	Raw      string // what was typed, with BitRaw
	Field    form.FieldID
	Row      int32 // an index into the session's rows, or -1
	Bits     Bits
	Rules    form.Codes
}

// Bits are the marks of a cell.
type Bits uint32

// Counts reports whether a cell is there and asked, so that its answer counts.
func (b Bits) Counts() bool { return b&(BitAsked|BitLive) == BitAsked|BitLive }

// The marks of a cell.
const (
	BitLive      Bits = 1 << iota // the cell is not in a removed row
	BitAsked                      // the values ask for the cell
	BitBaseAsked                  // the baselines ask for it
	BitDirty
	BitEdited // after the newest attempt was sent
	BitTouched
	BitTyped // since the last reset or acceptance
	BitContested
	BitMentioned // an answer mentioned the cell
	BitIncoming  // the answer being merged mentions it
	BitRaw
	BitSent // the cell was asked when the values were copied
	BitCheckIssue
	BitServerIssue
	BitIssuesElsewhere // the cell's check has placed issues on other cells
	BitChecking
	BitSentChanged // what was sent differed from the baseline then
	BitRestored    // an earlier page kept the cell, and no load has met it
	BitStays       // the cell was restored and typed: it stays through the first load
	BitUnknown     // the baseline is private, and was not kept
	BitBased       // of a group: a load or an acceptance has brought its baseline
	BitRowsEdited  // of a group: rows were added, removed or moved after the newest attempt was sent
	BitMeets       // in a merge: a newer value has met an edit
)
