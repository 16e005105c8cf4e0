package demand

import (
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/entitle"
)

func need(edition, v string, value int64) Priced {
	return Priced{Need: entitle.Need{Edition: edition, Version: v}, Value: value}
}

func TestSetsAreOneForTheSameNeeds(t *testing.T) {
	s := Sets{}
	a := s.Of([]Priced{need("", "5", 10), need("", "6", 30)})
	b := s.Of([]Priced{need("", "6", 30), need("", "5", 10), need("", "6", 30)})
	if a != b || a.Value != 30 || len(a.Needs) != 2 {
		t.Errorf("%+v, %+v", a, b)
	}
	if s.Of([]Priced{need("", "5", 10)}) == a || len(s) != 2 {
		t.Error("different needs share a set")
	}
}

func TestUnits(t *testing.T) {
	s := Sets{}
	one, two := s.Of([]Priced{need("Basic", "5", 0)}), s.Of([]Priced{need("Pro", "5", 0)})
	both := s.Of([]Priced{need("Basic", "5", 0), need("Pro", "5", 0)})
	holdings := []Holding{
		{Bearer: &Bearer{Device: 1, User: 7, Fresh: true}, Set: one}, {Bearer: &Bearer{Device: 2, User: 7}, Set: two},
		{Bearer: &Bearer{Device: 3}, Set: one},
		{Bearer: &Bearer{Device: 4, User: 8}, Set: both, Editions: []*Set{one, two}},
	}
	persons := []Person{{User: 8, Set: one, Why: "used"}, {User: 9, Set: one, Why: "assigned"}}
	for m, want := range map[entitle.Metric]int{entitle.Device: 4, entitle.Installation: 5, entitle.NamedUser: 4,
		entitle.Core: 4, entitle.VirtualMachine: 0} {
		if got := Of(m, &Found{Holdings: holdings, Persons: persons, Sets: s}, nil).Units; len(got) != want {
			t.Errorf("%s: %d units, want %d: %+v", m, len(got), want, got)
		}
	}
	for _, u := range Of(entitle.NamedUser, &Found{Holdings: holdings, Persons: persons, Sets: s}, nil).Units {
		if u.User == 7 && (u.Set != both || !u.Fresh) {
			t.Errorf("the user of two devices needs what both have, and is fresh by one: %+v", u)
		}
		if u.User == 8 && !u.Fresh {
			t.Error("who used it in the window is known by fresh evidence")
		}
	}
}

// Who and what is counted, as published guides to rights by user, by device and for use at one time explain them (from
// memory): a workplace with three machines and one person, one machine in three shifts, and an office of both.
func TestUsersAndDevicesPublished(t *testing.T) {
	s := Sets{}
	set := s.Of([]Priced{need("", "1", 0)})
	const shift = 8 * 3600
	type used struct{ device, user, from, to int64 }
	for _, c := range []struct {
		name                      string
		main                      []int64 // main users of devices 1, 2, ...; 0 is nobody's
		uses                      []used
		users, devices, atOneTime int
	}{
		{
			"one person with a desktop, a portable and a tablet", []int64{1, 1, 1},
			[]used{{1, 1, 0, 100}, {2, 1, 200, 300}, {3, 1, 400, 500}}, 1, 3, 1,
		},
		{
			"three nurses on the ward's one machine, one after the other", []int64{1},
			[]used{{1, 1, 0, shift}, {1, 2, shift, 2 * shift}, {1, 3, 2 * shift, 3 * shift}}, 3, 1, 1,
		},
		{
			"an office of four, of whom two share a machine", []int64{1, 2, 3},
			[]used{{1, 1, 0, 100}, {2, 2, 50, 150}, {3, 3, 90, 95}, {3, 4, 200, 300}}, 4, 3, 3,
		},
		{
			"ten students, two machines in class that two of them look after", []int64{1, 2}, []used{
				{1, 1, 0, 10}, {2, 2, 0, 10}, {1, 3, 10, 20}, {2, 4, 10, 20}, {1, 5, 20, 30}, {2, 6, 20, 30},
				{1, 7, 30, 40}, {2, 8, 30, 40}, {1, 9, 40, 50}, {2, 10, 40, 50},
			}, 10, 2, 2,
		},
	} {
		f := &Found{Sets: s, Measured: true}
		for i, user := range c.main {
			b := &Bearer{Device: int64(i + 1), User: user}
			f.Holdings = append(f.Holdings, Holding{Bearer: b, Set: set})
		}
		for _, u := range c.uses {
			f.Persons = append(f.Persons, Person{User: u.user, Set: set, Why: "used"})
			f.Sessions = append(f.Sessions, Session{
				Device: u.device, User: u.user, From: u.from, To: u.to, Licences: 1, Set: set, Holding: -1,
			})
		}
		for m, want := range map[entitle.Metric]int{
			entitle.NamedUser: c.users, entitle.Device: c.devices, entitle.Concurrent: c.atOneTime,
		} {
			if got := len(Of(m, f, nil).Units); got != want {
				t.Errorf("%s: %d by %s, want %d", c.name, got, m, want)
			}
		}
	}
}

