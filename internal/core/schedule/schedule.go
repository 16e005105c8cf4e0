// Package schedule says when a device is due for a scan: on a calendar, by the age of its evidence, or on demand; and
// when no scan may start.
package schedule

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/refuse"

	"github.com/robfig/cron/v3"
)

// Due reports whether a device is due under a rule by age: when its last scan is at least days old, or it never had
// one (lastScan 0). Times are seconds since 1970.
func Due(lastScan, now int64, days int) bool {
	return lastScan == 0 || now-lastScan >= int64(days)*86400
}

// Calendar is a plan by days: every day, on weekdays, or on days of the month, at one time of the day of the device's
// site.
type Calendar struct {
	Weekdays  []time.Weekday `json:"weekdays,omitempty"`  // none is every one
	MonthDays []int          `json:"monthDays,omitempty"` // 1 to 31; none is every one. A month without the day passes
	At        string         `json:"at"`                  // hh:mm
}

// Check reports what is wrong with a calendar.
func (c Calendar) Check() error {
	if _, err := minutes(c.At); err != nil {
		return err
	}
	for _, d := range c.MonthDays {
		if d < 1 || d > 31 {
			return refuse.Errorf("there is no day %d in a month", d)
		}
	}
	for _, w := range c.Weekdays {
		if w < time.Sunday || w > time.Saturday {
			return refuse.Errorf("there is no weekday %d", w)
		}
	}
	if len(c.Weekdays) > 0 && len(c.MonthDays) > 0 {
		return refuse.New("choose weekdays or days of the month, not both")
	}
	return nil
}

func minutes(s string) (int, error) {
	t, err := time.Parse("15:04", s)
	if err != nil {
		return 0, refuse.Errorf("%q is not a time of day written as hh:mm", s)
	}
	return t.Hour()*60 + t.Minute(), nil
}

// plan makes the calendar a cron plan, which knows the days on which clocks change.
func (c Calendar) plan() (cron.Schedule, error) {
	if err := c.Check(); err != nil {
		return nil, err
	}
	at, err := minutes(c.At)
	if err != nil {
		return nil, err
	}
	list := func(n int, each func(i int) int) string {
		if n == 0 {
			return "*"
		}
		var out []string
		for i := range n {
			out = append(out, fmt.Sprint(each(i)))
		}
		return strings.Join(out, ",")
	}
	days := list(len(c.MonthDays), func(i int) int { return c.MonthDays[i] })
	week := list(len(c.Weekdays), func(i int) int { return int(c.Weekdays[i]) })
	return cron.ParseStandard(fmt.Sprintf("%d %d %s * %s", at%60, at/60, days, week))
}

// Next returns the first start after a time, in a site's zone; the zero time where there is none within five years.
func (c Calendar) Next(after time.Time, zone *time.Location) (time.Time, error) {
	p, err := c.plan()
	if err != nil {
		return time.Time{}, err
	}
	return p.Next(after.In(zone)), nil
}

// Missed reports whether a start lay after a time and not after now, and the last of them. However many there were,
// one scan makes up for all.
func (c Calendar) Missed(after, now time.Time, zone *time.Location) (time.Time, bool, error) {
	p, err := c.plan()
	if err != nil {
		return time.Time{}, false, err
	}
	var last time.Time
	// Looking back further than two months finds the same last start.
	if far := now.AddDate(0, 0, -62); after.Before(far) {
		if t := p.Next(far.In(zone)); !t.IsZero() && !t.After(now) {
			after = far
		}
	}
	for t := p.Next(after.In(zone)); !t.IsZero() && !t.After(now); t = p.Next(t) {
		last = t
	}
	return last, !last.IsZero(), nil
}

// Words says a calendar as a person would.
func (c Calendar) Words() string {
	switch {
	case len(c.Weekdays) > 0:
		var names []string
		for _, w := range c.Weekdays {
			names = append(names, w.String())
		}
		return strings.Join(names, ", ") + " at " + c.At
	case len(c.MonthDays) > 0:
		return "day " + strings.Trim(
			strings.ReplaceAll(fmt.Sprint(c.MonthDays), " ", ", "),
			"[]",
		) + " of the month at " + c.At
	}
	return "every day at " + c.At
}

// Quiet is a span in which no scan may start: on weekdays (none is every day) from a time of day until another. An
// end that is not later than its beginning lies on the next day. With dates it holds on these days alone.
type Quiet struct {
	Weekdays []time.Weekday `json:"weekdays,omitempty"`
	From     string         `json:"from"` // hh:mm
	Until    string         `json:"until"`
	First    string         `json:"first,omitempty"` // YYYY-MM-DD
	Last     string         `json:"last,omitempty"`
}

// Check reports what is wrong with a quiet span.
func (q Quiet) Check() error {
	_, err1 := minutes(q.From)
	_, err2 := minutes(q.Until)
	for _, d := range []string{q.First, q.Last} {
		if d == "" {
			continue
		}
		if _, err := time.Parse(time.DateOnly, d); err != nil {
			return refuse.Errorf("%q is not a day written as YYYY-MM-DD", d)
		}
	}
	if q.First != "" && q.Last != "" && q.Last < q.First {
		return refuse.Errorf("it ends on %s, before it starts on %s", q.Last, q.First)
	}
	return errors.Join(err1, err2)
}

// Words says a quiet span as a person would.
func (q Quiet) Words() string {
	var names []string
	for _, w := range q.Weekdays {
		names = append(names, w.String())
	}
	out := strings.Join(names, ", ")
	if out == "" {
		out = "every day"
	}
	if q.From == q.Until {
		out += ", all day"
	} else {
		out += " from " + q.From + " until " + q.Until
	}
	switch {
	case q.First != "" && q.Last != "":
		out += ", " + q.First + " to " + q.Last
	case q.First != "":
		out += ", from " + q.First + " on"
	case q.Last != "":
		out += ", until " + q.Last
	}
	return out
}

// until returns when the span ends that a local time lies in; ok is false where it lies in none.
func (q Quiet) until(t time.Time) (time.Time, bool) {
	from, err1 := minutes(q.From)
	to, err2 := minutes(q.Until)
	if err1 != nil || err2 != nil {
		return time.Time{}, false
	}
	for back := range 2 { // a span of yesterday may reach into today
		day := t.AddDate(0, 0, -back)
		if len(q.Weekdays) > 0 && !slices.Contains(q.Weekdays, day.Weekday()) {
			continue
		}
		text := day.Format(time.DateOnly)
		if q.First != "" && text < q.First || q.Last != "" && text > q.Last {
			continue
		}
		next := 0
		if to <= from {
			next = 1
		}
		start := time.Date(day.Year(), day.Month(), day.Day(), 0, from, 0, 0, t.Location())
		end := time.Date(day.Year(), day.Month(), day.Day()+next, 0, to, 0, 0, t.Location())
		if !t.Before(start) && t.Before(end) {
			return end, true
		}
	}
	return time.Time{}, false
}

// NextStart returns the first time from t on at which a scan may start, in a site's zone: t itself where nothing
// stands against it. What is due in a quiet span is shifted to its end, not dropped. ok is false where the quiet
// spans leave no time within a year.
func NextStart(t time.Time, quiet []Quiet, zone *time.Location) (start time.Time, ok bool) {
	local := t.In(zone)
	limit := local.AddDate(1, 0, 0)
	for local.Before(limit) {
		moved := false
		for _, q := range quiet {
			if end, in := q.until(local); in {
				local, moved = end, true
			}
		}
		if !moved {
			return local, true
		}
	}
	return time.Time{}, false
}
