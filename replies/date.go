package replies

import (
	"strconv"
	"strings"
	"time"
)

// httpDate reads a date in any of the three formats of RFC 9110, section 5.6.7.
// Package time could too, and would add a tenth to what a browser has to load.
func httpDate(text string) (time.Time, bool) {
	words := strings.FieldsFunc(text, func(c rune) bool { return c == ' ' || c == ',' || c == '-' })
	if len(words) < 5 {
		return time.Time{}, false
	}
	day, month, year, clock := words[1], words[2], words[3], words[4]
	if len(words) == 5 { // Sun Nov  6 08:49:37 1994
		day, month, clock, year = words[2], words[1], words[3], words[4]
	} else if len(words) != 6 || words[5] != "GMT" {
		return time.Time{}, false
	}
	at := strings.Index("JanFebMarAprMayJunJulAugSepOctNovDec", month)
	parts := strings.Split(clock, ":")
	if len(month) != 3 || at < 0 || at%3 != 0 || len(parts) != 3 {
		return time.Time{}, false
	}
	var numbers [5]int
	for k, part := range append([]string{day, year}, parts...) {
		n, err := strconv.ParseUint(part, 10, 16)
		if err != nil {
			return time.Time{}, false
		}
		numbers[k] = int(n)
	}
	if len(year) == 2 { // of RFC 850: no more than fifty years ahead
		numbers[1] += 1900
		if numbers[1] < 1970 {
			numbers[1] += 100
		}
	}
	if numbers[0] < 1 || numbers[0] > 31 || numbers[2] > 23 || numbers[3] > 59 || numbers[4] > 60 {
		return time.Time{}, false
	}
	return time.Date(numbers[1], time.Month(at/3+1), numbers[0], numbers[2], numbers[3], numbers[4], 0, time.UTC), true
}