// Named users by a plain set, on random estates.
func TestNamedUsersAgainstANaiveCount(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 2))
		s := Sets{}
		var holdings []Holding
		var persons []Person
		users, nobody := map[int64]bool{}, 0
		for d := range r.IntN(30) {
			u := int64(r.IntN(8))
			holdings = append(
				holdings,
				Holding{Bearer: &Bearer{Device: int64(d + 1), User: u}, Set: s.Of([]Priced{need("", "1", 0)})},
			)
			if u == 0 {
				nobody++
			} else {
				users[u] = true
			}
		}
		for range r.IntN(6) {
			u := int64(1 + r.IntN(12))
			persons = append(persons, Person{User: u, Set: s.Of([]Priced{need("", "2", 0)})})
			users[u] = true
		}
		if got := len(Of(entitle.NamedUser, &Found{Holdings: holdings, Persons: persons, Sets: s},
			nil).Units); got != len(
			users,
		)+nobody {
			t.Fatalf("seed %d: %d, want %d", seed, got, len(users)+nobody)
		}
	}
}

// Several versions on one device are one unit of demand, or one each where any line says so; another edition is
// another unit either way. Brute force on random devices.
func TestVersionsOfOneDevice(t *testing.T) {
	once, each := &entitle.Line{}, &entitle.Line{VersionsCounted: entitle.Each}
	r := rand.New(rand.NewPCG(11, 4))
	for range 200 {
		s := Sets{}
		var holdings []Holding
		editions, versions := 0, 0
		for d := range int64(r.IntN(8)) {
			by := map[string]map[string]bool{}
			var all []Priced
			var order []string
			for range 1 + r.IntN(5) {
				n := need([]string{"", "Pro"}[r.IntN(2)], []string{"5", "6", "7"}[r.IntN(3)], int64(r.IntN(3)))
				all = append(all, n)
				if by[n.Edition] == nil {
					by[n.Edition] = map[string]bool{}
					order = append(order, n.Edition)
				}
				by[n.Edition][n.Version] = true
			}
			h := Holding{Bearer: &Bearer{Device: d + 1}, Set: s.Of(all)}
			for _, edition := range order {
				var part []Priced
				for _, n := range all {
					if n.Edition == edition {
						part = append(part, n)
					}
				}
				editions, versions = editions+1, versions+len(by[edition])
				if len(order) > 1 {
					h.Editions = append(h.Editions, s.Of(part))
				}
			}
			holdings = append(holdings, h)
		}
		f := &Found{Holdings: holdings, Sets: s}
		if got := len(Of(entitle.Installation, f, []*entitle.Line{once}).Units); got != editions {
			t.Fatalf("once: %d units, want %d", got, editions)
		}
		units := Of(entitle.Installation, f, []*entitle.Line{once, each}).Units
		if len(units) != versions {
			t.Fatalf("each: %d units, want %d", len(units), versions)
		}
		for _, u := range units {
			if len(u.Set.Needs) != 1 || len(u.Holdings) != 1 || holdings[u.Holdings[0]].Device != u.Device {
				t.Fatalf("%+v", u)
			}
		}
	}
}
