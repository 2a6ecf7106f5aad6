//go:build !js

package runner

import (
	"math/rand/v2"
	"time"

	"leanwicket.dev/lifecycle"
)

// machine is the machine's clock.
type machine struct{}

var started = time.Now()

func (machine) After(d time.Duration, f func()) func() {
	timer := time.AfterFunc(d, f)
	return func() { timer.Stop() }
}

func (machine) Now() time.Duration { return time.Since(started) }

func machineClock() Clock { return machine{} }

func wallClock() time.Time { return time.Now() }

func randomSeed() (seed lifecycle.Seed) {
	for k := range seed {
		seed[k] = byte(rand.Uint32())
	}
	return seed
}
