package usage

import (
	"math/rand/v2"
	"testing"
	"time"
	_ "time/tzdata"

	"ensomet/internal/core/civil"
)

// IANA time zone data: central European summer time began on 2026-03-29 and ended on 2026-10-25; Iceland has none.
func TestDaysOfDaylightSaving(t *testing.T) {
	oslo, err := time.LoadLocation("Europe/Oslo")
	if err != nil {
		t.Fatal(err)
	}
	iceland, _ := time.LoadLocation("Atlantic/Reykjavik")
	for _, c := range []struct {
		day   string
		loc   *time.Location
		hours int64
	}{{"2026-03-29", oslo, 23}, {"2026-10-25", oslo, 25}, {"2026-06-30", oslo, 24}, {"2026-03-29", iceland, 24}} {
		d := civil.MustParse(c.day)
		days := Days((d - 1).Start(c.loc).Add(12*time.Hour), (d + 1).Start(c.loc).Add(time.Hour), c.loc)
		if len(days) != 3 || days[1].Day != d || days[1].Seconds != c.hours*3600 {
			t.Errorf("%s in %s: %v", c.day, c.loc, days)
		}
	}
}

func TestDaysKeepEverySecond(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	r := rand.New(rand.NewPCG(1, 1))
	for range 2000 {
		start := time.Unix(1_760_000_000+r.Int64N(40_000_000), 0)
		end := start.Add(time.Duration(r.Int64N(400_000)) * time.Second)
		var sum int64
		for _, d := range Days(start, end, oslo) {
			sum += d.Seconds
		}
		if sum != int64(end.Sub(start)/time.Second) {
			t.Fatalf("%v to %v: %d seconds", start, end, sum)
		}
	}
}

func TestClassify(t *testing.T) {
	asOf := civil.MustParse("2026-06-30")
	w := Window{AsOf: asOf, Days: 60, LeastShare: 0.8}
	all := Facts{Metered: []Span{{asOf - 365, asOf}}}
	with := func(f Facts, days ...civil.Day) Facts { f.UseDays = days; return f }
	for _, c := range []struct {
		name string
		f    Facts
		want Class
	}{
		{"nothing at all known", Facts{}, NotMeasured},
		{"metered a month of two", Facts{Metered: []Span{{asOf - 29, asOf}}}, NotMeasured},
		{"metered 48 days of 60, just enough", Facts{Metered: []Span{{asOf - 47, asOf}}}, NeverUsed},
		{"metered 47 days of 60", Facts{Metered: []Span{{asOf - 46, asOf}}}, NotMeasured},
		{"metered, never used", all, NeverUsed},
		{"metered, used long ago", with(all, asOf-200), Unused},
		{"used on the day before the window", with(all, asOf-60), Unused},
		{"four days in 60 measured: one in 15", with(all, asOf-59, asOf-40, asOf-20, asOf), Light},
		{"five days in 60 measured", with(all, asOf-59, asOf-40, asOf-20, asOf-1, asOf), Regular},
		{"four days, the same day twice", with(all, asOf-59, asOf-59, asOf-40, asOf-20, asOf), Light},
		{"last use long ago, said by a scan yesterday", Facts{LastUses: []LastUse{{asOf - 300, asOf - 1}}}, Unused},
		{"last use long ago, said by a scan in the middle of the window",
			Facts{LastUses: []LastUse{{asOf - 300, asOf - 30}}}, NotMeasured},
		{"last use in the window, not metered: not known to be light",
			Facts{LastUses: []LastUse{{asOf - 10, asOf - 1}}}, Regular},
		{"use after the day asked about is not known yet", with(all, asOf+1), NeverUsed},
	} {
		if got := Classify(c.f, w); got.Class != c.want {
			t.Errorf("%s: %+v, want %s", c.name, got, c.want)
		}
	}
}

// Missing data never makes a title unused: with fewer measured days the class stays or becomes not measured.
func TestLessDataNeverMakesUnused(t *testing.T) {
	asOf := civil.MustParse("2026-06-30")
	r := rand.New(rand.NewPCG(5, 5))
	for range 5000 {
		w := Window{AsOf: asOf, Days: []int{30, 60, 90}[r.IntN(3)], LeastShare: 0.8}
		f := Facts{Metered: []Span{{asOf - civil.Day(r.IntN(150)), asOf}}}
		for range r.IntN(6) {
			f.UseDays = append(f.UseDays, f.Metered[0].From+civil.Day(r.IntN(int(asOf-f.Metered[0].From)+1)))
		}
		full := Classify(f, w)
		less := f
		less.Metered = []Span{{f.Metered[0].From + civil.Day(r.IntN(40)), asOf}}
		got := Classify(less, w)
		idle := func(c Class) bool { return c == Unused || c == NeverUsed }
		if idle(got.Class) && !idle(full.Class) && full.Class != NotMeasured {
			t.Fatalf("%+v is %s, with less data %s", f, full.Class, got.Class)
		}
	}
}

// A program that runs through the night on which the clock is changed runs 23 hours, or 25, on that day (IANA data,
// in two zones that change on different days).
func TestDaysOnWhichTheClockIsChanged(t *testing.T) {
	for _, c := range []struct {
		zone, day string
		hours     int64
	}{{"Europe/Oslo", "2026-03-29", 23}, {"Europe/Oslo", "2026-10-25", 25}, {"Europe/Oslo", "2026-11-01", 24},
		{"America/St_Johns", "2026-03-08", 23}, {"America/St_Johns", "2026-11-01", 25},
		{"America/St_Johns", "2026-10-25", 24}} {
		loc, err := time.LoadLocation(c.zone)
		if err != nil {
			t.Fatal(err)
		}
		day := civil.MustParse(c.day)
		start, end := day.Start(loc), (day + 1).Start(loc)
		got := Days(start.Add(-time.Hour), end.Add(time.Hour), loc)
		if len(got) != 3 || got[0].Seconds != 3600 || got[1] != (DayUse{day, c.hours * 3600}) ||
			got[2].Seconds != 3600 {
			t.Errorf("%s, %s: %v", c.zone, c.day, got)
		}
		rolled := Roll([]Session{{Program: 1, User: "u", Start: start.Unix(), End: end.Unix()}}, loc)
		if len(rolled) != 1 || rolled[0].Run != c.hours*3600 {
			t.Errorf("%s, %s: %+v", c.zone, c.day, rolled)
		}
	}
}
