package usage

import (
	"math/rand/v2"
	"testing"
	"time"

	"ensomet/internal/core/civil"
)

// Days against a walk through the session minute by minute.
func TestDaysAgainstAWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 1))
	for _, zone := range []string{"Europe/Oslo", "Atlantic/Reykjavik", "America/St_Johns", "Pacific/Apia", "UTC"} {
		loc, err := time.LoadLocation(zone)
		if err != nil {
			t.Fatal(err)
		}
		for range 120 {
			start := time.Unix((1_772_000_000+r.Int64N(30_000_000))/60*60, 0)
			minutes := r.IntN(4000)
			want := map[civil.Day]int64{}
			for m := range minutes {
				want[civil.Of(start.Add(time.Duration(m)*time.Minute).In(loc))] += 60
			}
			got := map[civil.Day]int64{}
			for _, d := range Days(start, start.Add(time.Duration(minutes)*time.Minute), loc) {
				if d.Seconds > 0 {
					got[d.Day] += d.Seconds
				}
			}
			if len(got) != len(want) {
				t.Fatalf("%s, %v for %d minutes: %v, want %v", zone, start, minutes, got, want)
			}
			for d, n := range want {
				if got[d] != n {
					t.Fatalf("%s, %v for %d minutes: %s has %d s, want %d", zone, start, minutes, d, got[d], n)
				}
			}
		}
	}
}

// Classes of metered titles against the definition, day by day.
func TestClassifyAgainstTheDefinition(t *testing.T) {
	asOf := civil.MustParse("2026-06-30")
	r := rand.New(rand.NewPCG(2, 8))
	seen := map[Class]int{}
	for range 20_000 {
		w := Window{AsOf: asOf, Days: []int{14, 30, 60, 90}[r.IntN(4)], LeastShare: []float64{0.5, 0.8, 1}[r.IntN(3)]}
		f := Facts{}
		if r.IntN(5) > 0 {
			from := asOf - civil.Day(r.IntN(120))
			f.Metered = []Span{{from, min(asOf, from+civil.Day(r.IntN(120)))}}
			if r.IntN(3) == 0 {
				f.Metered = append([]Span{{from - 30, from - civil.Day(2+r.IntN(28))}}, f.Metered...)
			}
		}
		for range r.IntN(8) {
			f.UseDays = append(f.UseDays, asOf-civil.Day(r.IntN(150)))
		}
		measured, used, ever := 0, 0, len(f.UseDays) > 0
		for d := asOf - civil.Day(w.Days) + 1; d <= asOf; d++ {
			for _, s := range f.Metered {
				if d >= s.From && d <= s.To {
					measured++
				}
			}
			for _, u := range f.UseDays {
				if u == d {
					used++
					break
				}
			}
		}
		want := Regular
		switch {
		case float64(measured) < w.LeastShare*float64(w.Days):
			want = NotMeasured
		case used == 0 && !ever:
			want = NeverUsed
		case used == 0:
			want = Unused
		case used*14 <= measured:
			want = Light
		}
		got := Classify(f, w)
		if got.Class != want || got.Measured != measured || got.Used != used {
			t.Fatalf("%+v in %+v: %+v, want %s with %d of %d", f, w, got, want, used, measured)
		}
		seen[want]++
	}
	for _, c := range Classes {
		if seen[c] < 50 {
			t.Errorf("%s came up %d times only", c, seen[c])
		}
	}
}
