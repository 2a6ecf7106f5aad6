package form

import (
	"strconv"
	"time"
)

const (
	microsPerSecond = 1_000_000
	microsPerMinute = 60 * microsPerSecond
	microsPerDay    = 24 * 60 * microsPerMinute
)

// digits reads exactly n digits at the front of s.
func digits(s string, n int) (int, string, bool) {
	if len(s) < n {
		return 0, s, false
	}
	v := 0
	for i := range n {
		if s[i] < '0' || s[i] > '9' {
			return 0, s, false
		}
		v = v*10 + int(s[i]-'0')
	}
	return v, s[n:], true
}

func skip(s string, c byte) (string, bool) {
	if s == "" || s[0] != c {
		return s, false
	}
	return s[1:], true
}

// parseDate reads a full-date of RFC 3339, section 5.6: 2031-05-02.
func parseDate(s string) (days int64, rest string, ok bool) {
	year, s, ok1 := digits(s, 4)
	s, ok2 := skip(s, '-')
	month, s, ok3 := digits(s, 2)
	s, ok4 := skip(s, '-')
	day, s, ok5 := digits(s, 2)
	if !ok1 || !ok2 || !ok3 || !ok4 || !ok5 {
		return 0, s, false
	}
	date := time.Date(year, time.Month(month), day, 0, 0, 0, 0, time.UTC)
	if month < 1 || month > 12 || date.Day() != day {
		return 0, s, false
	}
	return floorDiv(date.Unix(), 86400), s, true
}

func floorDiv(a, b int64) int64 {
	q := a / b
	if a%b < 0 {
		q--
	}
	return q
}

// parseClock reads a time of RFC 3339, section 5.6, and the shorter forms that
// HTML's time controls give: seconds and offset may be left out. Fractions
// finer than a microsecond are not read.
func parseClock(s string) (v Value, ok bool) {
	v.Kind = ValueTime
	hour, s, ok1 := digits(s, 2)
	s, ok2 := skip(s, ':')
	minute, s, ok3 := digits(s, 2)
	if !ok1 || !ok2 || !ok3 || hour > 23 || minute > 59 {
		return Value{}, false
	}
	second, fraction := 0, int64(0)
	if t, colon := skip(s, ':'); colon {
		if second, s, ok = digits(t, 2); !ok || second > 60 {
			return Value{}, false
		}
		if fraction, s, ok = parseFraction(s); !ok {
			return Value{}, false
		}
	}
	if v.Exp, ok = parseOffset(s); !ok {
		return Value{}, false
	}
	v.Coef = int64(hour*3600+minute*60+second)*microsPerSecond + fraction
	if second == 60 {
		v.Text = leap
		if !leapSecond(v.Coef-fraction, v.Exp) {
			return Value{}, false
		}
	}
	return v, true
}

// leap is the Text of a time that was written with :60. Its Coef counts the second after it,
// so that times have an order. It is written as it was read.
const leap = "60"

// leapSecond reports whether :60 may stand here: only just before midnight UTC.
func leapSecond(micros int64, offset int32) bool {
	if offset == NoOffset {
		return false
	}
	utc := micros - int64(offset)*microsPerMinute
	return (utc+microsPerDay)%microsPerDay == 0
}

func parseFraction(s string) (int64, string, bool) {
	s, point := skip(s, '.')
	if !point {
		return 0, s, true
	}
	micros, n := int64(0), 0
	for n < len(s) && s[n] >= '0' && s[n] <= '9' {
		micros = micros*10 + int64(s[n]-'0')
		n++
		if n > 6 {
			return 0, s, false
		}
	}
	for i := n; i < 6; i++ {
		micros *= 10
	}
	return micros, s[n:], n > 0
}

