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
// the result tells.
package verify
