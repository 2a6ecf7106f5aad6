// Package lifecycle is the core of Lean Wicket: what happens to an application
// form from the moment it opens until it is left.
//
// A [form.Form] is declared once and shared. A [Session] is one applicant's work on
// it. [Session.Apply] takes one [Event] and returns [Effect] values: what the
// driver has to load, send, say or ask. The core does no I/O, reads no clock,
// draws no random number and starts no goroutine, so the same form, seed and
// events give the same states and effects, byte for byte.
//
//	f, err := form.New(form.Declaration{
//		Name:    "mooring-permit",
//		Fields:  []form.Field{{Path: "vessel/name", Kind: form.KindText, Constraints: []form.Constraint{{Op: form.OpRequired}}}},
//		Buttons: []string{"apply"},
//	})
//	if err != nil {
//		return err
//	}
//	session, _ := lifecycle.Open(f, lifecycle.Seed{1})
//	session.Apply(lifecycle.Edit("vessel/name", "Heron"))
//	effects, err := session.Apply(lifecycle.Submit("apply"))
//	// effects[0] is the Send: attempt 1, try 1, with its submission key and values.
//
// The files can be read in this order: event.go and effect.go are what goes in and out,
// words.go names the states, and session.go holds the state and takes an event. The parts
// of the state follow as an applicant meets them: loading.go and merge.go with
// merge_rows.go, baseline.go and contest.go; fields.go, rows.go, rules.go and checks.go with
// issues.go; submission.go, attempt.go, settling.go and accepting.go; leaving.go. draft.go
// says what outlives the page, and restoring.go with waiting.go how the next page takes it
// over. read.go is what everybody can read of a session. step.go drives a session before
// those who watch it, and visit.go lists what a session remembers.
//
// The words used here (baseline, touched, hold, attempt, try, settled, …) have
// one meaning throughout the project; each type says what its word means.
package lifecycle
