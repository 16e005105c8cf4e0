package schedule

import (
	"math/rand/v2"
	"testing"
	"time"
)

func oslo(t *testing.T) *time.Location {
	zone, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	return zone
}

func at(t *testing.T, s string) time.Time {
	t.Helper()
	v, err := time.ParseInLocation("2006-01-02 15:04", s, oslo(t))
	if err != nil {
		t.Fatal(err)
	}
	return v
}

func TestDue(t *testing.T) {
	const day = 86400
	for _, c := range []struct {
		last, now int64
		want      bool
	}{{0, 5, true}, {100, 100 + 7*day, true}, {100, 100 + 7*day - 1, false}, {100, 100 + 15*day, true}} {
		if got := Due(c.last, c.now, 7); got != c.want {
			t.Errorf("%+v: %v", c, got)
		}
	}
}

func TestCalendarKeepsToTheClockOfTheSite(t *testing.T) {
	daily, sundays, monthly := Calendar{
		At: "02:30",
	}, Calendar{
		At:       "03:00",
		Weekdays: []time.Weekday{time.Sunday},
	}, Calendar{
		At:        "12:00",
		MonthDays: []int{31},
	}
	for _, c := range []struct {
		name        string
		c           Calendar
		after, want string
	}{
		{"next day", daily, "2026-06-30 09:00", "2026-07-01 02:30"},
		{"a time that does not exist on the day the clocks go forward", daily, "2026-03-28 12:00", "2026-03-30 02:30"},
		{"the day before", daily, "2026-03-27 12:00", "2026-03-28 02:30"},
		{"weekday", sundays, "2026-06-30 09:00", "2026-07-05 03:00"},
		{"a month without the day passes", monthly, "2026-08-31 13:00", "2026-10-31 12:00"},
	} {
		got, err := c.c.Next(at(t, c.after), oslo(t))
		if err != nil || !got.Equal(at(t, c.want)) {
			t.Errorf("%s: %v, %v", c.name, got, err)
		}
	}
}

func TestMissedStartsAreOne(t *testing.T) {
	c := Calendar{At: "03:00", Weekdays: []time.Weekday{time.Monday}}
	for _, x := range []struct {
		after, now, last string
		missed           bool
	}{
		{"2026-06-01 04:00", "2026-06-30 08:00", "2026-06-29 03:00", true},
		{"2026-06-29 03:00", "2026-06-30 08:00", "", false},
		{"2024-01-01 00:00", "2026-06-30 08:00", "2026-06-29 03:00", true},
		{"2026-06-28 00:00", "2026-06-29 03:00", "2026-06-29 03:00", true},
	} {
		last, missed, err := c.Missed(at(t, x.after), at(t, x.now), oslo(t))
		if err != nil || missed != x.missed || missed && !last.Equal(at(t, x.last)) {
			t.Errorf("%+v: %v %v %v", x, last, missed, err)
		}
	}
}

func TestNextStart(t *testing.T) {
	nights := Quiet{From: "22:00", Until: "06:00"}
	weekend := Quiet{Weekdays: []time.Weekday{time.Saturday, time.Sunday}, From: "00:00", Until: "00:00"}
	survey := Quiet{From: "00:00", Until: "00:00", First: "2026-07-01", Last: "2026-07-03"}
	for _, c := range []struct {
		name  string
		quiet []Quiet
		at    string
		want  string
	}{
		{"nothing against it", nil, "2026-06-30 09:17", "2026-06-30 09:17"},
		{"at its beginning", []Quiet{nights}, "2026-06-30 22:00", "2026-07-01 06:00"},
		{"past midnight", []Quiet{nights}, "2026-06-30 03:00", "2026-06-30 06:00"},
		{"at its end", []Quiet{nights}, "2026-06-30 06:00", "2026-06-30 06:00"},
		{"one after the other", []Quiet{nights, weekend}, "2026-07-03 23:00", "2026-07-06 06:00"},
		{"days of their own", []Quiet{survey}, "2026-07-01 10:00", "2026-07-04 00:00"},
		{"before these days", []Quiet{survey}, "2026-06-30 10:00", "2026-06-30 10:00"},
		{"over the change of the clocks", []Quiet{{From: "01:00", Until: "02:30"}}, "2026-03-29 01:30",
			"2026-03-29 03:30"},
	} {
		got, ok := NextStart(at(t, c.at), c.quiet, oslo(t))
		if !ok || !got.Equal(at(t, c.want)) {
			t.Errorf("%s: %v %v", c.name, got, ok)
		}
	}
	if _, ok := NextStart(at(t, "2026-06-30 09:00"), []Quiet{{From: "00:00", Until: "00:00"}}, oslo(t)); ok {
		t.Error("a time was found where there is none")
	}
}

