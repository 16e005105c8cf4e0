package usage

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ensomet/internal/core/civil"
)

func TestPair(t *testing.T) {
	const hour = 3600
	start := func(at, pid, program int64) Event { return Event{At: at, PID: pid, Program: program, User: "u"} }
	stop := func(at, pid, program int64) Event {
		return Event{At: at, Kind: ProcessStop, PID: pid, Program: program, User: "u"}
	}
	for _, c := range []struct {
		name   string
		events []Event
		want   []Session
		lost   int
	}{
		{"a run", []Event{start(10, 1, 7), stop(50, 1, 7)}, []Session{{Program: 7, User: "u", Start: 10, End: 50}}, 0},
		{"the stop comes first", []Event{stop(50, 1, 7), start(10, 1, 7)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 50}}, 0},
		{"all came twice", []Event{start(10, 1, 7), start(10, 1, 7), stop(50, 1, 7), stop(50, 1, 7)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 50}}, 0},
		{"ends at the next boot", []Event{start(10, 1, 7), {At: 90, Kind: DeviceBoot}},
			[]Session{{Program: 7, User: "u", Start: 10, End: 90, Cut: true}}, 1},
		{"ends at the next start with its number", []Event{start(10, 1, 7), start(70, 1, 8), stop(80, 1, 8)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 70, Cut: true},
				{Program: 8, User: "u", Start: 70, End: 80}}, 1},
		{"ends after the limit", []Event{start(10, 1, 7)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 10 + 12*hour, Cut: true}}, 1},
		{"a boot long after counts no longer than the limit",
			[]Event{start(10, 1, 7), {At: 90 * hour, Kind: DeviceBoot}},
			[]Session{{Program: 7, User: "u", Start: 10, End: 10 + 12*hour, Cut: true}}, 1},
		{"a stop alone", []Event{stop(50, 1, 7)}, nil, 1},
		{"another program's stop", []Event{start(10, 1, 7), stop(50, 1, 8)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 10 + 12*hour, Cut: true}}, 2},
		{"a stop that names another start",
			[]Event{start(10, 1, 7), {At: 50, Kind: ProcessStop, PID: 1, Program: 7, Started: 30}},
			[]Session{{Program: 7, User: "u", Start: 10, End: 10 + 12*hour, Cut: true}}, 2},
		{"longer than the limit, but seen whole", []Event{start(10, 1, 7), stop(40*hour, 1, 7)},
			[]Session{{Program: 7, User: "u", Start: 10, End: 40 * hour}}, 0},
		{"work is no longer than the run", []Event{start(10, 1, 7), {At: 50, Kind: ProcessStop, PID: 1, Active: 500}},
			[]Session{{Program: 7, User: "u", Start: 10, End: 50, Active: 40}}, 0},
		{"still running", []Event{start(999*hour, 1, 7)},
			[]Session{{Program: 7, User: "u", Start: 999 * hour, End: 1000 * hour, Open: true}}, 0},
		{"a clock in the future", []Event{start(1001*hour, 1, 7)}, nil, 0},
	} {
		got := Pair(c.events, 12*hour, 1000*hour)
		if !slices.Equal(got.Sessions, c.want) || got.Cut+got.Strays != c.lost {
			t.Errorf("%s: %+v, want %+v and %d lost", c.name, got, c.want, c.lost)
		}
	}
}

// A machine whose truth is known: its events are lost, doubled, and come in any order. No session is invented: each
// begins with a true start, those seen whole are true, no day is one of use that had none; and the share said to be
// lost is the share that was.
func TestPairAgainstASimulator(t *testing.T) {
	r := rand.New(rand.NewPCG(6, 6))
	type run struct {
		pid, program, start, end int64
		user                     string
	}
	oslo, _ := time.LoadLocation("Europe/Oslo")
	cut, strays := 0, 0
	for n := range 1500 {
		var truth []run
		var events []Event
		lose := []float64{0, 0.05, 0.3}[n%3]
		says := n%2 == 0 // whether stops say when their process started
		at := int64(1_770_000_000)
		wantCut, wantStray := 0, 0
		for boot := range 4 {
			if boot > 0 {
				events = append(events, Event{At: at, Kind: DeviceBoot})
			}
			free := map[int64]int64{}
			up := at + 3600*(2+r.Int64N(60))
			for range r.IntN(12) {
				s := run{
					pid:     1 + r.Int64N(6),
					program: 1 + r.Int64N(3),
					start:   at + 1 + r.Int64N(up-at-2),
					user:    []string{"a", "b"}[r.IntN(2)],
				}
				s.end = s.start + 1 + r.Int64N(up-s.start)
				if s.start <= free[s.pid] {
					continue
				}
				free[s.pid] = s.end
				truth = append(truth, s)
				began, ended := r.Float64() >= lose, r.Float64() >= lose
				if began {
					events = append(events, Event{At: s.start, PID: s.pid, Program: s.program, User: s.user})
				}
				if ended {
					e := Event{At: s.end, Kind: ProcessStop, PID: s.pid, Program: s.program, User: s.user}
					if says {
						e.Started = s.start
					}
					events = append(events, e)
				}
				if began && !ended {
					wantCut++
				}
				if !began && ended {
					wantStray++
				}
			}
			at = up
		}
		events = append(events, Event{At: at, Kind: DeviceBoot})
		for _, e := range slices.Clone(events) {
			if r.IntN(5) == 0 {
				events = append(events, e)
			}
		}
		r.Shuffle(len(events), func(i, j int) { events[i], events[j] = events[j], events[i] })
		got := Pair(events, 12*3600, at+1)
		if got.Future != 0 || says && (got.Cut != wantCut || got.Strays != wantStray) {
			t.Fatalf("%d cut and %d strays, want %d and %d", got.Cut, got.Strays, wantCut, wantStray)
		}
		if lose == 0 && got.Cut+got.Strays != 0 {
			t.Fatalf("nothing was lost, said %d cut and %d strays", got.Cut, got.Strays)
		}
		cut, strays = cut+got.Cut, strays+got.Strays
		used := map[civil.Day]bool{}
		for _, s := range truth {
			for _, d := range Days(time.Unix(s.start, 0), time.Unix(s.end, 0), oslo) {
				used[d.Day] = true
			}
		}
		for _, s := range got.Sessions {
			i := slices.IndexFunc(truth, func(x run) bool {
				return x.start == s.Start && x.program == s.Program && x.user == s.User
			})
			if i < 0 {
				t.Fatalf("%+v began at no true start", s)
			}
			if says && !s.Cut && truth[i].end != s.End {
				t.Fatalf("%+v was seen whole, its true end is %d", s, truth[i].end)
			}
		}
		if len(got.Sessions) > len(truth) {
			t.Fatalf("%d sessions of %d runs", len(got.Sessions), len(truth))
		}
		if says {
			for _, d := range Roll(got.Sessions, oslo) {
				if !used[d.Day] {
					t.Fatalf("%s is said to be a day of use", d.Day)
				}
			}
		}
	}
	if cut < 300 || strays < 300 {
		t.Errorf("only %d cut and %d strays came up", cut, strays)
	}
}

