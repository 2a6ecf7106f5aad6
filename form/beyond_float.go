//go:build !js

package form

import "strconv"

// appendOther writes a number of a record that a program has read with encoding/json.
func appendOther(to []byte, v any) []byte {
	number, _ := v.(float64)
	return strconv.AppendFloat(to, number, 'g', -1, 64)
}
