package allocate

import "slices"

// node is a part of the search: option i is taken between least[i] and most[i] times.
type node struct {
	least, most []int64
	bound       cost
	prices      []cost // of the parent, nil at the root
}

// run searches how often each option is taken. The best found is exact when the search comes to its end before
// mostNodes.
func (s *search) run() Result {
	s.shared = make([]bool, len(s.p.Sinks))
	for i := range s.options {
		for _, j := range s.option(i).Sinks {
			s.shared[j] = true
		}
	}
	root := node{least: make([]int64, len(s.options)), most: make([]int64, len(s.options))}
	for i, at := range s.options {
		root.most[i] = s.p.Groups[at.group].Count
	}
	var best *leaf
	consider := func(counts []int64) *leaf {
		s.fit(counts)
		l := s.solve(counts, counts)
		if best == nil || l.cost.less(best.cost) {
			best = l
		}
		return l
	}
	consider(slices.Clone(root.most))
	consider(make([]int64, len(s.options)))
	open := []node{root}
	worst := cost{} // the least bound of what was not looked at
	given := false
	for len(open) > 0 {
		n := open[len(open)-1]
		open = open[:len(open)-1]
		if s.nodes++; s.nodes > mostNodes {
			for _, left := range append(open, n) {
				if !given || left.bound.less(worst) {
					worst, given = left.bound, true
				}
			}
			break
		}
		if !s.possible(&n) {
			continue
		}
		relaxed, split := s.bound(&n, best)
		if !n.bound.less(best.cost) {
			continue
		}
		l := consider(relaxed)
		if !n.bound.less(l.cost) || split < 0 {
			continue
		}
		at := min(max(relaxed[split], n.least[split]), n.most[split]-1)
		low, high := n, n
		low.most, high.least = slices.Clone(n.most), slices.Clone(n.least)
		low.most[split], high.least[split] = at, at+1
		open = append(open, low, high)
	}
	proof := prove(s.p, best)
	proof.Looked = s.nodes
	proof.Bound = -best.cost[0]
	proof.Best = !given || !worst.less(best.cost)
	if given {
		proof.Bound = max(proof.Bound, -worst[0])
	}
	return s.result(best, proof)
}

// possible reports whether no group must take more options than it has members.
func (s *search) possible(n *node) bool {
	inGroup := make([]int64, len(s.p.Groups))
	for i, at := range s.options {
		inGroup[at.group] += n.least[i]
	}
	for g, k := range inGroup {
		if k > s.p.Groups[g].Count {
			return false
		}
	}
	return true
}

// fit lowers counts until no group takes more options than it has members, and no sink more units than it has.
func (s *search) fit(counts []int64) {
	inGroup := make([]int64, len(s.p.Groups))
	inSink := make([]int64, len(s.p.Sinks))
	for i, at := range s.options {
		n := min(counts[i], s.p.Groups[at.group].Count-inGroup[at.group])
		times := map[int]int64{}
		for _, j := range s.option(i).Sinks {
			times[j]++
		}
		for j, k := range times {
			n = min(n, (s.p.Sinks[j].Count-inSink[j])/k)
		}
		counts[i] = max(0, n)
		inGroup[at.group] += counts[i]
		for j, k := range times {
			inSink[j] += counts[i] * k
		}
	}
}

// rounds is how often prices are bettered at the root, and fewer at each node below it, which starts from its parent's.
const rounds, roundsBelow = 40, 4

// bound finds a lower bound on the cost of everything in a node, the counts that its relaxation took, and an option
// to split the node at (-1 where nothing is open). The relaxation lets options and single units count the same units;
// prices on units make that dear.
func (s *search) bound(n *node, best *leaf) (counts []int64, split int) {
	first := true
	var over []int64
	try := func(prices []cost) {
		l := s.priced(n.least, n.most, prices)
		over = s.over(l)
		if !first && !n.bound.less(l.cost) {
			return
		}
		n.bound, n.prices, first = l.cost, prices, false
		counts = make([]int64, len(s.options))
		for i := range s.options {
			for _, k := range l.taken[i] {
				counts[i] += k
			}
			counts[i] = max(counts[i], n.least[i])
		}
	}
	times := rounds
	if n.prices == nil {
		for _, prices := range s.prices(best) {
			try(prices)
		}
	} else {
		times = roundsBelow
		try(n.prices)
	}
	// Held, Wolfe and Crowder's steps towards the dearest prices (1974, Mathematical Programming 6: 62-88; from
	// memory).
	prices := n.prices
	for k := range times {
		if !n.bound.less(best.cost) {
			break
		}
		length := int64(0)
		for _, o := range over {
			length += o * o
		}
		if length == 0 {
			break
		}
		gap := float64(best.cost[0]-n.bound[0]) + 1
		step := gap / float64(length) / float64(1+k/8)
		next := slices.Clone(prices)
		for j, o := range over {
			if o == 0 {
				continue
			}
			move := int64(step * float64(o))
			if move == 0 {
				move = o / max(o, -o)
			}
			next[j] = cost{max(0, min(s.p.Sinks[j].Value, next[j][0]+move))}
		}
		if slices.Equal(next, prices) {
			break
		}
		prices = next
		try(prices)
	}
	split = -1
	widest := int64(0)
	for i := range s.options {
		if w := n.most[i] - n.least[i]; w > widest {
			widest, split = w, i
		}
	}
	return counts, split
}

// over is by how many units options and single units together exceed what a sink that both ask for has.
func (s *search) over(l *leaf) []int64 {
	out := make([]int64, len(s.p.Sinks))
	for j, id := range l.arcs.sink {
		if s.shared[j] {
			out[j] = l.net.flow(id) - s.p.Sinks[j].Count
		}
	}
	for i := range s.options {
		for _, k := range l.taken[i] {
			for _, j := range s.option(i).Sinks {
				out[j] += k
			}
		}
	}
	return out
}

// prices proposes prices for the units of sinks: none; what one more unit of a sink would bring in the best
// allocation known; and the unit's whole value.
func (s *search) prices(best *leaf) [][]cost {
	p := &s.p
	none, more, whole := make([]cost, len(p.Sinks)), make([]cost, len(p.Sinks)), make([]cost, len(p.Sinks))
	dist, via := best.net.distances(0)
	for j := range p.Sinks {
		if !s.shared[j] {
			continue
		}
		whole[j] = cost{p.Sinks[j].Value}
		if at := 1 + len(p.Sources) + j; via[at] >= 0 {
			if gain := (cost{p.Sinks[j].Value}).minus(dist[at]); (cost{}).less(gain) {
				more[j] = gain
			}
		}
	}
	return [][]cost{more, none, whole}
}

// result spreads a leaf over the groups.
func (s *search) result(l *leaf, proof Proof) Result {
	r := Result{Flow: l.flow, Groups: make([][][]int64, len(s.p.Groups)), Proof: proof}
	for g := range s.p.Groups {
		r.Groups[g] = make([][]int64, len(s.p.Groups[g].Options))
	}
	for i, at := range s.options {
		r.Groups[at.group][at.option] = l.taken[i]
	}
	return r
}
