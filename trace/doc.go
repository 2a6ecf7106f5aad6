// Package trace writes, reads and replays the record of a session.
//
// A trace is JSON Lines: a header with the form's name and fingerprints, then one
// object a step with the time, the event, its effects and the fingerprint of the
// state that it led to. Seeds and keys are not written: attempts are numbered.
// A private value is written as a token and the codes that it caused, and
// fingerprints are taken over tokens, so that nothing of it can be found.
//
// A page, whose core is small, writes the events alone: see [NewEvents].
//
//	w := trace.NewWriter(out, session, opening)
//	w.Step(at, lifecycle.Drive(session, event))
//
//	record, err := trace.Read(in)
//	difference, err := trace.Replay(form, record, trace.Observer{})
package trace
