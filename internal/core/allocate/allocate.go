// Package allocate finds the best allocation of rights to demand.
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

// Problem is a network of rights and demand. Sources, sinks and edges come in an order that the caller fixes, which makes the
// answer the same for the same input.
type Problem struct {
	Sources []Source
	Sinks   []Sink
	Edges   []Edge
}

// Flow says how many units each edge carries.
type Flow []int64

// cost is compared part by part: the value left uncovered (negated value covered), then ranks, then units that moved away from
// yesterday's way.
type cost [3]int64

func (c cost) less(d cost) bool {
	for i := range c {
		if c[i] != d[i] {
			return c[i] < d[i]
		}
	}
	return false
}

func (c cost) plus(d cost) cost  { return cost{c[0] + d[0], c[1] + d[1], c[2] + d[2]} }
func (c cost) minus(d cost) cost { return cost{c[0] - d[0], c[1] - d[1], c[2] - d[2]} }

// arc is a residual arc; arcs stand in pairs, an arc and its reverse at index^1.
type arc struct {
	to       int
	capacity int64
	cost     cost
}

type network struct {
	arcs []arc
	out  [][]int // arcs by node
}

func (n *network) add(from, to int, capacity int64, c cost) int {
	id := len(n.arcs)
	n.arcs = append(n.arcs, arc{to, capacity, c}, arc{from, 0, cost{}.minus(c)})
	n.out[from] = append(n.out[from], id)
	n.out[to] = append(n.out[to], id+1)
	return id
}

// Solve returns the flow that leaves the least value uncovered; of those the one with the least sum of ranks; of those the one
// with the least change against yesterday, counted in units that no longer go the way they went; of those one that is fixed by the order
// of the input.
//
// It is a minimum-cost flow by successive shortest paths over vectors of costs compared in order, which is exact since such vectors
// form an ordered group (Ahuja, Magnanti, Orlin, Network Flows, 1993, section 9.7; from memory). Paths are found by label correction, as residual
// costs may be negative. With L sources, C sinks and E edges a path takes at most (L+C)·E steps; there are at most as many
// paths as saturations, in practice about L+C.
func Solve(p Problem) Flow {
	s, t := 0, 1+len(p.Sources)+len(p.Sinks)
	n := &network{out: make([][]int, t+1)}
	for i, src := range p.Sources {
		n.add(s, 1+i, src.Quantity, cost{})
	}
	type split struct{ kept, fresh int }
	ways := make([]split, len(p.Edges))
	for i, e := range p.Edges {
		from, to := 1+e.Source, 1+len(p.Sources)+e.Sink
		ways[i] = split{-1, -1}
		if e.Yesterday > 0 {
			ways[i].kept = n.add(from, to, e.Yesterday, cost{0, e.Rank, -1})
		}
		ways[i].fresh = n.add(from, to, 1<<60, cost{0, e.Rank, 0})
	}
	for i, sink := range p.Sinks {
		n.add(1+len(p.Sources)+i, t, sink.Count, cost{-sink.Value, 0, 0})
	}
	for n.augment(s, t) {
	}
	flow := make(Flow, len(p.Edges))
	for i, w := range ways {
		flow[i] = n.arcs[w.fresh^1].capacity
		if w.kept >= 0 {
			flow[i] += n.arcs[w.kept^1].capacity
		}
	}
	return flow
}

// augment sends as much as fits along the cheapest path from s to t. It reports false when there is none.
func (n *network) augment(s, t int) bool {
	dist := make([]cost, len(n.out))
	via := make([]int, len(n.out))
	for i := range via {
		via[i] = -1
	}
	queued := make([]bool, len(n.out))
	queue := []int{s}
	for len(queue) > 0 {
		u := queue[0]
		queue = queue[1:]
		queued[u] = false
		for _, id := range n.out[u] {
			a := &n.arcs[id]
			if a.capacity == 0 || a.to == s {
				continue
			}
			d := dist[u].plus(a.cost)
			if via[a.to] >= 0 && !d.less(dist[a.to]) {
				continue
			}
			dist[a.to], via[a.to] = d, id
			if !queued[a.to] {
				queued[a.to] = true
				queue = append(queue, a.to)
			}
		}
	}
	if via[t] < 0 {
		return false
	}
	amount := int64(1 << 60)
	for v := t; v != s; v = n.arcs[via[v]^1].to {
		amount = min(amount, n.arcs[via[v]].capacity)
	}
	for v := t; v != s; v = n.arcs[via[v]^1].to {
		n.arcs[via[v]].capacity -= amount
		n.arcs[via[v]^1].capacity += amount
	}
	return true
}

// Covered sums a flow by sink.
func Covered(p Problem, f Flow) []int64 {
	out := make([]int64, len(p.Sinks))
	for i, e := range p.Edges {
		out[e.Sink] += f[i]
	}
	return out
}

// Used sums a flow by source.
func Used(p Problem, f Flow) []int64 {
	out := make([]int64, len(p.Sources))
	for i, e := range p.Edges {
		out[e.Source] += f[i]
	}
	return out
}
