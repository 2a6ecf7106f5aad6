package verify_test

import (
	"testing"

	"leanwicket.dev/declare"
	"leanwicket.dev/harbour"
	"leanwicket.dev/verify"
)

// The walk of a harbour form, whole, on one core; the rate of states is printed.
func BenchmarkWalk(b *testing.B) {
	source, err := declare.OpenFS(harbour.Files(), "mooring.form.yaml")
	if err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	states, transitions := 0, 0
	for b.Loop() {
		result, err := verify.Walk(source.Form, verify.Options{Workers: 1, States: 150_000})
		if err != nil {
			b.Fatal(err)
		}
		states += result.States
		transitions += result.Transitions
	}
	b.ReportMetric(float64(states)/b.Elapsed().Seconds(), "states/s")
	b.ReportMetric(float64(transitions)/b.Elapsed().Seconds(), "transitions/s")
}
