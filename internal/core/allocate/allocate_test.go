package allocate

import (
	"math/rand/v2"
	"slices"
	"testing"

	"gonum.org/v1/gonum/mat"
	"gonum.org/v1/gonum/optimize/convex/lp"
)

// score rates a flow in the order of the objectives, or says that it is not allowed.
func score(t *testing.T, p Problem, f Result) cost {
	t.Helper()
	c := cost{}
	for i, n := range Used(p, f) {
		c[1] += n
		if n > p.Sources[i].Quantity {
			t.Fatalf("source %d gives out %d of %d", i, n, p.Sources[i].Quantity)
		}
	}
	for i, n := range Covered(p, f) {
		if n > p.Sinks[i].Count {
			t.Fatalf("sink %d is covered %d times for %d", i, n, p.Sinks[i].Count)
		}
		c[0] += (p.Sinks[i].Count - n) * p.Sinks[i].Value
	}
	for i, e := range p.Edges {
		if f.Flow[i] < 0 {
			t.Fatalf("edge %d carries %d", i, f.Flow[i])
		}
		c[2] += f.Flow[i] * e.Rank
		c[3] -= min(f.Flow[i], e.Yesterday)
	}
	for g, options := range f.Groups {
		taken := int64(0)
		for o, edges := range options {
			for k, n := range edges {
				e := p.Groups[g].Options[o].Edges[k]
				taken += n
				c[2] += n * e.Rank
				c[3] -= min(n, e.Yesterday)
			}
		}
		if taken > p.Groups[g].Count {
			t.Fatalf("group %d takes %d options of %d", g, taken, p.Groups[g].Count)
		}
	}
	return c
}

func random(r *rand.Rand, sources, sinks, most int) Problem {
	var p Problem
	for range 1 + r.IntN(sources) {
		p.Sources = append(p.Sources, Source{int64(r.IntN(most + 1))})
	}
	for range 1 + r.IntN(sinks) {
		p.Sinks = append(p.Sinks, Sink{int64(1 + r.IntN(most)), int64(1 + r.IntN(4))})
	}
	for i := range p.Sources {
		for j := range p.Sinks {
			if r.IntN(3) > 0 {
				e := Edge{Source: i, Sink: j, Rank: int64(r.IntN(4))}
				if r.IntN(3) == 0 {
					e.Yesterday = int64(r.IntN(most + 1))
				}
				p.Edges = append(p.Edges, e)
			}
		}
	}
	return p
}

// brute tries every flow and returns the least score.
func brute(p Problem) cost {
	left := make([]int64, len(p.Sources))
	for i, s := range p.Sources {
		left[i] = s.Quantity
	}
	open := make([]int64, len(p.Sinks))
	var start cost
	for i, s := range p.Sinks {
		open[i] = s.Count
		start[0] += s.Count * s.Value
	}
	best := start
	var try func(edge int, c cost)
	try = func(edge int, c cost) {
		if edge == len(p.Edges) {
			if c.less(best) {
				best = c
			}
			return
		}
		e := p.Edges[edge]
		most := min(left[e.Source], open[e.Sink])
		for n := int64(0); n <= most; n++ {
			left[e.Source] -= n
			open[e.Sink] -= n
			try(edge+1, c.plus(cost{-n * p.Sinks[e.Sink].Value, n, n * e.Rank, -min(n, e.Yesterday)}))
			left[e.Source] += n
			open[e.Sink] += n
		}
	}
	try(0, start)
	return best
}

func TestAgainstBruteForce(t *testing.T) {
	r := rand.New(rand.NewPCG(20260630, 4))
	for i := range 12_000 {
		p := random(r, 3, 3, 3)
		r := Solve(p)
		if got, want := score(t, p, r), brute(p); got != want {
			t.Fatalf("case %d: %v, brute force finds %v in %+v", i, got, want, p)
		}
		if proof, ok := Check(p, r); !ok || !proof.Best || !r.Proof.Best || proof.Bound != proof.Covered {
			t.Fatalf("case %d: the best is not shown to be: %+v, %+v", i, proof, r.Proof)
		}
	}
}

