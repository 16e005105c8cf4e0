package position

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// CauseStep is what one cause changed in a metric.
type CauseStep struct {
	Cause   string
	Metric  string
	Change  snapshot.Figures
	Devices []StepRef // at most 200 of them
	Count   int       // devices altogether
	Users   []StepRef
	Lines   []StepLine
}

// StepRef names a device or a user of a step.
type StepRef struct {
	Code string
	Name string
	What string // what it needs before and after
}

// StepLine names an entitlement of a step, with what it came to on both days.
type StepLine struct {
	Code   string
	Before int64
	After  int64
	Why    string
}

// ProductSteps is how the position of a product came from one day to another, by metric in steps that add up.
type ProductSteps struct {
	ProductID int64
	Publisher string
	Product   string
	From      string
	To        string
	Currency  string
	Metrics   []MetricStep
	Steps     []CauseStep
}

// MetricStep has both ends of a metric.
type MetricStep struct {
	Metric string
	Before snapshot.Figures
	After  snapshot.Figures
}

// twoDays are the estates of two days, in one state of knowledge.
type twoDays struct {
	before, after *snapshot.Snapshot
}

func (svc *Service) twoDays(tx *sqlite.Tx, from, to civil.Day, only []int64) (*twoDays, error) {
	if from >= to {
		return nil, refuse.New("the first day must lie before the second")
	}
	if to > svc.Snapshots.Today() {
		return nil, refuse.Errorf("%s has not come yet", to)
	}
	var d twoDays
	var err error
	now := svc.Clock.Now().Unix()
	if d.before, err = svc.Snapshots.LoadTraced(tx, from, now, only); err != nil {
		return nil, err
	}
	d.after, err = svc.Snapshots.LoadTraced(tx, to, now, only)
	return &d, err
}

// why says why the holding of a product on a device went, came or is another.
func (d *twoDays) why(product int64) position.Why {
	was, is := d.before.Products[product], d.after.Products[product]
	return func(device int64) position.Cause {
		inService := func(e *snapshot.Snapshot) bool {
			i, ok := e.DeviceAt[device]
			return ok && e.Devices[i].Status == evidence.InService
		}
		from, to := was.Trace[device], is.Trace[device]
		held := func(t snapshot.Presence) bool { return t == snapshot.PresentHeld }
		switch {
		case held(from) && held(to):
			return position.Changed
		case held(from) && !inService(d.after):
			return position.DevicesOut
		case held(from):
			return map[snapshot.Presence]position.Cause{snapshot.PresentNot: position.InstallsGone,
				snapshot.PresentFolded: position.Folded, snapshot.PresentLeft: position.LeftOut,
				snapshot.PresentOther: position.InstallsGone}[to]
		}
		if i, ok := d.before.DeviceAt[device]; !inService(d.before) || !ok || d.before.Devices[i].LastScan == 0 {
			return position.DevicesIn
		}
		return map[snapshot.Presence]position.Cause{snapshot.PresentNot: position.Appeared,
			snapshot.PresentFolded: position.Unfolded, snapshot.PresentLeft: position.BackIn,
			snapshot.PresentOther: position.Appeared}[from]
	}
}

// steps compares one product.
func (d *twoDays) steps(product int64) (before, after []position.Position, steps []position.Step) {
	was, is := d.before.Products[product], d.after.Products[product]
	from, to := d.before.Input(was, nil), d.after.Input(is, nil)
	return position.Compute(from), position.Compute(to), position.Steps(from, to, d.why(product))
}

// mostRefs is how many devices of a step are named.
const mostRefs = 200

// ProductSteps compares the position of a product on two days, by what is known now.
func (svc *Service) ProductSteps(ctx context.Context, product int64, from, to civil.Day) (ProductSteps, error) {
	out := ProductSteps{
		ProductID: product,
		From:      from.String(),
		To:        to.String(),
		Metrics:   []MetricStep{},
		Steps:     []CauseStep{},
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err := svc.twoDays(tx, from, svc.Snapshots.DayOr(to), []int64{product})
		if err != nil {
			return err
		}
		f := d.after.Products[product]
		if f == nil {
			return sqlite.ErrNotFound
		}
		out.To = d.after.AsOf.String()
		out.Publisher, out.Product, out.Currency = f.Product.Publisher, f.Product.Name, f.Currency
		before, after, steps := d.steps(product)
		ends := map[entitle.Metric]*MetricStep{}
		for i := range before {
			ends[before[i].Metric] = &MetricStep{
				Metric: string(before[i].Metric),
				Before: snapshot.FiguresOf(before[i].Figures()),
				After:  snapshot.FiguresOf(position.Figures{}),
			}
		}
		for i := range after {
			m := after[i].Metric
			if ends[m] == nil {
				ends[m] = &MetricStep{Metric: string(m), Before: snapshot.FiguresOf(position.Figures{})}
			}
			ends[m].After = snapshot.FiguresOf(after[i].Figures())
		}
		for _, m := range entitle.Metrics {
			if ends[m] != nil {
				out.Metrics = append(out.Metrics, *ends[m])
			}
		}
		for i := range steps {
			out.Steps = append(out.Steps, d.view(f, &steps[i])...)
		}
		return nil
	})
	return out, err
}