// Against asking every minute whether a quiet span holds, written anew from the wall clock.
func TestNextStartAgainstEveryMinute(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	clock := func() string { return time.Date(2026, 1, 1, r.IntN(24), 15*r.IntN(4), 0, 0, time.UTC).Format("15:04") }
	for range 300 {
		var quiet []Quiet
		for range 1 + r.IntN(3) {
			q := Quiet{From: clock(), Until: clock()}
			for w := range 7 {
				if r.IntN(3) == 0 {
					q.Weekdays = append(q.Weekdays, time.Weekday(w))
				}
			}
			quiet = append(quiet, q)
		}
		start := time.Date(2026, 6, 1+r.IntN(20), r.IntN(24), r.IntN(60), 0, 0, time.UTC)
		blocked := func(t time.Time) bool {
			for _, q := range quiet {
				now := t.Format("15:04")
				on := func(w time.Weekday) bool {
					for _, x := range q.Weekdays {
						if x == w {
							return true
						}
					}
					return len(q.Weekdays) == 0
				}
				today, yesterday := on(t.Weekday()), on(t.AddDate(0, 0, -1).Weekday())
				if q.From < q.Until && today && now >= q.From && now < q.Until {
					return true
				}
				if q.From >= q.Until && (today && now >= q.From || yesterday && now < q.Until) {
					return true
				}
			}
			return false
		}
		want := start
		for i := 0; blocked(want) && i < 12*1440; i++ {
			want = want.Add(time.Minute)
		}
		got, ok := NextStart(start, quiet, time.UTC)
		if blocked(want) { // nothing in twelve days
			if ok && got.Before(want) {
				t.Fatalf("%+v from %v: %v", quiet, start, got)
			}
			continue
		}
		if !ok || !got.Equal(want) {
			t.Fatalf("%+v from %v: %v, want %v", quiet, start, got, want)
		}
	}
}

func TestOrders(t *testing.T) {
	o := Order{State: Waiting, NotBefore: 100}
	if _, err := o.Take(99); err == nil {
		t.Error("taken too early")
	}
	now := int64(100)
	for try := 1; try <= MaxTries; try++ {
		var err error
		if o, err = o.Take(now); err != nil || o.State != Running || o.Tries != try {
			t.Fatalf("try %d: %+v %v", try, o, err)
		}
		if o.Lost(now+7200) || !o.Lost(now+7201) {
			t.Errorf("lost after the wrong time")
		}
		if o, err = o.Fail(now+60, "no route"); err != nil || o.Reason != "no route" {
			t.Fatalf("%+v %v", o, err)
		}
		now = o.NotBefore
	}
	if o.State != Failed {
		t.Errorf("after the last try: %+v", o)
	}
	if _, err := o.CallOff(now); err == nil {
		t.Error("a failed order was called off")
	}
	again, err := o.Again()
	if err != nil || again.State != Waiting || again.Tries != 0 {
		t.Errorf("%+v %v", again, err)
	}
	if _, err := again.Again(); err == nil {
		t.Error("a waiting order was asked for again")
	}
	if late := o.Finish(now); late.State != Done || late.Reason != "" {
		t.Errorf("a late scan: %+v", late)
	}
	off, err := again.CallOff(5)
	if err != nil || off.State != Called || off.Finish(6).State != Called {
		t.Errorf("%+v %v", off, err)
	}
}
