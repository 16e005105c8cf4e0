// Package position sets what is owned against what is needed, for one product at a time.
package position

import (
	"cmp"
	"slices"
	"strconv"

	"ensomet/internal/core/allocate"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

// Way is the part of an allocation that goes from one line to one class of demand.
type Way struct {
	Metric entitle.Metric
	Class  string
	Line   string // code
}

// Input is all that the position of one product depends on.
type Input struct {
	AsOf          civil.Day
	DefaultMetric entitle.Metric
	Order         []entitle.Metric // empty is entitle.Metrics
	Lines         []entitle.Line   // every line of the product, those out of term too
	Holdings      []demand.Holding
	Persons       []demand.Person
	Sets          demand.Sets
	Fleet         map[string]Fleet // devices in service, by kind
	Yesterday     map[Way]int64
}

// LineResult is what one line came to.
type LineResult struct {
	Line        *entitle.Line
	Effect      entitle.Effect
	Used, Spare int64
}

// UnitResult is what one unit of demand came to: covered by Line (an index into Position.Lines) for Reason, or not covered (-1) because of Gap.
type UnitResult struct {
	demand.Unit
	Line   int
	Reason entitle.Reason
	Gap    entitle.Gap
}

// Position is owned against needed for one product and metric. Covered + Short = Needed, and what the lines used + Surplus = Owned. Exposure is in
// ten-thousandths of the position's currency. Low and High bound the need by the doubt in the evidence.
type Position struct {
	Metric                                 entitle.Metric
	Counted                                bool // false where this metric's demand is not computed: then only Owned is known
	Owned, Needed, Covered, Short, Surplus int64
	Low, High                              int64
	Exposure                               int64
	Lines                                  []LineResult
	Units                                  []UnitResult
	Ways                                   map[Way]int64
}

// Compute returns the positions of a product, one for each metric it is owned under, in the order in which they cover. What the first covers makes
// no demand on the next: a metric that others follow needs just what it covers, and what nothing covered is short in the last. A product that nobody owns has one
// position in its default metric; a product neither owned nor needed has none.
func Compute(in Input) []Position {
	lines := slices.Clone(in.Lines)
	slices.SortFunc(lines, func(a, b entitle.Line) int { return cmp.Compare(a.Code, b.Code) })
	effects := entitle.Effective(lines, in.AsOf)
	metrics := in.metrics(lines, effects)
	if len(metrics) == 0 {
		if len(in.Holdings)+len(in.Persons) == 0 {
			return nil
		}
		m := in.DefaultMetric
		if !slices.Contains(entitle.Counted, m) {
			m = entitle.Device
		}
		metrics = []entitle.Metric{m}
	}
	last := len(metrics) - 1 // carries what nothing covers; none does where a metric beside may cover it in a way that is not computed
	for _, m := range metrics {
		if !slices.Contains(entitle.Counted, m) {
			last = -1
		}
	}
	holdings, persons := in.Holdings, in.Persons
	var out []Position
	for i, m := range metrics {
		p := Position{Metric: m, Counted: slices.Contains(entitle.Counted, m), Ways: map[Way]int64{}}
		for k := range lines {
			if lines[k].Metric == m {
				e := effects[lines[k].Code]
				p.Lines = append(p.Lines, LineResult{Line: &lines[k], Effect: e, Spare: e.Quantity})
				p.Owned += e.Quantity
			}
		}
		p.Surplus = p.Owned
		if p.Counted {
			units := demand.Units(m, holdings, persons, in.Sets)
			in.cover(&p, units, lines, effects)
			if i != last {
				holdings, persons = remaining(&p, holdings, persons)
			}
			p.figure(in.Fleet, i == last)
		}
		out = append(out, p)
	}
	return out
}

// metrics are those with rights in force; where none are, that of the first line in order, ended though it is.
func (in *Input) metrics(lines []entitle.Line, effects map[string]entitle.Effect) []entitle.Metric {
	order := in.Order
	if len(order) == 0 {
		order = entitle.Metrics
	}
	var alive, any []entitle.Metric
	for _, m := range order {
		owned, known := int64(0), false
		for i := range lines {
			if lines[i].Metric == m {
				known = true
				owned += effects[lines[i].Code].Quantity
			}
		}
		if owned > 0 {
			alive = append(alive, m)
		}
		if known {
			any = append(any, m)
		}
	}
	if len(alive) == 0 && len(any) > 0 {
		return any[:1]
	}
	return alive
}

// class is demand that the same lines may cover for the same reasons at the same value: to the allocation its
// units are all one.
type class struct {
	key   string
	value int64
	edges []classEdge
	units []int
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

// classes gathers units into classes, ordered by their keys, with the units of each in the order of devices and users.
func (in *Input) classes(p *Position, units []demand.Unit) []*class {
	byKind := map[unitKind]*class{}
	byKey := map[string]*class{}
	var out []*class
	for i := range units {
		k := unitKind{units[i].Set, units[i].Place}
		c := byKind[k]
		if c == nil {
			value := max(1, k.set.Value)
			key := strconv.FormatInt(value, 10)
			var edges []classEdge
			for j := range p.Lines {
				if p.Lines[j].Effect.Quantity == 0 {
					continue
				}
				if r, gaps := p.Lines[j].Line.Covers(k.set.Needs, k.place); len(gaps) == 0 {
					edges = append(edges, classEdge{j, r})
					key += "|" + p.Lines[j].Line.Code + ":" + strconv.Itoa(int(r))
				}
			}
			if c = byKey[key]; c == nil {
				c = &class{key: key, value: value, edges: edges}
				byKey[key] = c
				out = append(out, c)
			}
			byKind[k] = c
		}
		c.units = append(c.units, i)
	}
	slices.SortFunc(out, func(a, b *class) int { return cmp.Compare(a.key, b.key) })
	for _, c := range out {
		slices.SortFunc(c.units, func(a, b int) int {
			return cmp.Or(cmp.Compare(units[a].Device, units[b].Device), cmp.Compare(units[a].User, units[b].User))
		})
	}
	return out
}

// cover allocates the lines of p to units and fills p.Units and p.Ways.
func (in *Input) cover(p *Position, units []demand.Unit, lines []entitle.Line, effects map[string]entitle.Effect) {
	classes := in.classes(p, units)
	var prob allocate.Problem
	var reasons []entitle.Reason
	for i := range p.Lines {
		prob.Sources = append(prob.Sources, allocate.Source{Quantity: p.Lines[i].Effect.Quantity})
	}
	for j, c := range classes {
		prob.Sinks = append(prob.Sinks, allocate.Sink{Count: int64(len(c.units)), Value: c.value})
		for _, e := range c.edges {
			prob.Edges = append(prob.Edges, allocate.Edge{Source: e.line, Sink: j, Rank: int64(e.reason), Yesterday: in.Yesterday[Way{p.Metric, c.key, p.Lines[e.line].Line.Code}]})
			reasons = append(reasons, e.reason)
		}
	}
	flow := allocate.Solve(prob)

	p.Units = make([]UnitResult, len(units))
	next := make([]int, len(classes))
	for k, e := range prob.Edges {
		if flow[k] == 0 {
			continue
		}
		c := classes[e.Sink]
		p.Ways[Way{p.Metric, c.key, p.Lines[e.Source].Line.Code}] = flow[k]
		p.Lines[e.Source].Used += flow[k]
		p.Lines[e.Source].Spare -= flow[k]
		for range flow[k] {
			u := c.units[next[e.Sink]]
			next[e.Sink]++
			p.Units[u] = UnitResult{Unit: units[u], Line: e.Source, Reason: reasons[k]}
		}
	}
	gaps := map[unitKind]entitle.Gap{}
	for j, c := range classes {
		for _, u := range c.units[next[j]:] {
			k := unitKind{units[u].Set, units[u].Place}
			gap, known := gaps[k]
			if !known {
				gap = nearest(p.Metric, k, lines, effects)
				gaps[k] = gap
			}
			p.Units[u] = UnitResult{Unit: units[u], Line: -1, Gap: gap}
		}
	}
}

// nearest is the reason of the line that stands against a class with the fewest gaps, and of those its nearest gap.
func nearest(m entitle.Metric, c unitKind, lines []entitle.Line, effects map[string]entitle.Effect) entitle.Gap {
	best, fewest := entitle.NoneOwned, 1<<30
	for i := range lines {
		l, e := &lines[i], effects[lines[i].Code]
		if e.Quantity == 0 && !e.Expired && e.Consumed == 0 {
			continue // not yet in force, or nothing by itself
		}
		_, gaps := l.Covers(c.set.Needs, c.place)
		if e.Expired {
			gaps = append(gaps, entitle.Expired)
		}
		if l.Metric != m {
			gaps = append(gaps, entitle.MetricDiffers)
		}
		gap := entitle.AllUsed
		if len(gaps) > 0 {
			gap = slices.Min(gaps)
		}
		if len(gaps) < fewest || len(gaps) == fewest && gap < best {
			best, fewest = gap, len(gaps)
		}
	}
	return best
}

// remaining is the demand that a metric left for the next: holdings and persons that it did not cover. What stays in p is what it covered.
func remaining(p *Position, holdings []demand.Holding, persons []demand.Person) ([]demand.Holding, []demand.Person) {
	devices, people := map[int64]bool{}, map[int64]bool{}
	kept := p.Units[:0:0]
	uncovered := map[int64]bool{}
	for _, u := range p.Units {
		if u.Line < 0 {
			uncovered[u.Device] = true
			continue
		}
		kept = append(kept, u)
		if u.User != 0 {
			people[u.User] = true
		} else {
			devices[u.Device] = true
		}
	}
	for d := range uncovered { // an install of another edition on the same device is still open
		delete(devices, d)
	}
	p.Units = kept
	var hs []demand.Holding
	for _, h := range holdings {
		if devices[h.Device] {
			if h.User != 0 {
				people[h.User] = true
			}
			continue
		}
		if !people[h.User] || h.User == 0 {
			hs = append(hs, h)
		}
	}
	var ps []demand.Person
	for _, x := range persons {
		if !people[x.User] {
			ps = append(ps, x)
		}
	}
	return hs, ps
}

// figure counts the units. The doubt stands at the last metric, which carries what is not covered.
func (p *Position) figure(fleet map[string]Fleet, last bool) {
	need := map[string]int64{}
	for i := range p.Units {
		u := &p.Units[i]
		p.Needed++
		if u.Line >= 0 {
			p.Covered++
		} else {
			p.Exposure += u.Set.Value
		}
		if u.Fresh {
			p.Low++
			need[u.Kind]++
		}
	}
	p.Short = p.Needed - p.Covered
	p.Surplus = p.Owned - p.Covered
	p.High = p.Needed
	if last {
		p.High += unseen(fleet, need)
	}
}
