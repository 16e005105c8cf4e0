package demand

import (
	"math"
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/entitle"
)

func randomSessions(r *rand.Rand, n int) []Session {
	var out []Session
	for range n {
		from := int64(r.IntN(400))
		out = append(
			out,
			Session{
				Device:   int64(r.IntN(6)),
				User:     int64(r.IntN(4)),
				From:     from,
				To:       from + int64(r.IntN(90)),
				Licences: int64(1 + r.IntN(3)),
				Holding:  -1,
			},
		)
	}
	return out
}

// The sweep against counting at every second; Little's law, mean concurrency = arrivals per time x mean duration, on
// the same sessions (Little 1961, Operations Research 9: 383-387).
func TestBusiestAgainstEverySecond(t *testing.T) {
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 6))
		sessions := randomSessions(r, r.IntN(40))
		if seed%2 == 0 {
			sessions = Joined(sessions)
		}
		at, most, out := Busiest(sessions)
		wantAt, want, area := int64(0), int64(0), 0.0
		const span = 600
		for now := int64(0); now < span; now++ {
			n := int64(0)
			for _, s := range sessions {
				if s.From <= now && now < s.To {
					n += s.Licences
				}
			}
			if n > want {
				want, wantAt = n, now
			}
			area += float64(n)
		}
		if most != want || at != wantAt && want > 0 {
			t.Fatalf("seed %d: %d at %d, counting every second finds %d at %d", seed, most, at, want, wantAt)
		}
		sum := int64(0)
		for _, i := range out {
			sum += sessions[i].Licences
		}
		if sum != want {
			t.Fatalf("seed %d: the sessions of the busiest moment hold %d of %d", seed, sum, want)
		}
		arrivals, duration := 0.0, 0.0
		for _, s := range sessions {
			arrivals += float64(s.Licences)
			duration += float64(s.Licences * (s.To - s.From))
		}
		if arrivals > 0 {
			if mean := arrivals / span * (duration / arrivals); math.Abs(mean-area/span) > 1e-9 {
				t.Fatalf("seed %d: Little's law gives %v, the sweep %v", seed, mean, area/span)
			}
		}
	}
}

// Ends come before starts at one moment, and sessions of one user and device count once.
func TestSessionsThatTouch(t *testing.T) {
	one := func(device, from, to int64) Session {
		return Session{Device: device, User: 1, From: from, To: to, Licences: 1, Holding: -1}
	}
	if _, n, _ := Busiest([]Session{one(1, 0, 10), one(2, 10, 20), one(3, 20, 20)}); n != 1 {
		t.Errorf("sessions that follow each other are %d at once", n)
	}
	joined := Joined([]Session{one(1, 5, 15), one(1, 0, 10), one(1, 15, 20), one(2, 0, 3)})
	if len(joined) != 2 || joined[0].From != 0 || joined[0].To != 20 {
		t.Errorf("%+v", joined)
	}
	if _, n, _ := Busiest(joined); n != 2 {
		t.Errorf("%d at once", n)
	}
}

func TestPeakUnits(t *testing.T) {
	s := Sets{}
	set := s.Of([]Priced{{}})
	f := &Found{
		Sets:     s,
		Measured: true,
		Sessions: []Session{
			{Device: 1, From: 0, To: 10, Licences: 3, Set: set, Holding: -1},
			{Device: 2, From: 5, To: 9, Licences: 2, Set: set, Holding: -1},
			{Device: 3, From: 10, To: 30, Licences: 4, Set: set, Holding: -1},
		},
	}
	d := Of(entitle.Token, f, nil)
	if len(d.Units) != 2 || d.Units[0].Count+d.Units[1].Count != 5 {
		t.Errorf("%+v", d.Units)
	}
}

// A site line covers what it may, the line that covers most first; what none reaches is one more.
func TestSites(t *testing.T) {
	s := Sets{}
	five, six := s.Of([]Priced{{Need: entitle.Need{Version: "5"}}}), s.Of([]Priced{{Need: entitle.Need{Version: "6"}}})
	at := func(unit string) entitle.Place { return entitle.Place{Unit: unit} }
	f := &Found{Sets: s, Holdings: []Holding{{Bearer: &Bearer{Device: 1, Place: at("A")}, Set: five},
		{Bearer: &Bearer{Device: 2, Place: at("A/B")}, Set: five},
		{Bearer: &Bearer{Device: 3, Place: at("C")}, Set: six}}}
	everywhere, unitA := &entitle.Line{Code: "x"}, &entitle.Line{Code: "y", ScopeUnit: "A", Version: "5"}
	for _, c := range []struct {
		lines []*entitle.Line
		want  int
	}{{nil, 1}, {[]*entitle.Line{everywhere}, 1}, {[]*entitle.Line{unitA}, 2},
		{[]*entitle.Line{unitA, everywhere}, 1}} {
		if d := Of(entitle.Site, f, c.lines); len(d.Units) != c.want {
			t.Errorf("%d lines: %d units, want %d", len(c.lines), len(d.Units), c.want)
		}
	}
	if d := Of(entitle.Site, &Found{Sets: s}, []*entitle.Line{everywhere}); len(d.Units) != 0 {
		t.Error("a site that has nothing needs nothing")
	}
}
