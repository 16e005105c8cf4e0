// Package civil has calendar days without a time of day or a zone.
package civil

import (
	"time"

	"ensomet/internal/core/refuse"
)

// Day counts days of the proleptic Gregorian calendar, 1 being 0001-01-01. The zero Day means "unknown", so that a
// struct or a table column without a date needs no second field to say so. Days subtract and compare as integers.
type Day int32

// epoch is 1970-01-01.
const epoch Day = 719163

// Parse reads an ISO 8601 calendar date, YYYY-MM-DD. The empty string is the unknown day.
func Parse(s string) (Day, error) {
	if s == "" {
		return 0, nil
	}
	t, err := time.Parse("2006-01-02", s)
	if err != nil {
		return 0, refuse.Errorf("%q is not a date written as YYYY-MM-DD", s)
	}
	return OfUnix(t.Unix()), nil
}

// MustParse is Parse for constants; it panics on a bad date.
func MustParse(s string) Day {
	d, err := Parse(s)
	if err != nil {
		panic(err)
	}
	return d
}

// Of returns the day on which t falls in t's own location.
func Of(t time.Time) Day {
	if t.IsZero() {
		return 0
	}
	y, m, d := t.Date()
	return OfUnix(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix())
}

// OfUnix returns the UTC day of a time in seconds since 1970.
func OfUnix(sec int64) Day {
	q := sec / 86400
	if sec%86400 < 0 {
		q--
	}
	return Day(q) + epoch
}

// Start returns midnight at the start of d in loc.
func (d Day) Start(loc *time.Location) time.Time {
	y, m, day := time.Unix(int64(d-epoch)*86400, 0).UTC().Date()
	return time.Date(y, m, day, 0, 0, 0, 0, loc)
}

// EndUnix returns the first second after d in UTC, in seconds since 1970.
func (d Day) EndUnix() int64 { return int64(d+1-epoch) * 86400 }

// Known reports whether d is a real day.
func (d Day) Known() bool { return d != 0 }

// String writes YYYY-MM-DD, or nothing for the unknown day.
func (d Day) String() string {
	if d == 0 {
		return ""
	}
	return time.Unix(int64(d-epoch)*86400, 0).UTC().Format("2006-01-02")
}

// Year is the calendar year of d.
func (d Day) Year() int { return time.Unix(int64(d-epoch)*86400, 0).UTC().Year() }

// AddMonths returns the same day of the month n months later, or the last day of that month where it is shorter.
func (d Day) AddMonths(n int) Day {
	y, m, day := time.Unix(int64(d-epoch)*86400, 0).UTC().Date()
	first := time.Date(y, m+time.Month(n), 1, 0, 0, 0, 0, time.UTC)
	last := first.AddDate(0, 1, -1).Day()
	return OfUnix(first.AddDate(0, 0, min(day, last)-1).Unix())
}

// MonthStart is the first day of the day's month.
func (d Day) MonthStart() Day {
	t := time.Unix(int64(d-epoch)*86400, 0).UTC()
	return d - Day(t.Day()) + 1
}

// MarshalText writes the day as String does.
func (d Day) MarshalText() ([]byte, error) { return []byte(d.String()), nil }

// UnmarshalText reads the day as Parse does.
func (d *Day) UnmarshalText(b []byte) error {
	v, err := Parse(string(b))
	if err == nil {
		*d = v
	}
	return err
}
