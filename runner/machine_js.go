package runner

import (
	"time"

	"leanwicket.dev/lifecycle"
)

// A browser's core has no clock and no chance of its own: the script gives both.

//go:wasmimport leanwicket now
func milliseconds() float64 // since 1970

func wallClock() time.Time { return time.UnixMilli(int64(milliseconds())) }

func machineClock() Clock {
	panic("found no Clock in the options; right would be the one of the page")
}

func randomSeed() lifecycle.Seed {
	panic("found no Seed in the options; right would be one of the page's random numbers")
}
