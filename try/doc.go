// Package try drives a page that somebody has, in a real browser, plays its
// backend, and says which guarantees of the lifecycle the page keeps.
//
//	report, err := try.Run(ctx, source, try.Options{Page: "http://127.0.0.1:8000/"})
//	for _, r := range report.Results {
//		fmt.Println(r.Trial, r.Verdict, r.Why)
//	}
//
// Nothing is on the page but what its own developer put there: requests of the
// declared addresses are answered through the browser's DevTools protocol.
package try
