package position

import (
	"cmp"
	"slices"
	"strconv"

	"ensomet/internal/core/allocate"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// cover sets the demand of one metric against its lines.
type cover struct {
	in      *Input
	p       *Position
	found   *demand.Found
	lines   []entitle.Line
	effects map[string]entitle.Effect
	inForce []*entitle.Line

	units   []demand.Unit
	outside []int32
	freed   []UnitResult // units that need no right of their own, by the right to test or standby use
	classes []*class
	of      []int   // class of each unit
	open    []int64 // of each unit: licences not covered
}

// class is demand that the same lines may cover for the same reasons at the same value: to the allocation its
// units are all one.
type class struct {
	key   string
	value int64
	edges []classEdge
	units []int
	count int64
}

type classEdge struct {
	line   int
	reason entitle.Reason
}

// unitKind is what tells units apart: their set of needs and their place.
type unitKind struct {
	set   *demand.Set
	place entitle.Place
}

func (c *cover) run() {
	c.demand()
	c.classify()
	groups := c.groups()
	prob := allocate.Problem{Groups: groups.problem}
	for i := range c.p.Lines {
		prob.Sources = append(prob.Sources, allocate.Source{Quantity: c.p.Lines[i].Effect.Quantity})
	}
	for j, k := range c.classes {
		prob.Sinks = append(prob.Sinks, allocate.Sink{Count: k.count, Value: k.value})
		for _, e := range k.edges {
			prob.Edges = append(
				prob.Edges,
				allocate.Edge{
					Source:    e.line,
					Sink:      j,
					Rank:      int64(e.reason),
					Yesterday: c.in.Yesterday[c.way(k.key, e.line)],
				},
			)
		}
	}
	r := allocate.Solve(prob)
	c.p.Proof = r.Proof
	if c.in.Verify {
		c.p.Proof, c.p.Verified = allocate.Check(prob, r)
	}
	for i := range c.p.Lines {
		c.p.Lines[i].Worth = r.Proof.Worth[i]
	}
	c.spread(prob, r, groups)
}

func (c *cover) way(class string, line int) Way {
	return Way{c.p.Metric, class, c.p.Lines[line].Line.Code}
}

// demand counts the units of the metric, and apart from them those that need no right of their own.
func (c *cover) demand() {
	by := c.freeLines()
	if len(by) == 0 {
		d := demand.Of(c.p.Metric, c.found, c.inForce)
		c.units, c.outside = d.Units, d.Outside
		return
	}
	// The holdings of test or standby machines, and the place of each holding that is left.
	rest, free := *c.found, *c.found
	rest.Holdings, free.Holdings, free.Persons = nil, nil, nil
	var restAt, freeAt []int32
	moved := make([]int32, len(c.found.Holdings))
	for i := range c.found.Holdings {
		moved[i] = -1
		if _, ok := by[i]; ok {
			free.Holdings, freeAt = append(free.Holdings, c.found.Holdings[i]), append(freeAt, int32(i))
		} else {
			moved[i] = int32(len(restAt))
			rest.Holdings, restAt = append(rest.Holdings, c.found.Holdings[i]), append(restAt, int32(i))
		}
	}
	rest.Sessions, free.Sessions = nil, nil
	for _, s := range c.found.Sessions {
		if s.Holding >= 0 {
			if s.Holding = moved[s.Holding]; s.Holding < 0 {
				continue
			}
		}
		rest.Sessions = append(rest.Sessions, s)
	}
	back := func(d *demand.Demand, at []int32) {
		for i := range d.Units {
			list := make([]int32, len(d.Units[i].Holdings))
			for k, h := range d.Units[i].Holdings {
				list[k] = at[h]
			}
			d.Units[i].Holdings = list
		}
		for i, h := range d.Outside {
			d.Outside[i] = at[h]
		}
	}
	d := demand.Of(c.p.Metric, &rest, c.inForce)
	back(&d, restAt)
	c.units, c.outside = d.Units, d.Outside
	type who struct{ device, user int64 }
	known := map[who]int{}
	for i, u := range c.units {
		if u.User != 0 {
			u.Device = 0
		}
		known[who{u.Device, u.User}] = i + 1
	}
	if c.p.Metric == entitle.Site && len(c.units) > 0 { // a site that has a right needs no other
		c.units[0].Holdings = append(slices.Clone(c.units[0].Holdings), freeAt...)
		return
	}
	f := demand.Of(c.p.Metric, &free, c.inForce)
	back(&f, freeAt)
	c.outside = append(c.outside, f.Outside...)
	for _, u := range f.Units {
		id := who{u.Device, u.User}
		if u.User != 0 {
			id.device = 0
		}
		if i := known[id]; i > 0 && (u.Cores == nil || c.units[i-1].Cores.Why != "virtual cores") {
			c.units[i-1].Holdings = append(slices.Clone(c.units[i-1].Holdings), u.Holdings...)
			continue
		}
		line := by[int(u.Holdings[0])]
		c.freed = append(
			c.freed,
			UnitResult{Unit: u, Part: u.Count, Line: line, Reason: entitle.OtherUse, Free: true, at: -1},
		)
	}
}

// freeLines finds, for each holding on a test, development or standby machine, the first line in force whose right
// frees it.
func (c *cover) freeLines() map[int]int {
	var out map[int]int
	for k := range c.p.Lines {
		l := &c.p.Lines[k]
		if l.Effect.Quantity == 0 || !l.Line.Has(entitle.TestUse) && !l.Line.Has(entitle.StandbyUse) {
			continue
		}
		for i := range c.found.Holdings {
			h := &c.found.Holdings[i]
			if !(l.Line.Has(entitle.TestUse) &&
				(h.Environment == evidence.Test || h.Environment == evidence.Development) ||
				l.Line.Has(entitle.StandbyUse) && h.Environment == evidence.Standby) {
				continue
			}
			if _, done := out[i]; done {
				continue
			}
			if _, gaps := l.Line.Covers(h.Set.Needs, h.Place); len(gaps) == 0 {
				if out == nil {
					out = map[int]int{}
				}
				out[i] = k
			}
		}
	}
	return out
}

// classify gathers units into classes, ordered by their keys, with the units of each in the order of devices and users.
func (c *cover) classify() {
	byKind := map[unitKind]*class{}
	byKey := map[string]*class{}
	for i := range c.units {
		k := unitKind{c.units[i].Set, c.units[i].Place}
		x := byKind[k]
		if x == nil {
			value := max(1, k.set.Value)
			key := strconv.FormatInt(value, 10)
			var edges []classEdge
			for j := range c.p.Lines {
				if c.p.Lines[j].Effect.Quantity == 0 {
					continue
				}
				if r, gaps := c.p.Lines[j].Line.Covers(k.set.Needs, k.place); len(gaps) == 0 {
					edges = append(edges, classEdge{j, r})
					key += "|" + c.p.Lines[j].Line.Code + ":" + strconv.Itoa(int(r))
				}
			}
			if x = byKey[key]; x == nil {
				x = &class{key: key, value: value, edges: edges}
				byKey[key] = x
				c.classes = append(c.classes, x)
			}
			byKind[k] = x
		}
		x.units = append(x.units, i)
		x.count += c.units[i].Count
	}
	slices.SortFunc(c.classes, func(a, b *class) int { return cmp.Compare(a.key, b.key) })
	c.of = make([]int, len(c.units))
	c.open = make([]int64, len(c.units))
	for j, x := range c.classes {
		slices.SortFunc(x.units, func(a, b int) int {
			return cmp.Or(
				cmp.Compare(c.units[a].Device, c.units[b].Device),
				cmp.Compare(c.units[a].User, c.units[b].User),
			)
		})
		for _, u := range x.units {
			c.of[u], c.open[u] = j, c.units[u].Count
		}
	}
}

// spread hands an allocation out to units.
func (c *cover) spread(prob allocate.Problem, r allocate.Result, groups *grouping) {
	p := c.p
	p.Units = append(p.Units, c.freed...)
	give := func(u int, n int64, x UnitResult) {
		x.Unit, x.Part, x.at = c.units[u], n, u
		p.Units = append(p.Units, x)
		c.open[u] -= n
	}
	for g, options := range r.Groups {
		next := 0 // the group's members are alike: the first that are left are taken
		for o, edges := range options {
			for k, n := range edges {
				if n == 0 {
					continue
				}
				e := &groups.options[g][o]
				line := e.edges[k].line
				p.Ways[c.way(e.key, line)] += n
				for range n {
					pick := groups.members[g][next].picks[o]
					next++
					for m, u := range pick.units {
						x := UnitResult{Line: line, Reason: e.edges[k].reasons[m]}
						if m > 0 || pick.host != 0 {
							x.Free, x.With = true, cmp.Or(pick.host, c.units[pick.units[0]].Device)
						}
						give(u, 1, x)
					}
					p.Lines[line].Used++
				}
			}
		}
	}
	at := make([]int, len(c.classes))
	for k, e := range prob.Edges {
		n := r.Flow[k]
		if n == 0 {
			continue
		}
		x := c.classes[e.Sink]
		p.Ways[c.way(x.key, e.Source)] += n
		p.Lines[e.Source].Used += n
		reason := reasonOf(x, e.Source)
		for n > 0 {
			u := x.units[at[e.Sink]]
			part := min(n, c.open[u])
			if part > 0 {
				give(u, part, UnitResult{Line: e.Source, Reason: reason, class: e.Sink + 1})
				n -= part
			}
			if c.open[u] == 0 {
				at[e.Sink]++
			}
		}
	}
	gaps := map[unitKind]entitle.Gap{}
	for u := range c.units {
		if c.open[u] == 0 {
			continue
		}
		k := unitKind{c.units[u].Set, c.units[u].Place}
		gap, known := gaps[k]
		if !known {
			gap = nearest(p.Metric, k, c.lines, c.effects)
			gaps[k] = gap
		}
		p.Units = append(p.Units, UnitResult{Unit: c.units[u], Part: c.open[u], Line: -1, Gap: gap, at: u})
	}
	slices.SortStableFunc(p.Units, func(a, b UnitResult) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.User, b.User))
	})
	c.settle()
}

func reasonOf(x *class, line int) entitle.Reason {
	for _, e := range x.edges {
		if e.line == line {
			return e.reason
		}
	}
	return entitle.Exact
}

// settle brings the lines to what the units took.
func (c *cover) settle() {
	p := c.p
	p.Surplus = p.Owned
	for i := range p.Lines {
		p.Lines[i].Spare = p.Lines[i].Effect.Quantity - p.Lines[i].Used
		p.Surplus -= p.Lines[i].Used
	}
}
