// Package runner drives a session for real: it keeps the clock, makes the
// requests, brings the answers back, and tells observers what to redraw.
//
//	r := runner.New(form, runner.Options{
//		Transport: overhttp.New(http.DefaultClient, "https://office.example"),
//		Observe:   func(s lifecycle.Step) { screen.Draw() },
//	})
//	defer r.Close()
//	err := r.Apply(lifecycle.Edit("vessel/name", "Heron"))
//	err = r.Apply(lifecycle.Submit("apply"))
//
// What is to be drawn is read from the session, with Read.
package runner