func parseOffset(s string) (int32, bool) {
	if s == "" {
		return NoOffset, true
	}
	if s == "Z" || s == "z" {
		return 0, true
	}
	sign := int32(1)
	if s[0] == '-' {
		sign = -1
	} else if s[0] != '+' {
		return 0, false
	}
	hour, s, ok1 := digits(s[1:], 2)
	s, ok2 := skip(s, ':')
	minute, s, ok3 := digits(s, 2)
	if !ok1 || !ok2 || !ok3 || s != "" || hour > 23 || minute > 59 {
		return 0, false
	}
	return sign * int32(hour*60+minute), true
}

// ParseDate reads a full-date of RFC 3339, such as 2031-05-02.
func ParseDate(s string) (Value, bool) {
	days, rest, ok := parseDate(s)
	if !ok || rest != "" {
		return Value{}, false
	}
	return Value{Kind: ValueDate, Coef: days}, true
}

// ParseTime reads a time of day: 08:30, 08:30:15.5, 08:30:00Z, 08:30:00+01:00.
func ParseTime(s string) (Value, bool) { return parseClock(s) }

// ParseDateTime reads a date and a time of day, parted by T or a space.
func ParseDateTime(s string) (Value, bool) {
	days, rest, ok := parseDate(s)
	if !ok || rest == "" || rest[0] != 'T' && rest[0] != 't' && rest[0] != ' ' {
		return Value{}, false
	}
	v, ok := parseClock(rest[1:])
	if !ok {
		return Value{}, false
	}
	v.Kind, v.Coef = ValueDateTime, v.Coef+days*microsPerDay
	return v, true
}

func appendClock(b []byte, v Value) []byte {
	micros := v.Coef
	if v.Text == leap {
		micros -= microsPerSecond
		v.Coef = micros
	}
	if v.Kind != ValueTime {
		days := v.Coef
		if v.Kind == ValueDateTime {
			days = floorDiv(v.Coef, microsPerDay)
			micros = v.Coef - days*microsPerDay
		}
		year, month, day := time.Unix(days*86400, 0).UTC().Date() // its formatting would double what a browser loads of time
		b = appendTwo(appendTwo(b, int64(year/100)), int64(year%100))
		b = appendTwo(append(b, '-'), int64(month))
		b = appendTwo(append(b, '-'), int64(day))
		if v.Kind == ValueDate {
			return b
		}
		b = append(b, 'T')
	}
	seconds, fraction := micros/microsPerSecond, micros%microsPerSecond
	b = appendTwo(b, seconds/3600)
	b = appendTwo(append(b, ':'), seconds/60%60)
	switch {
	case v.Text == leap:
		b = append(append(b, ':'), leap...)
	case v.Exp != NoOffset || seconds%60 != 0 || fraction != 0:
		b = appendTwo(append(b, ':'), seconds%60)
	}
	if fraction != 0 {
		b = append(b, '.')
		for unit := int64(100_000); fraction != 0; unit /= 10 {
			b = append(b, byte('0'+fraction/unit))
			fraction %= unit
		}
	}
	return appendOffset(b, v.Exp)
}

func appendOffset(b []byte, offset int32) []byte {
	switch {
	case offset == NoOffset:
		return b
	case offset == 0:
		return append(b, 'Z')
	case offset < 0:
		b, offset = append(b, '-'), -offset
	default:
		b = append(b, '+')
	}
	b = appendTwo(b, int64(offset/60))
	return appendTwo(append(b, ':'), int64(offset%60))
}

func appendTwo(b []byte, n int64) []byte {
	if n < 10 {
		b = append(b, '0')
	}
	return strconv.AppendInt(b, n, 10)
}

// Time is the moment of a date (at midnight UTC) or date-time; one without an
// offset is taken for UTC.
func (v Value) Time() (time.Time, bool) {
	switch v.Kind {
	case ValueDate:
		return time.Unix(v.Coef*86400, 0).UTC(), true
	case ValueDateTime:
		at := time.UnixMicro(v.instant()).UTC()
		if v.Exp != NoOffset && v.Exp != 0 {
			at = at.In(time.FixedZone("", int(v.Exp)*60))
		}
		return at, true
	default:
		return time.Time{}, false
	}
}