// view writes a step down, a line for each metric that it changed.
func (d *twoDays) view(f *snapshot.ProductFacts, s *position.Step) []CauseStep {
	v := CauseStep{
		Cause:   string(s.Cause),
		Devices: []StepRef{},
		Count:   len(s.Devices),
		Users:   []StepRef{},
		Lines:   []StepLine{},
	}
	need := func(e *snapshot.Snapshot, device int64) string {
		g := e.Products[f.Id]
		for i := range g.Holdings {
			if g.Holdings[i].Device == device {
				return cmp.Or(setWords(g.Holdings[i].Set), "any version")
			}
		}
		return "–"
	}
	for i, id := range s.Devices {
		if i == mostRefs {
			break
		}
		e := d.after
		at, ok := e.DeviceAt[id]
		if !ok {
			e = d.before
			at = e.DeviceAt[id]
		}
		v.Devices = append(
			v.Devices,
			StepRef{e.Devices[at].Code, e.Devices[at].Name, need(d.before, id) + " → " + need(d.after, id)},
		)
	}
	for _, id := range s.Users {
		if p := d.after.PersonByID(id); p != nil && len(v.Users) < mostRefs {
			v.Users = append(v.Users, StepRef{Code: p.Code, Name: p.Name})
		}
	}
	if len(s.Lines) > 0 {
		was, is := entitle.Effective(d.before.Products[f.Id].Lines, d.before.AsOf), entitle.Effective(
			f.Lines,
			d.after.AsOf,
		)
		for _, code := range s.Lines {
			v.Lines = append(v.Lines, StepLine{code, was[code].Quantity, is[code].Quantity, is[code].Why})
		}
	}
	var out []CauseStep
	for _, m := range entitle.Metrics {
		if g, ok := s.By[m]; ok {
			one := v
			one.Metric, one.Change = string(m), snapshot.FiguresOf(g)
			out = append(out, one)
		}
	}
	if len(out) == 0 { // something happened, and changed no figure
		v.Change = snapshot.FiguresOf(position.Figures{})
		out = append(out, v)
	}
	return out
}

// MovedPosition is a position that is another on the second day.
type MovedPosition struct {
	ProductID int64
	Publisher string
	Product   string
	Metric    string
	Before    snapshot.Figures
	After     snapshot.Figures
	Currency  string
	Causes    string // what moved it, the greatest first

	moved decimal.Decimal // exposure, in euros
}

// CauseSum is what one cause changed over all products.
type CauseSum struct {
	Cause    string
	Products int
	Exposure string // in euros
	Short    int64
	Surplus  int64
}

// AllSteps is how the positions of all products came from one day to another. Exposure is in euros and adds up:
// ExposureBefore and the causes give ExposureAfter.
type AllSteps struct {
	From           string
	To             string
	ExposureBefore string
	ExposureAfter  string
	Causes         []CauseSum
	Positions      []MovedPosition
	Without        int // products whose currency has no rate: they are not in the sum
}

