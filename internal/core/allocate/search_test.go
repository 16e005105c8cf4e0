package allocate

import (
	"math/rand/v2"
	"testing"
)

// randomGroups adds groups to a problem: their units are added to the sinks.
func randomGroups(r *rand.Rand, p *Problem, groups, most int) {
	for range 1 + r.IntN(groups) {
		g := Group{Count: int64(1 + r.IntN(most))}
		members := make([]int, 2+r.IntN(2))
		for i := range members {
			members[i] = r.IntN(len(p.Sinks))
			p.Sinks[members[i]].Count += g.Count
		}
		for range 1 + r.IntN(2) {
			o := Option{Sinks: []int{members[0], members[1+r.IntN(len(members)-1)]}}
			if len(members) > 2 && r.IntN(3) == 0 {
				o.Sinks = members
			}
			for i := range p.Sources {
				if r.IntN(2) == 0 {
					e := OptionEdge{Source: i, Rank: int64(3 + r.IntN(3))}
					if r.IntN(4) == 0 {
						e.Yesterday = int64(r.IntN(most + 1))
					}
					o.Edges = append(o.Edges, e)
				}
			}
			g.Options = append(g.Options, o)
		}
		p.Groups = append(p.Groups, g)
	}
}

// bruteGroups tries every number of rights over every edge of every option, and every flow of the rest.
func bruteGroups(p Problem) cost {
	type way struct {
		group int
		o     *Option
		e     OptionEdge
	}
	var ways []way
	inGroup := make([]int64, len(p.Groups))
	for g := range p.Groups {
		inGroup[g] = p.Groups[g].Count
		for o := range p.Groups[g].Options {
			for _, e := range p.Groups[g].Options[o].Edges {
				ways = append(ways, way{g, &p.Groups[g].Options[o], e})
			}
		}
	}
	best := cost{1 << 60}
	var try func(i int, rest Problem, c cost)
	try = func(i int, rest Problem, c cost) {
		if i == len(ways) {
			if got := c.plus(brute(rest)); got.less(best) {
				best = got
			}
			return
		}
		w := ways[i]
		for n := int64(0); n <= min(inGroup[w.group], rest.Sources[w.e.Source].Quantity); n++ {
			next := rest
			next.Sources = append([]Source{}, rest.Sources...)
			next.Sinks = append([]Sink{}, rest.Sinks...)
			next.Sources[w.e.Source].Quantity -= n
			fits := true
			for _, j := range w.o.Sinks {
				next.Sinks[j].Count -= n
				fits = fits && next.Sinks[j].Count >= 0
			}
			if !fits {
				break
			}
			inGroup[w.group] -= n
			try(i+1, next, c.plus(cost{0, n, n * w.e.Rank, -min(n, w.e.Yesterday)}))
			inGroup[w.group] += n
		}
	}
	try(0, p, cost{})
	return best
}

func TestGroupsAgainstBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 2026))
	searched := 0
	for i := range 10_000 {
		p := random(r, 2, 2, 1)
		for j := range p.Sources {
			p.Sources[j].Quantity = int64(r.IntN(4))
		}
		for j := range p.Sinks {
			p.Sinks[j].Count = int64(r.IntN(2))
		}
		randomGroups(r, &p, 2, 2)
		got := Solve(p)
		if score, want := score(t, p, got), bruteGroups(p); score != want {
			t.Fatalf("case %d: %v, brute force finds %v in %+v", i, score, want, p)
		}
		if !got.Proof.Best || got.Proof.Bound != got.Proof.Covered {
			t.Fatalf("case %d: found, but not shown to be the best: %+v", i, got.Proof)
		}
		if got.Proof.Looked > 3 {
			searched++
		}
	}
	if searched < 300 {
		t.Errorf("only %d cases needed a search: they are too easy", searched)
	}
}

// Some hundred users with two devices each, rights that cover both and rights that do not: the search stays short,
// and says that it is done.
func TestGroupsOfOrdinarySize(t *testing.T) {
	for _, c := range []struct {
		both, one, users int64
		covered          int64
	}{
		{100, 0, 300, 200}, {300, 0, 300, 600}, {500, 500, 300, 600}, {100, 350, 300, 550}, {100, 900, 300, 600},
		{0, 450, 300, 450},
	} {
		p := Problem{Sources: []Source{{c.both}, {c.one}}, Sinks: []Sink{{c.users, 100}, {c.users, 100}},
			Edges: []Edge{{Source: 0, Sink: 0}, {Source: 0, Sink: 1}, {Source: 1, Sink: 0}, {Source: 1, Sink: 1}},
			Groups: []Group{
				{Count: c.users, Options: []Option{{Sinks: []int{0, 1}, Edges: []OptionEdge{{Source: 0, Rank: 5}}}}},
			}}
		r := Solve(p)
		var got int64
		for _, n := range Covered(p, r) {
			got += n
		}
		if got != c.covered || !r.Proof.Best || r.Proof.Looked > 400 {
			t.Errorf("%+v: %d covered, %+v", c, got, r.Proof)
		}
	}
}

// What was changed after it was found is no longer shown to be the best, or not even allowed.
func TestCheckSeesWhatIsWrong(t *testing.T) {
	p := Problem{Sources: []Source{{2}, {2}}, Sinks: []Sink{{2, 1},
		{2, 1}}, Edges: []Edge{{Source: 0, Sink: 0, Rank: 1}, {Source: 0, Sink: 1}, {Source: 1, Sink: 0}}}
	r := Solve(p)
	if proof, ok := Check(p, r); !ok || !proof.Best || proof.Bound != 4 {
		t.Fatalf("%+v", proof)
	}
	if proof, ok := Check(p, Result{Flow: []int64{2, 0, 0}}); !ok || proof.Best {
		t.Errorf("first-fit is said to be the best: %+v", proof)
	}
	if _, ok := Check(p, Result{Flow: []int64{3, 0, 0}}); ok {
		t.Error("more rights given out than there are")
	}
}

// One right more of a line is worth what it would cover.
func TestWorthOfOneMore(t *testing.T) {
	p := Problem{Sources: []Source{{1}, {5}}, Sinks: []Sink{{3, 70}, {2, 20}}, Edges: []Edge{{Source: 0, Sink: 0},
		{Source: 1, Sink: 1}}}
	if w := Solve(p).Proof.Worth; w[0] != 70 || w[1] != 0 {
		t.Errorf("worth %v", w)
	}
}

func BenchmarkSolveGroups(b *testing.B) {
	r := rand.New(rand.NewPCG(3, 3))
	p := random(r, 6, 12, 40)
	randomGroups(r, &p, 6, 60)
	for b.Loop() {
		Solve(p)
	}
}
