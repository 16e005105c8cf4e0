package lifecycle

import (
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/civil"
)

func TestPhase(t *testing.T) {
	d := civil.MustParse
	all := Dates{Released: d("2020-02-01"), General: d("2023-02-28"), Extended: d("2025-02-28"), End: d("2025-12-31")}
	cases := []struct {
		name  string
		dates Dates
		on    string
		want  Phase
	}{
		{"the day before it came", all, "2020-01-31", Before},
		{"the day it came", all, "2020-02-01", General},
		{"the last day of general support", all, "2023-02-28", General},
		{"the day after", all, "2023-03-01", Extended},
		{"the last day of all", all, "2025-12-31", Extended},
		{"the day after that", all, "2026-01-01", Ended},
		{"nothing is known", Dates{}, "2024-01-01", Unknown},
		{"only its release is known", Dates{Released: d("2020-02-01")}, "2040-01-01", Unknown},
		{"only its release is known, and it lies ahead", Dates{Released: d("2040-02-01")}, "2026-01-01", Before},
		{"only its end is known, before it", Dates{End: d("2025-12-31")}, "2025-12-31", General},
		{"only its end is known, after it", Dates{End: d("2025-12-31")}, "2026-01-01", Ended},
		{"no extended support is known", Dates{General: d("2023-02-28")}, "2023-03-01", Ended},
		{
			"the end of general support is not known",
			Dates{Extended: d("2025-02-28"), End: d("2026-02-28")},
			"2025-03-01",
			Extended,
		},
		{
			"the end cuts general support short",
			Dates{General: d("2027-01-01"), End: d("2026-01-01")},
			"2026-06-01",
			Ended,
		},
	}
	for _, c := range cases {
		if got := c.dates.Phase(d(c.on)); got != c.want {
			t.Errorf("%s: on %s it is %s, want %s", c.name, c.on, got, c.want)
		}
	}
}

// On any dates: phases follow each other in their order as days pass, each change is the last day of its phase, and
// without an end nothing is ever supported.
func TestPhasesFollowEachOther(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 4))
	rank := map[Phase]int{Before: 0, General: 1, Extended: 2, Ended: 3}
	for range 3000 {
		day := func() civil.Day { return civil.Day(r.IntN(60) * r.IntN(2)) }
		d := Dates{day(), day(), day(), day()}
		last := -1
		for on := civil.Day(1); on < 70; on++ {
			p := d.Phase(on)
			if _, end := d.Bounds(); !end.Known() {
				if p == General || p == Extended || p == Ended {
					t.Fatalf("%v on %d is %s without an end", d, on, p)
				}
				continue
			}
			if rank[p] < last {
				t.Fatalf("%v on %d goes back to %s", d, on, p)
			}
			last = rank[p]
		}
		for _, c := range d.Changes() {
			if c.On >= d.Released && (d.Phase(c.On) != c.Phase || d.Phase(c.On+1) == c.Phase) {
				t.Fatalf("%v: %s does not end on %d", d, c.Phase, c.On)
			}
		}
	}
}

func TestYears(t *testing.T) {
	d := civil.MustParse
	got := Years([]Fleet{{Dates{General: d("2026-05-01"), Extended: d("2027-01-01")}, 10, 20},
		{Dates{End: d("2027-12-31")}, 5, 1}, {Dates{End: d("2025-01-01")}, 3, 9}, {Dates{}, 100, 100}})
	want := []Year{{2025, 1, 3, 9}, {2027, 2, 15, 21}}
	if len(got) != 2 || got[0] != want[0] || got[1] != want[1] {
		t.Errorf("%v, want %v", got, want)
	}
}

func TestProgress(t *testing.T) {
	due := civil.MustParse("2026-06-30")
	for _, c := range []struct {
		p     Progress
		state string
		share float64
	}{{Progress{40, 10, due}, "open", 0.75}, {Progress{40, 0, due}, "done", 1}, {Progress{40, 50, due}, "open", 0},
		{Progress{0, 0, 0}, "done", 1}, {Progress{0, 4, 0}, "open", 0}} {
		if c.p.State(due) != c.state || c.p.Share() != c.share {
			t.Errorf("%+v: %s %v", c.p, c.p.State(due), c.p.Share())
		}
	}
	if s := (Progress{40, 10, due}).State(due + 1); s != "late" {
		t.Error(s)
	}
}
