//go:build !js

package form

import (
	"math"
	"strconv"
)

// NumberFromFloat returns the shortest decimal that is f. It reports false for
// infinities and for what is no number.
func NumberFromFloat(f float64) (Value, bool) {
	if math.IsNaN(f) || math.IsInf(f, 0) {
		return Value{}, false
	}
	return parseNumber(strconv.FormatFloat(f, 'e', -1, 64), false)
}
