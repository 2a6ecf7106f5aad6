// Package canonical brings a session into its canonical state, and writes that state in some tens of
// bytes. It serves walks that keep millions of states.
//
// The canonical state of a session is what can still make a difference: rows, requests, timers
// and attempts are renamed in the order of the form, counters and what was said are left out.
// Two sessions with one canonical state have the same future.
//
// canonical.go brings a session into its canonical state with forget.go, names.go tells what
// everything is called then, and pack.go writes and reads it. All reach a session through a
// [state.Visitor], so that no part of a session is listed here.
package canonical
