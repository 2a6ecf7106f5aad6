// Package harbour holds the demo: the forms of the harbour office of Saltmarsh
// Quay, and the scenarios that show what their lifecycle does.
//
//	for _, name := range harbour.Scenarios() {
//		s, err := scenario.NewReader(harbour.Files()).File(name)
//		…
//	}
package harbour