// AllSteps compares all positions on two days, by what is known now. It takes about twice as long as working all of
// them out.
func (svc *Service) AllSteps(ctx context.Context, from, to civil.Day) (AllSteps, error) {
	out := AllSteps{From: from.String(), Causes: []CauseSum{}, Positions: []MovedPosition{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		svc.Progress.Say(ctx, "counting both days")
		d, err := svc.twoDays(tx, from, svc.Snapshots.DayOr(to), nil)
		if err != nil {
			return err
		}
		out.To = d.after.AsOf.String()
		a := adding{AllSteps: &out, d: d, sums: map[position.Cause]*CauseSum{},
			exposure: map[position.Cause]decimal.Decimal{}}
		list := d.after.Ordered()
		for i, f := range list {
			if err := ctx.Err(); err != nil {
				return err
			}
			svc.Progress.Say(ctx, "%d of %d products compared", i+1, len(list))
			a.add(f)
		}
		for _, c := range position.Causes {
			if s := a.sums[c]; s != nil {
				s.Exposure = a.exposure[c].String()
				out.Causes = append(out.Causes, *s)
			}
		}
		out.ExposureBefore, out.ExposureAfter = a.before.String(), a.after.String()
		slices.SortStableFunc(out.Positions, func(x, y MovedPosition) int {
			return cmp.Or(y.moved.Cmp(x.moved), cmp.Compare(x.Product, y.Product))
		})
		return nil
	})
	return out, err
}

// adding is what the steps of all products come to, product by product; sums are in euros.
type adding struct {
	*AllSteps
	d             *twoDays
	sums          map[position.Cause]*CauseSum
	exposure      map[position.Cause]decimal.Decimal
	before, after decimal.Decimal
}

// add adds the steps of a product. What its currency has no rate for is counted and left out of sums.
func (a *adding) add(f *snapshot.ProductFacts) {
	was, is, steps := a.d.steps(f.Id)
	rate := decimal.NewFromInt(1)
	if f.Currency != "" {
		var err error
		if rate, err = a.d.after.Rates.Convert(rate, f.Currency, "EUR", a.d.after.AsOf); err != nil {
			a.Without++
			rate = decimal.Zero
		}
	}
	euros := func(n int64) decimal.Decimal { return decimal.New(n, -4).Mul(rate) }
	moved := a.causes(steps, euros)
	ends := [2]map[entitle.Metric]position.Figures{{}, {}}
	for i := range was {
		ends[0][was[i].Metric] = was[i].Figures()
		a.before = a.before.Add(euros(was[i].Exposure))
	}
	for i := range is {
		ends[1][is[i].Metric] = is[i].Figures()
		a.after = a.after.Add(euros(is[i].Exposure))
	}
	for _, m := range entitle.Metrics {
		x, y := ends[0][m], ends[1][m]
		if moved[m] == nil ||
			x.Owned == y.Owned && x.Needed == y.Needed && x.Short == y.Short && x.Surplus == y.Surplus {
			continue
		}
		a.Positions = append(a.Positions, MovedPosition{
			f.Id,
			f.Product.Publisher,
			f.Product.Name,
			string(m),
			snapshot.FiguresOf(x),
			snapshot.FiguresOf(y),
			f.Currency,
			causeWords(moved[m]),
			euros(y.Exposure - x.Exposure).Abs(),
		})
	}
}

// causes adds a product's steps to those of their causes, and returns what each cause moved, by metric.
func (a *adding) causes(
	steps []position.Step,
	euros func(int64) decimal.Decimal,
) map[entitle.Metric]map[position.Cause]position.Figures {
	moved := map[entitle.Metric]map[position.Cause]position.Figures{}
	for _, s := range steps {
		if len(s.By) == 0 {
			continue
		}
		c := a.sums[s.Cause]
		if c == nil {
			c = &CauseSum{Cause: string(s.Cause)}
			a.sums[s.Cause] = c
		}
		c.Products++
		for m, g := range s.By {
			c.Short += g.Short
			c.Surplus += g.Surplus
			a.exposure[s.Cause] = a.exposure[s.Cause].Add(euros(g.Exposure))
			if g.Low, g.High = 0, 0; g == (position.Figures{}) {
				continue // the doubt alone
			}
			if moved[m] == nil {
				moved[m] = map[position.Cause]position.Figures{}
			}
			moved[m][s.Cause] = g
		}
	}
	return moved
}

// causeWords lists causes, what moved most first.
func causeWords(by map[position.Cause]position.Figures) string {
	size := func(c position.Cause) int64 {
		g := by[c]
		return max(g.Needed, -g.Needed) + max(g.Owned, -g.Owned)
	}
	list := slices.SortedFunc(maps.Keys(by), func(x, y position.Cause) int {
		return cmp.Or(
			cmp.Compare(size(y), size(x)),
			cmp.Compare(slices.Index(position.Causes, x), slices.Index(position.Causes, y)),
		)
	})
	var out []string
	for _, c := range list {
		out = append(out, string(c))
	}
	return strings.Join(out, ", ")
}
