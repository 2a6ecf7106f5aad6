// Package guarantee judges sessions. A [Watch] sees each step of one session, reads what
// everybody can read of it, and says which [Guarantee] the step broke, and how.
//
//	watch := guarantee.NewWatch(session, opening) // opening is what lifecycle.Open returned
//	step := lifecycle.Drive(session, event, watch)
//	breaches := watch.Breaches()
//
// guarantee.go names the guarantees and what a form's policies trade away. watch.go is the
// judge, steps.go the single judgements, reading.go what is asked and dirty, memory.go what it remembers, and pack.go writes a
// watched session for walks over millions of states.
package guarantee
