package allocate

// Proof shows how good an allocation is. Covered is the value that it covers; Bound is a value that no allocation can
// exceed. Best says that the two meet and that of the allocations with this value none is better in what comes after.
// Worth is, for each source, the value that one more right of it would cover. Looked is how many parts of the search
// over groups were looked at; 0 where there was nothing to search.
type Proof struct {
	Covered, Bound int64
	Best           bool
	Looked         int
	Worth          []int64
}

// prove takes dual prices from the residual network of a flow: a price for each unit of a source and of a sink, none
// below zero, which together pay for each edge at least what it brings. Weak duality says that no flow brings more
// than all units at these prices; when the flow brings just that, it is the best.
func prove(p Problem, l *leaf) Proof {
	out := Proof{Covered: -l.cost[0], Worth: make([]int64, len(p.Sources))}
	n := l.net
	t := len(n.out) - 1
	// The potential of a node is the least cost from it to the end, where what flows may also be taken back; no
	// better path than none is left.
	dist := make([]cost, len(n.out))
	for changed, rounds := true, 0; changed; rounds++ {
		if changed = false; rounds > len(n.out) {
			return out // a cycle that makes it better: not the best
		}
		for u := range n.out {
			if u == t {
				continue
			}
			for _, id := range n.out[u] {
				if a := &n.arcs[id]; a.capacity > 0 {
					if d := dist[a.to].plus(a.cost); d.less(dist[u]) {
						dist[u], changed = d, true
					}
				}
			}
		}
	}
	// dist is at most 0, since giving back nothing is always possible: a source's price is what one more right saves,
	// less the right itself.
	bound := cost{}
	for id := 0; id < len(n.arcs); id += 2 { // each arc pays at most its reduced cost for its whole capacity
		from, to := n.arcs[id^1].to, n.arcs[id].to
		reduced := n.arcs[id].cost.plus(dist[to]).minus(dist[from])
		if whole := n.arcs[id].capacity + n.flow(id); reduced.less(cost{}) {
			bound = bound.plus(reduced.times(whole))
		}
	}
	if dist[0].less(cost{}) { // something still makes it better, and these prices pay for nothing
		return out
	}
	for i := range p.Sources {
		if d := dist[1+i].plus(cost{0, 1}); d.less(cost{}) {
			out.Worth[i] = -d[0]
		}
	}
	out.Bound = -bound[0]
	out.Best = bound == l.cost
	return out
}

// Check shows, without trusting how a result was found, that it is allowed and how good it is. It is there to be run
// by whoever doubts. Results with groups are checked for being allowed alone; their bound comes from the search.
func Check(p Problem, r Result) (Proof, bool) {
	used, covered := Used(p, r), Covered(p, r)
	for i, n := range used {
		if n < 0 || n > p.Sources[i].Quantity {
			return Proof{}, false
		}
	}
	for j, n := range covered {
		if n < 0 || n > p.Sinks[j].Count {
			return Proof{}, false
		}
	}
	for g, options := range r.Groups {
		sum := int64(0)
		for _, edges := range options {
			for _, n := range edges {
				sum += n
			}
		}
		if sum > p.Groups[g].Count {
			return Proof{}, false
		}
	}
	if len(p.Groups) > 0 {
		return r.Proof, true
	}
	// The network of the given flow, from nothing.
	empty := Problem{Sources: make([]Source, len(p.Sources)), Sinks: p.Sinks, Edges: p.Edges}
	l := (&search{p: empty}).solve(nil, nil)
	l.flow, l.cost = r.Flow, cost{}
	id := 0
	put := func(capacity, n int64) {
		l.net.arcs[id].capacity, l.net.arcs[id^1].capacity = capacity-n, n
		l.cost = l.cost.plus(l.net.arcs[id].cost.times(n))
		id += 2
	}
	for i := range p.Sources {
		put(p.Sources[i].Quantity, used[i])
	}
	for i, e := range p.Edges {
		kept := int64(0)
		if e.Yesterday > 0 {
			kept = min(e.Yesterday, r.Flow[i])
			put(e.Yesterday, kept)
		}
		put(1<<60, r.Flow[i]-kept)
	}
	for j := range p.Sinks {
		put(p.Sinks[j].Count, covered[j])
	}
	return prove(p, l), true
}
