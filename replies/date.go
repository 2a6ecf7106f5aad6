package replies

import (
	"strconv"
	"strings"
	"time"

	"leanwicket.dev/form"
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
	if len(month) != 3 || at < 0 || at%3 != 0 {
		return time.Time{}, false
	}
	if len(day) == 1 {
		day = "0" + day
	}
	if len(year) == 2 && year < "70" { // of RFC 850: no more than fifty years ahead
		year = "20" + year
	} else if len(year) == 2 {
		year = "19" + year
	}
	v, ok := form.ParseDateTime(year + "-" + strconv.Itoa(101 + at/3)[1:] + "-" + day + "T" + clock + "Z")
	return time.UnixMicro(v.Coef), ok
}
