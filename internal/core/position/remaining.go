package position

import (
	"slices"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

// nearest is the reason of the line that stands against a class with the fewest gaps, and of those its nearest gap.
func nearest(m entitle.Metric, k unitKind, lines []entitle.Line, effects map[string]entitle.Effect) entitle.Gap {
	best, fewest := entitle.NoneOwned, 1<<30
	for i := range lines {
		l, e := &lines[i], effects[lines[i].Code]
		if e.Quantity == 0 && !e.Expired && e.Consumed == 0 {
			continue // not yet in force, or nothing by itself
		}
		_, gaps := l.Covers(k.set.Needs, k.place)
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

// remaining is the demand that a metric left for the next: what it did not cover wholly, and where its holdings come
// from. What stays in the position is what it covered.
func (c *cover) remaining(origin []int32) (demand.Found, []int32) {
	p := c.p
	covered := make([]bool, len(c.found.Holdings))
	part := make([]bool, len(c.found.Holdings))
	people := map[int64]bool{}
	short := int64(0)
	for u := range c.units {
		short += c.open[u]
		for _, h := range c.units[u].Holdings {
			if c.open[u] == 0 {
				covered[h] = true
			} else {
				part[h] = true
			}
		}
		if c.open[u] == 0 && c.units[u].User != 0 {
			people[c.units[u].User] = true
		}
	}
	for _, u := range c.freed {
		for _, h := range u.Holdings {
			covered[h] = true
		}
	}
	atOneTime := p.Metric == entitle.Concurrent || p.Metric == entitle.Token
	if atOneTime && short == 0 && len(c.inForce) > 0 { // whoever uses it finds a licence
		for i := range covered {
			covered[i] = true
		}
	}
	// What is covered in part alone is left to the next metric whole.
	kept := make([]UnitResult, 0, len(p.Units))
	for _, u := range p.Units {
		if u.Line < 0 {
			continue
		}
		if u.at >= 0 && c.open[u.at] > 0 {
			p.Lines[u.Line].Used -= u.Part
			w := c.way(c.classes[c.of[u.at]].key, u.Line)
			if p.Ways[w] -= u.Part; p.Ways[w] == 0 {
				delete(p.Ways, w)
			}
			continue
		}
		kept = append(kept, u)
	}
	p.Units = kept
	c.settle()
	left := *c.found
	left.Holdings, left.Persons, left.Sessions = nil, nil, nil
	served := map[int64]bool{} // users of covered devices
	moved := make([]int32, len(covered))
	from := []int32{}
	for i, h := range c.found.Holdings {
		if covered[i] && !part[i] {
			moved[i] = -1
			served[h.User] = true
			continue
		}
		moved[i] = int32(len(left.Holdings))
		left.Holdings = append(left.Holdings, h)
		if origin != nil {
			from = append(from, origin[i])
		} else {
			from = append(from, int32(i))
		}
	}
	for _, x := range c.found.Persons {
		if !people[x.User] && !served[x.User] {
			left.Persons = append(left.Persons, x)
		}
	}
	for _, s := range c.found.Sessions {
		if people[s.User] || s.Holding >= 0 && moved[s.Holding] < 0 {
			continue
		}
		if s.Holding >= 0 {
			s.Holding = moved[s.Holding]
		}
		left.Sessions = append(left.Sessions, s)
	}
	return left, from
}
