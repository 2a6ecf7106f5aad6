// Package state holds what a session remembers in a shape that rooms below internal can
// look into: cells, rows and lists as types, and everything else by name.
//
// A session lists each part of its state once, in its Visit method. Whoever compares,
// copies, packs, redacts or fingerprints a session gives that method a [Visitor], and lists
// nothing: a part that is added to a session is added in Visit alone.
//
//	var v state.Visitor
//	v.Gather(session)                      // v has every part of the session now
//	v.Numbers[state.AttemptRepeats] = 0
//	v.Scatter(session)                     // the session has what v has
//
// cell.go with tally.go, rows.go and lists.go say what a session's lists hold. parts.go names
// what is in no list. visitor.go visits, and exact.go writes a state as bytes.
package state
