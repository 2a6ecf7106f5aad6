// Package scenario reads scenario files and plays them in virtual time: one
// session, what the applicant does, what the server answers, what must hold.
//
//	s, err := scenario.File("second-click.scenario.yaml")
//	if err != nil {
//		return err // every mistake with file, line and column
//	}
//	result := scenario.Play(s, scenario.Options{})
//	for _, failure := range result.Failures {
//		fmt.Println(failure)
//	}
//
// Playing is deterministic: no clock is read, and at equal times answers come
// before timers, and timers before the applicant. Every guarantee of the
// lifecycle is checked after every step.
package scenario
