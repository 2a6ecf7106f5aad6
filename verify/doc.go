// Package verify walks every reachable state of a form, running the core itself,
// and shows that the guarantees hold or gives the shortest session that breaks
// one.
//
//	result, err := verify.Walk(form, verify.Options{})
//	if err != nil {
//		return err
//	}
//	for _, breach := range result.Breaches {
//		fmt.Println(breach, breach.Path) // and breach.Scenario, which play reproduces
//	}
//
// The walk is breadth first, over the applicant's events and the backend's
// answers in every order that the timers' durations allow, within bounds that
// the result tells. [Form] takes all walks of a form as the command does, and [Test] does so in
// a program's own tests.
//
// plan.go plans the walks and moves.go lists what can happen, with backend.go, filling.go and earlier.go;
// walk.go and explore.go go from state to state, store.go keeps them and audit.go holds them
// against what they stand for; paths.go looks back over the edges, and write.go makes a scenario
// of the way to a state.
package verify
