// Package position sets what is owned against what is needed, for one product at a time.
package position

import (
	"cmp"
	"slices"

	"ensomet/internal/core/allocate"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
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
	demand.Found
	Fleet     map[evidence.DeviceKind]Fleet // devices in service, by kind
	Yesterday map[Way]int64
	Verify    bool // check each allocation without trusting how it was found
}

// LineResult is what one line came to.
type LineResult struct {
	Line        *entitle.Line
	Effect      entitle.Effect
	Used, Spare int64
	Worth       int64 // what one more right would cover, at list price
}

// UnitResult is what Part licences of a unit of demand came to: covered by Line (an index into Position.Lines) for
// Reason, or not covered (-1) because of Gap. A unit that needs several licences may stand in several results. Free
// says that it takes no right of its own; With is then the device whose right serves it, where there is one.
type UnitResult struct {
	demand.Unit
	Part   int64
	Line   int
	Reason entitle.Reason
	Gap    entitle.Gap
	Free   bool
	With   int64
	at     int // its unit among those of the metric, -1 for what is freed
	class  int // 1 and up: of demand that the same lines may cover; 0 is none
}

// Position is owned against needed for one product and metric. Covered + Short = Needed, and what the lines used +
// Surplus = Owned; what is covered without a right of its own, Free, is part of Covered and uses nothing. Exposure is
// in ten-thousandths of the position's currency. Low and High bound the need by the doubt in the evidence. Outside
// counts holdings that the metric does not count and that no other metric follows for.
type Position struct {
	Metric entitle.Metric
	// false where the use that this metric counts is not measured: then only Owned is known
	Counted                                      bool
	Owned, Needed, Covered, Short, Surplus, Free int64
	Low, High                                    int64
	Seen                                         map[evidence.DeviceKind]Seen // what High rests on, beside the fleet
	Exposure                                     int64
	Outside                                      int64
	Terms                                        entitle.Terms
	Lines                                        []LineResult
	Units                                        []UnitResult
	Ways                                         map[Way]int64
	Proof                                        allocate.Proof
	Verified                                     bool // the check was asked for, and the allocation is allowed
}

// Compute returns the positions of a product, one for each metric it is owned under, in the order in which they
// cover. What the first covers makes no demand on the next: a metric that others follow needs just what it covers,
// and what nothing covered is short in the last. A product that nobody owns has one position in its default metric;
// what a licence server gives out without a right by use at one time has one of its own. A product neither owned nor
// needed has none.
func Compute(in Input) []Position {
	lines := slices.Clone(in.Lines)
	slices.SortFunc(lines, func(a, b entitle.Line) int { return cmp.Compare(a.Code, b.Code) })
	effects := entitle.Effective(lines, in.AsOf)
	metrics := in.metrics(lines, effects)
	if len(metrics) == 0 {
		if len(in.Holdings)+len(in.Persons)+len(in.Sessions) == 0 {
			return nil
		}
		out := in.computeBy(lines, effects, []entitle.Metric{in.unowned()})
		if out[0].Counted && out[0].Needed == 0 && len(in.Holdings) == 0 {
			out = nil // it was used, but not in a way that this metric counts
		}
		if in.Pooled && !atOneTime(in.unowned()) {
			out = append(out, in.pool(lines, effects)...)
		}
		return out
	}
	if in.Pooled && !slices.ContainsFunc(metrics, atOneTime) {
		return append(in.computeBy(lines, effects, metrics), in.pool(lines, effects)...)
	}
	return in.computeBy(lines, effects, metrics)
}

// atOneTime reports whether a metric counts use at one time.
func atOneTime(m entitle.Metric) bool { return m == entitle.Concurrent || m == entitle.Token }

// unowned is the metric by which a product is counted that nobody owns: its default, where that can be counted; without
// an install what a licence server gave out, or who used it.
func (in *Input) unowned() entitle.Metric {
	m := cmp.Or(in.DefaultMetric, entitle.Device)
	switch {
	case len(in.Holdings) > 0 && in.counted(m),
		atOneTime(m) && in.Measured,
		m == entitle.NamedUser,
		m == entitle.Site:
		return m
	case len(in.Holdings) > 0: // its use is not measured: at least the devices are known
		return entitle.Device
	case in.Pooled:
		return entitle.Concurrent
	}
	return entitle.NamedUser
}

