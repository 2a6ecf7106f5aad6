package members

import (
	"time"

	"leanwicket.dev/form"
)

// Moment is the time.Time of a date (at midnight UTC), of a date and time, or of a time of day (in
// the first day of the year 0, as package time has it), as forms write them. One without an offset
// is taken for UTC.
func Moment(text string) (time.Time, bool) {
	if v, is := form.ParseDate(text); is {
		return v.Time()
	}
	if v, is := form.ParseDateTime(text); is {
		return v.Time()
	}
	v, is := form.ParseDateTime("2000-01-01T" + text)
	if !is {
		return time.Time{}, false
	}
	at, is := v.Time()
	return at.AddDate(-2000, 0, 0), is
}
