// Package allocate finds the best allocation of rights to demand, and shows that it is.
package allocate

// Source is a right that can be given out Quantity times.
type Source struct{ Quantity int64 }

// Sink is a class of Count demand units with the same attributes, each worth Value (above 0).
type Sink struct{ Count, Value int64 }

// Edge says that a source may cover a sink, at a rank (0 is best). Yesterday is how many units went this way last time.
type Edge struct {
	Source, Sink int
	Rank         int64
	Yesterday    int64
}

// Group is a class of Count like groups of demand units of which one right may cover several together: the devices of
// a user, the virtual machines of a host. In each group one option at most is taken, for one right.
type Group struct {
	Count   int64
	Options []Option
}

// Option is a set of units of a group, given by their sinks, with the sources of which one right covers them all.
type Option struct {
	Sinks []int // with repeats
	Edges []OptionEdge
}

// OptionEdge says that a right of a source covers all units of an option, at the sum of their ranks.
type OptionEdge struct {
	Source    int
	Rank      int64
	Yesterday int64
}

// Problem is a network of rights and demand. Sources, sinks, edges and groups come in an order that the caller fixes,
// which makes the answer the same for the same input. The units of groups are among those that the sinks count.
type Problem struct {
	Sources []Source
	Sinks   []Sink
	Edges   []Edge
	Groups  []Group
}

// Result says how many units each edge carries, and how many rights go over each edge of each option of each group.
// Proof says how good that is.
type Result struct {
	Flow   []int64
	Groups [][][]int64
	Proof  Proof
}

// mostNodes bounds the search over options. What it has not looked at by then is said in the proof.
const mostNodes = 1500

// Solve returns the allocation that leaves the least value uncovered; of those one that uses the fewest rights (what
// needs none of its own takes none); of those one with the least sum of ranks; of those one with the least change
// against yesterday, counted in units that no longer go the way they went; of those one that is fixed by the order of
// the input.
//
// Without groups it is a minimum-cost flow by successive shortest paths over vectors of costs compared in order,
// which is exact since such vectors form an ordered group (Ahuja, Magnanti, Orlin, Network Flows, 1993, section 9.7;
// from memory). With groups, how often each option is taken is searched by branch and bound; what is left once that
// is fixed is such a flow, and the bound is a Lagrangian relaxation of the counts of units (Fisher 1981, Management
// Science 27: 1-18; from memory).
func Solve(p Problem) Result {
	s := &search{p: p}
	for g := range p.Groups {
		for o := range p.Groups[g].Options {
			s.options = append(s.options, optionAt{g, o})
		}
	}
	if len(s.options) == 0 {
		leaf := s.solve(nil, nil)
		return Result{Flow: leaf.flow, Proof: prove(p, leaf)}
	}
	return s.run()
}

// Covered sums a result by sink.
func Covered(p Problem, r Result) []int64 {
	out := make([]int64, len(p.Sinks))
	for i, e := range p.Edges {
		out[e.Sink] += r.Flow[i]
	}
	for g, options := range r.Groups {
		for o, edges := range options {
			for _, n := range edges {
				for _, sink := range p.Groups[g].Options[o].Sinks {
					out[sink] += n
				}
			}
		}
	}
	return out
}

// Used sums a result by source.
func Used(p Problem, r Result) []int64 {
	out := make([]int64, len(p.Sources))
	for i, e := range p.Edges {
		out[e.Source] += r.Flow[i]
	}
	for g, options := range r.Groups {
		for o, edges := range options {
			for k, n := range edges {
				out[p.Groups[g].Options[o].Edges[k].Source] += n
			}
		}
	}
	return out
}

type optionAt struct{ group, option int }

// leaf is a flow with what it costs, and its network for prices.
type leaf struct {
	flow  []int64   // by edge
	taken [][]int64 // by option, by edge
	cost  cost
	net   *network
	arcs  struct{ source, sink []int }
}

type search struct {
	p       Problem
	options []optionAt
	shared  []bool // sinks that options ask for
	nodes   int
}

func (s *search) option(i int) *Option {
	return &s.p.Groups[s.options[i].group].Options[s.options[i].option]
}

// solve finds the best flow where option i is offered most[i] times, each unit of sink j has a price in prices, and
// the units that least[i] options hold back are not offered singly. Without prices and with least = most it is the
// best allocation with these options.
func (s *search) solve(least, most []int64) *leaf {
	return s.priced(least, most, nil)
}

func (s *search) priced(least, most []int64, prices []cost) *leaf {
	p := &s.p
	price := func(j int) cost {
		if prices == nil {
			return cost{}
		}
		return prices[j]
	}
	first := 1 + len(p.Sources) + len(p.Sinks) // nodes of options, then of groups
	from, to := 0, first+len(s.options)+len(p.Groups)
	l := &leaf{net: &network{out: make([][]int, to+1)}}
	n := l.net
	for i, src := range p.Sources {
		l.arcs.source = append(l.arcs.source, n.add(from, 1+i, src.Quantity, cost{0, 1}))
	}
	type split struct{ kept, fresh int }
	way := func(a, b int, rank, yesterday int64) split {
		w := split{-1, -1}
		if yesterday > 0 {
			w.kept = n.add(a, b, yesterday, cost{0, 0, rank, -1})
		}
		w.fresh = n.add(a, b, 1<<60, cost{0, 0, rank, 0})
		return w
	}
	ways := make([]split, len(p.Edges))
	for i, e := range p.Edges {
		ways[i] = way(1+e.Source, 1+len(p.Sources)+e.Sink, e.Rank, e.Yesterday)
	}
	single := make([]int64, len(p.Sinks))
	for j, sink := range p.Sinks {
		single[j] = sink.Count
	}
	for i := range s.options {
		for _, j := range s.option(i).Sinks {
			single[j] -= least[i]
		}
	}
	for j, sink := range p.Sinks {
		l.arcs.sink = append(
			l.arcs.sink,
			n.add(1+len(p.Sources)+j, to, max(0, single[j]), cost{-sink.Value}.plus(price(j))),
		)
	}
	taken := make([][]split, len(s.options))
	for i := range s.options {
		o := s.option(i)
		node := first + i
		for _, e := range o.Edges {
			taken[i] = append(taken[i], way(1+e.Source, node, e.Rank, e.Yesterday))
		}
		worth := cost{}
		for _, j := range o.Sinks {
			worth = worth.plus(cost{-p.Sinks[j].Value}).plus(price(j))
		}
		n.add(node, first+len(s.options)+s.options[i].group, most[i], worth)
	}
	for g := range p.Groups {
		n.add(first+len(s.options)+g, to, p.Groups[g].Count, cost{})
	}
	for n.augment(from, to) {
	}
	carried := func(w split) int64 {
		sum := n.flow(w.fresh)
		if w.kept >= 0 {
			sum += n.flow(w.kept)
		}
		return sum
	}
	l.flow = make([]int64, len(p.Edges))
	for i, w := range ways {
		l.flow[i] = carried(w)
	}
	l.taken = make([][]int64, len(s.options))
	for i := range taken {
		for _, w := range taken[i] {
			l.taken[i] = append(l.taken[i], carried(w))
		}
	}
	for id := 0; id < len(n.arcs); id += 2 {
		l.cost = l.cost.plus(n.arcs[id].cost.times(n.flow(id)))
	}
	for j, c := range prices { // the constant of the relaxation
		l.cost = l.cost.minus(c.times(p.Sinks[j].Count))
	}
	return l
}