// Roll against a walk second by second, on days of 23, 24 and 25 hours.
func TestRollAgainstAWalk(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	newfoundland, _ := time.LoadLocation("America/St_Johns")
	r := rand.New(rand.NewPCG(3, 9))
	for n := range 300 {
		loc := []*time.Location{oslo, newfoundland}[n%2]
		base := civil.MustParse([]string{"2026-03-28", "2026-10-24", "2026-06-01", "2026-03-07", "2026-10-31"}[n%5]).
			Start(loc).
			Unix()
		var list []Session
		for range 1 + r.IntN(8) {
			s := Session{Program: 1 + r.Int64N(3), User: []string{"a", "b"}[r.IntN(2)],
				Start: base + 60*r.Int64N(3000)}
			s.Title = 10 + s.Program/3 // programs 1 and 2 are one title
			s.End = s.Start + 60*r.Int64N(2000)
			s.Active = r.Int64N(s.End - s.Start + 1)
			list = append(list, s)
		}
		type key struct {
			title int64
			user  string
			day   civil.Day
		}
		want := map[key]map[int64]bool{}
		for _, s := range list {
			first := key{s.Title, s.User, civil.Of(time.Unix(s.Start, 0).In(loc))}
			if want[first] == nil {
				want[first] = map[int64]bool{}
			}
			for m := s.Start; m < s.End; m += 60 {
				k := key{s.Title, s.User, civil.Of(time.Unix(m, 0).In(loc))}
				if want[k] == nil {
					want[k] = map[int64]bool{}
				}
				want[k][m] = true
			}
		}
		got := map[key]int64{}
		var sessions int
		for _, d := range Roll(list, loc) {
			k := key{10 + d.Program/3, d.User, d.Day}
			got[k] += d.Run
			sessions += d.Sessions
			if d.Active > d.Run || d.Run > 25*3600 {
				t.Fatalf("%+v", d)
			}
		}
		if len(got) != len(want) || sessions != len(list) {
			t.Fatalf("%d days, want %d; %d sessions of %d", len(got), len(want), sessions, len(list))
		}
		for k, w := range want {
			if got[k] != int64(len(w))*60 {
				t.Fatalf("%+v: %d s, want %d, of %+v", k, got[k], len(w)*60, list)
			}
		}
	}
}

func TestMeasured(t *testing.T) {
	d := civil.MustParse("2026-06-01")
	for _, c := range []struct {
		days []civil.Day
		want []Span
	}{
		{nil, nil},
		{[]civil.Day{d}, []Span{{d, d}}},
		{[]civil.Day{d + 3, d, d}, []Span{{d, d + 3}}},
		{[]civil.Day{d, d + 15}, []Span{{d, d + 15}}},
		{[]civil.Day{d, d + 16, d + 17}, []Span{{d, d}, {d + 16, d + 17}}},
	} {
		if got := Measured(c.days, 14); !slices.Equal(got, c.want) {
			t.Errorf("%v: %v, want %v", c.days, got, c.want)
		}
	}
}

func FuzzPair(f *testing.F) {
	f.Add([]byte{0, 1, 1, 9, 1, 1})
	f.Fuzz(func(t *testing.T, data []byte) {
		var events []Event
		for i := 0; i+2 < len(data); i += 3 {
			events = append(
				events,
				Event{
					At:      int64(data[i]),
					Kind:    EventKind(data[i+1] % 3),
					PID:     int64(data[i+1] / 3 % 8),
					Program: int64(data[i+2] % 4),
					Started: int64(data[i+2] / 4 % 3),
				},
			)
		}
		p := Pair(events, 40, 200)
		if len(p.Sessions) > p.Starts {
			t.Fatalf("%d sessions of %d starts", len(p.Sessions), p.Starts)
		}
		for _, s := range p.Sessions {
			if s.End < s.Start || s.End > 200 || s.Cut && s.End-s.Start > 40 {
				t.Fatalf("%+v", s)
			}
		}
		slices.Reverse(events)
		if q := Pair(events, 40, 200); !slices.Equal(p.Sessions, q.Sessions) {
			t.Fatalf("the order of arrival matters: %+v and %+v", p.Sessions, q.Sessions)
		}
	})
}
