package allocate

// cost is compared part by part: the value left uncovered (negated value covered), then rights used, then ranks, then
// units that moved away from yesterday's way.
type cost [4]int64

func (c cost) less(d cost) bool {
	for i := range c {
		if c[i] != d[i] {
			return c[i] < d[i]
		}
	}
	return false
}

func (c cost) plus(d cost) cost {
	for i := range c {
		c[i] += d[i]
	}
	return c
}

func (c cost) minus(d cost) cost {
	for i := range c {
		c[i] -= d[i]
	}
	return c
}

func (c cost) times(n int64) cost {
	for i := range c {
		c[i] *= n
	}
	return c
}

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

// flow is what an arc carries.
func (n *network) flow(id int) int64 { return n.arcs[id^1].capacity }

// distances finds the cheapest residual paths from s by label correction, as residual costs may be negative. via is
// the arc that a node is reached by, -1 where it is not.
func (n *network) distances(s int) (dist []cost, via []int) {
	dist, via = make([]cost, len(n.out)), make([]int, len(n.out))
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
	return dist, via
}

// augment sends as much as fits along the cheapest path from s to t. It reports false when there is none that makes
// anything better.
func (n *network) augment(s, t int) bool {
	dist, via := n.distances(s)
	if via[t] < 0 || !dist[t].less(cost{}) {
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