// pool is the position of what a licence server gave out of a product of which nobody owns a right by use at one time:
// to machines on which nothing is installed, whose use no other metric counts.
func (in *Input) pool(lines []entitle.Line, effects map[string]entitle.Effect) []Position {
	given := *in
	given.Holdings, given.Persons = nil, nil
	given.Sessions = slices.DeleteFunc(
		slices.Clone(in.Sessions),
		func(s demand.Session) bool { return s.Holding >= 0 },
	)
	if len(given.Sessions) == 0 {
		return nil
	}
	out := given.computeBy(lines, effects, []entitle.Metric{entitle.Concurrent})
	if out[0].Needed == 0 {
		return nil
	}
	return out
}

// computeBy returns the positions of a product by some metrics, in their order.
func (in *Input) computeBy(
	lines []entitle.Line,
	effects map[string]entitle.Effect,
	metrics []entitle.Metric,
) []Position {
	// carries what nothing covers; none does where a metric beside may cover it in a way that is not known
	last := len(metrics) - 1
	for _, m := range metrics {
		if !in.counted(m) {
			last = -1
		}
	}
	found := in.Found
	var origin []int32 // of found.Holdings in in.Holdings; nil is the same
	var out []Position
	for i, m := range metrics {
		p := Position{Metric: m, Counted: in.counted(m), Ways: map[Way]int64{}}
		var inForce []*entitle.Line
		for k := range lines {
			if lines[k].Metric == m {
				e := effects[lines[k].Code]
				p.Lines = append(p.Lines, LineResult{Line: &lines[k], Effect: e, Spare: e.Quantity})
				p.Owned += e.Quantity
				if e.Quantity > 0 {
					inForce = append(inForce, &lines[k])
				}
			}
		}
		p.Surplus = p.Owned
		p.Terms = entitle.TermsOf(inForce)
		if p.Counted {
			c := cover{in: in, p: &p, found: &found, lines: lines, effects: effects, inForce: inForce}
			c.run()
			was := origin
			if i != last {
				found, origin = c.remaining(origin)
			} else {
				p.Outside = int64(len(c.outside))
			}
			if was != nil {
				p.renumber(was)
			}
			p.figure(in.Fleet, i == last)
		}
		out = append(out, p)
	}
	return out
}

// renumber lets units speak of holdings by their places in the input.
func (p *Position) renumber(origin []int32) {
	for i := range p.Units {
		u := &p.Units[i]
		list := make([]int32, len(u.Holdings))
		for k, h := range u.Holdings {
			list[k] = origin[h]
		}
		u.Holdings = list
	}
}

// counted reports whether the demand of a metric can be known: use at one time is known where it is measured.
func (in *Input) counted(m entitle.Metric) bool {
	return m != entitle.Concurrent && m != entitle.Token || in.Measured
}

// metrics are those with rights in force; where none are, that of the first line in order, ended though it is.
func (in *Input) metrics(lines []entitle.Line, effects map[string]entitle.Effect) []entitle.Metric {
	order := slices.Clone(in.Order)
	for _, m := range entitle.Metrics { // an order may name some alone
		if !slices.Contains(order, m) {
			order = append(order, m)
		}
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

// figure counts the units. The doubt stands at the last metric, which carries what is not covered.
func (p *Position) figure(fleet map[evidence.DeviceKind]Fleet, last bool) {
	need := map[evidence.DeviceKind]Seen{}
	for i := range p.Units {
		u := &p.Units[i]
		p.Needed += u.Part
		if u.Line >= 0 {
			p.Covered += u.Part
			if u.Free {
				p.Free += u.Part
			}
		} else {
			p.Exposure += u.Part * u.Set.Value
		}
		if u.Fresh {
			p.Low += u.Part
			n := need[u.Kind]
			n.Licences += u.Part
			if i == 0 || p.Units[i-1].Device != u.Device || p.Units[i-1].User != u.User || u.Device == 0 {
				n.Units++
			}
			need[u.Kind] = n
		}
	}
	p.Short = p.Needed - p.Covered
	p.High = p.Needed
	if last {
		p.Seen = need
		p.High += Unseen(fleet, need)
	}
}