// The same optimum by gonum's simplex method, which solves the linear programme of the transport problem. Objectives
// are put in one by weights large enough to keep their order on these sizes.
func TestAgainstLinearProgramming(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 11))
	const wValue, wUsed, wRank = 1e6, 1e3, 1e0
	for i := range 1000 {
		p := random(r, 6, 8, 12)
		for k := range p.Edges {
			p.Edges[k].Yesterday = 0
		}
		if len(p.Edges) == 0 {
			continue
		}
		// Variables: edges, then uncovered units by sink, then spare units by source; equalities at both ends.
		vars := len(p.Edges) + len(p.Sinks) + len(p.Sources)
		c := make([]float64, vars)
		a := mat.NewDense(len(p.Sources)+len(p.Sinks), vars, nil)
		b := make([]float64, len(p.Sources)+len(p.Sinks))
		for k, e := range p.Edges {
			c[k] = wUsed + wRank*float64(e.Rank)
			a.Set(e.Source, k, 1)
			a.Set(len(p.Sources)+e.Sink, k, 1)
		}
		for j, s := range p.Sinks {
			c[len(p.Edges)+j] = wValue * float64(s.Value)
			a.Set(len(p.Sources)+j, len(p.Edges)+j, 1)
			b[len(p.Sources)+j] = float64(s.Count)
		}
		for j, s := range p.Sources {
			a.Set(j, len(p.Edges)+len(p.Sinks)+j, 1)
			b[j] = float64(s.Quantity)
		}
		want, _, err := lp.Simplex(c, a, b, 1e-9, nil)
		if err != nil {
			t.Fatalf("case %d: the simplex method says %v", i, err)
		}
		s := score(t, p, Solve(p))
		if got := wValue*float64(s[0]) + wUsed*float64(s[1]) + wRank*float64(s[2]); got-want > 1e-2 ||
			want-got > 1e-2 {
			t.Fatalf("case %d: %v, the simplex method finds %v", i, got, want)
		}
	}
}

// computation.md's example: first-fit leaves two machines short, the best leaves none.
func TestFirstFitIsNotEnough(t *testing.T) {
	p := Problem{
		Sources: []Source{{2}, {2}}, // A covers up to version 5, B version 3 only
		Sinks:   []Sink{{2, 1}, {2, 1}},
		Edges:   []Edge{{Source: 0, Sink: 0, Rank: 1}, {Source: 0, Sink: 1}, {Source: 1, Sink: 0}},
	}
	if got := Covered(p, Solve(p)); !slices.Equal(got, []int64{2, 2}) {
		t.Errorf("covered %v", got)
	}
}

func TestYesterdayIsKeptWhereNothingElseSpeaks(t *testing.T) {
	p := Problem{Sources: []Source{{5}, {5}}, Sinks: []Sink{{4, 1}}, Edges: []Edge{{Source: 0},
		{Source: 1, Yesterday: 3}}}
	if f := Solve(p).Flow; f[1] < 3 {
		t.Errorf("flow %v moved away from yesterday's", f)
	}
	again := p
	again.Edges = slices.Clone(p.Edges)
	first := Solve(p).Flow
	for i := range again.Edges {
		again.Edges[i].Yesterday = first[i]
	}
	if second := Solve(again).Flow; !slices.Equal(first, second) {
		t.Errorf("the same day twice: %v, then %v", first, second)
	}
}

func TestLargeCountsStaySmallNetworks(t *testing.T) {
	p := Problem{Sources: []Source{{1 << 40}}, Sinks: []Sink{{1 << 39, 99_900}}, Edges: []Edge{{}}}
	if f := Solve(p).Flow; f[0] != 1<<39 {
		t.Errorf("flow %v", f)
	}
}

func BenchmarkSolve(b *testing.B) {
	r := rand.New(rand.NewPCG(1, 2))
	p := random(r, 1, 1, 1)
	p.Sources, p.Sinks, p.Edges = nil, nil, nil
	for i := range 40 {
		p.Sources = append(p.Sources, Source{int64(r.IntN(500))})
		for j := range 300 {
			if r.IntN(3) == 0 {
				p.Edges = append(p.Edges, Edge{Source: i, Sink: j, Rank: int64(r.IntN(4))})
			}
		}
	}
	for range 300 {
		p.Sinks = append(p.Sinks, Sink{int64(1 + r.IntN(60)), int64(1 + r.IntN(5)*100)})
	}
	for b.Loop() {
		Solve(p)
	}
}
