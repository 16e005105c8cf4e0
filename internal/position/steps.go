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
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// CauseStep is what one cause changed in a metric.
type CauseStep struct {
	Cause   string
	Learnt  bool // it did not happen between the days: it was only known later
	Metric  string
	Change  snapshot.Figures
	Devices []StepRef // at most 200 of them
	Count   int       // devices altogether
	Users   []StepRef
	Lines   []StepLine
	Names   []NamesMoved // that are recognised as something else
	Entered []string     // what was entered, by whom and when
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
	Known     Known
	Since     string // the first day of which is known what was known at its end
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

// twoDays are two estates that are compared: of two days in one state of knowledge, or of one day in two.
type twoDays struct {
	before, after *snapshot.Snapshot
	learning      *learning // where both are of one day
}

// asked is what is compared with what: days, states of knowledge by their marks (0 is now), and of which products.
type asked struct {
	from, to         civil.Day
	known            Known
	markFrom, markTo int64
	nowFrom, nowTo   int64
	only             []int64
}

// ask checks what is asked for, and finds the states of knowledge: where nothing is said of these, each day is asked
// for as it was known at its end, where that was kept.
func (svc *Service) ask(ctx context.Context, from, to civil.Day, known Known, only []int64) (a asked, err error) {
	a = asked{from: from, to: svc.Snapshots.DayOr(to), known: known, only: only}
	if a.from >= a.to {
		return a, refuse.New("the first day must lie before the second")
	}
	if a.to > svc.Snapshots.Today() {
		return a, refuse.Errorf("%s has not come yet", a.to)
	}
	if known == "" {
		var since civil.Day
		err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			since, err = tx.KnownSince()
			return err
		})
		if err != nil {
			return a, err
		}
		if known = KnownNow; since.Known() && a.from >= since {
			known = KnownThen
		}
	}
	if a.known = known; known != KnownThen {
		a.known, a.nowTo = KnownNow, svc.Clock.Now().Unix()
		return a, nil
	}
	if a.markTo, a.nowTo, err = svc.markAt(ctx, a.to); err == nil {
		a.markFrom, a.nowFrom, err = svc.markAt(ctx, a.from)
	}
	return a, err
}

// compare gives fn the comparisons that lead from the one to the other, one after the other: where each day is asked
// for as it was known at its end, first what was only learnt of the first day, and then what happened. say tells how
// far it is.
func (svc *Service) compare(
	ctx context.Context,
	a asked,
	say func(string),
	fn func(tx *sqlite.Tx, d *twoDays) error,
) error {
	var was *snapshot.Snapshot
	l := &learning{mark: a.markFrom}
	if a.known == KnownThen && a.markFrom != a.markTo {
		say("reading what was known on " + a.from.String())
		err := svc.at(ctx, a.markFrom, a.only, func(tx *sqlite.Tx) (err error) {
			if was, err = svc.Snapshots.LoadTraced(tx, a.from, a.nowFrom, a.only); err != nil {
				return err
			}
			records, err := positiondb.RecognisedSince(tx, a.markFrom)
			if err != nil {
				return err
			}
			l.was, err = l.read(tx, records)
			return err
		})
		if err != nil {
			return err
		}
	}
	return svc.at(ctx, a.markTo, a.only, func(tx *sqlite.Tx) error {
		say("counting both days")
		now := a.nowTo
		before, err := svc.Snapshots.LoadTraced(tx, a.from, now, a.only)
		if err != nil {
			return err
		}
		if was != nil {
			if l.is, err = l.read(tx, slices.Collect(maps.Keys(l.was))); err != nil {
				return err
			}
			if err := fn(tx, &twoDays{was, before, l}); err != nil {
				return err
			}
			was = nil
		}
		after, err := svc.Snapshots.LoadTraced(tx, a.to, now, a.only)
		if err != nil {
			return err
		}
		return fn(tx, &twoDays{before, after, nil})
	})
}

// why says why the holding of a product on a device went, came or is another.
func (d *twoDays) why(was, is *snapshot.ProductFacts) position.Why {
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
	switch {
	case was == nil && is == nil:
		return nil, nil, nil
	case was == nil: // the product was not known
		was = &snapshot.ProductFacts{Id: product, Product: is.Product, Currency: is.Currency}
	case is == nil:
		is = &snapshot.ProductFacts{Id: product, Product: was.Product, Currency: was.Currency}
	}
	from, to := d.before.Input(was, nil), d.after.Input(is, nil)
	why := d.why(was, is)
	if d.learning != nil {
		why = d.whyLearnt(was, is, why)
	}
	return position.Compute(from), position.Compute(to), position.Steps(from, to, why)
}

// mostRefs is how many devices of a step are named.
const mostRefs = 200

// ProductSteps compares the position of a product on two days: both by what is known now, or each by what was known
// at its end.
func (svc *Service) ProductSteps(ctx context.Context, product int64, from, to civil.Day, known Known) (ProductSteps,
	error) {
	out := ProductSteps{
		ProductID: product,
		From:      from.String(),
		Metrics:   []MetricStep{},
		Steps:     []CauseStep{},
	}
	var err error
	if out.Since, err = svc.KnownSince(ctx); err != nil {
		return out, err
	}
	a, err := svc.ask(ctx, from, to, known, []int64{product})
	if err != nil {
		return out, err
	}
	out.To, out.Known = a.to.String(), a.known
	ends := map[entitle.Metric]*MetricStep{}
	none := snapshot.FiguresOf(position.Figures{})
	end := func(m entitle.Metric) *MetricStep {
		if ends[m] == nil {
			ends[m] = &MetricStep{Metric: string(m), Before: none, After: none}
		}
		return ends[m]
	}
	first := true
	err = svc.compare(ctx, a, func(string) {}, func(tx *sqlite.Tx, d *twoDays) error {
		f := cmp.Or(d.after.Products[product], d.before.Products[product])
		if f == nil {
			return sqlite.ErrNotFound
		}
		out.Publisher, out.Product, out.Currency = f.Product.Publisher, f.Product.Name, f.Currency
		before, after, steps := d.steps(product)
		for i := range before {
			if first {
				end(before[i].Metric).Before = snapshot.FiguresOf(before[i].Figures())
			}
		}
		first = false
		for _, m := range ends {
			m.After = none
		}
		for i := range after {
			end(after[i].Metric).After = snapshot.FiguresOf(after[i].Figures())
		}
		for i := range steps {
			list, err := d.view(tx, f, &steps[i])
			if err != nil {
				return err
			}
			out.Steps = append(out.Steps, list...)
		}
		return nil
	})
	for _, m := range entitle.Metrics {
		if ends[m] != nil {
			out.Metrics = append(out.Metrics, *ends[m])
		}
	}
	return out, err
}

// words says a cause, as what happened or as what was learnt.
func (d *twoDays) words(c position.Cause) string {
	if d.learning != nil {
		return c.Learnt()
	}
	return string(c)
}

// learnt adds to a step what was decided or entered that makes it.
func (d *twoDays) learnt(tx *sqlite.Tx, product int64, s *position.Step, v *CauseStep) (err error) {
	switch s.Cause {
	case position.Recognised, position.RecogniseLost:
		v.Names, err = d.namesMoved(tx, product, s.Devices)
	case position.LeftOut, position.BackIn:
		v.Entered = d.reasonsMoved(product)
	case position.LinesChanged, position.Rest:
		v.Entered, err = positiondb.EnteredSince(tx, product, d.learning.mark)
		return err
	}
	return err
}

// view writes a step down, a line for each metric that it changed.
func (d *twoDays) view(tx *sqlite.Tx, f *snapshot.ProductFacts, s *position.Step) ([]CauseStep, error) {
	v := CauseStep{
		Cause:   d.words(s.Cause),
		Learnt:  d.learning != nil,
		Devices: []StepRef{},
		Count:   len(s.Devices),
		Users:   []StepRef{},
		Lines:   []StepLine{},
		Names:   []NamesMoved{},
		Entered: []string{},
	}
	if v.Learnt {
		if err := d.learnt(tx, f.Id, s, &v); err != nil {
			return nil, err
		}
	}
	need := func(e *snapshot.Snapshot, device int64) string {
		g := e.Products[f.Id]
		if g == nil {
			return "–"
		}
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
			if at, ok = e.DeviceAt[id]; !ok {
				continue
			}
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
		was, is := d.before.Effective(f.Id), d.after.Effective(f.Id)
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
	return out, nil
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

	moved decimal.Decimal // exposure, in the currency of the house
}

// CauseSum is what one cause changed over all products.
type CauseSum struct {
	Cause    string
	Learnt   bool
	Products int
	Exposure string // in the currency of the house
	Short    int64
	Surplus  int64
}

// AllSteps is how the positions of all products came from one day to another. Exposure is in the currency of the
// house and adds up: ExposureBefore and the causes give ExposureAfter.
type AllSteps struct {
	From           string
	To             string
	Known          Known
	Since          string // the first day of which is known what was known at its end
	ExposureBefore string
	ExposureAfter  string
	Causes         []CauseSum
	Positions      []MovedPosition
	Without        int // products whose currency has no rate: they are not in the sum
}

// AllSteps compares all positions on two days: both by what is known now, or each by what was known at its end. It
// takes about two or three times as long as working all of them out.
func (svc *Service) AllSteps(ctx context.Context, from, to civil.Day, known Known) (AllSteps, error) {
	out := AllSteps{From: from.String(), Causes: []CauseSum{}, Positions: []MovedPosition{}}
	var err error
	if out.Since, err = svc.KnownSince(ctx); err != nil {
		return out, err
	}
	a, err := svc.ask(ctx, from, to, known, nil)
	if err != nil {
		return out, err
	}
	out.To, out.Known = a.to.String(), a.known
	sum := adding{AllSteps: &out, sums: map[causeOf]*CauseSum{}, exposure: map[causeOf]decimal.Decimal{},
		moves: map[int64]*move{}}
	say := func(text string) { svc.Progress.Say(ctx, "%s", text) }
	err = svc.compare(ctx, a, say, func(_ *sqlite.Tx, d *twoDays) error {
		sum.d = d
		list := d.after.Ordered()
		for i, f := range list {
			if err := ctx.Err(); err != nil {
				return err
			}
			svc.Progress.Say(ctx, "%d of %d products compared", i+1, len(list))
			sum.add(f)
		}
		return nil
	})
	if err != nil {
		return out, err
	}
	sum.end()
	return out, nil
}

// causeOf is a cause, as what happened or as what was learnt.
type causeOf struct {
	position.Cause
	learnt bool
}

func (c causeOf) words() string {
	if c.learnt {
		return c.Learnt()
	}
	return string(c.Cause)
}

// move is how the positions of one product came from the first day to the second.
type move struct {
	f      *snapshot.ProductFacts
	rate   decimal.Decimal // in the currency of the house; 0 where there is none
	ends   [2]map[entitle.Metric]position.Figures
	causes map[entitle.Metric]map[causeOf]position.Figures
}

// adding is what the steps of all products come to, product by product; sums are in the currency of the house.
type adding struct {
	*AllSteps
	d        *twoDays
	sums     map[causeOf]*CauseSum
	exposure map[causeOf]decimal.Decimal
	moves    map[int64]*move
}

// add adds the steps of a product. What its currency has no rate for is counted and left out of sums. Both ends are
// in the currency of the house by the rate of the second day.
func (a *adding) add(f *snapshot.ProductFacts) {
	m := a.moves[f.Id]
	was, is, steps := a.d.steps(f.Id)
	if m == nil {
		m = &move{f: f, rate: decimal.NewFromInt(1), causes: map[entitle.Metric]map[causeOf]position.Figures{}}
		a.moves[f.Id] = m
		if f.Currency != "" {
			var err error
			if m.rate, err = a.d.after.Rates.OneInHouse(f.Currency, a.d.after.AsOf); err != nil {
				a.Without++
				m.rate = decimal.Zero
			}
		}
		m.ends[0] = figuresOf(was)
	}
	m.ends[1] = figuresOf(is)
	a.causes(m, steps)
}

func (m *move) inHouse(n int64) decimal.Decimal { return decimal.New(n, -4).Mul(m.rate) }

func figuresOf(list []position.Position) map[entitle.Metric]position.Figures {
	out := map[entitle.Metric]position.Figures{}
	for i := range list {
		out[list[i].Metric] = list[i].Figures()
	}
	return out
}

// end puts the sums in order, and what moved the most first.
func (a *adding) end() {
	var before, after decimal.Decimal
	for _, id := range slices.Sorted(maps.Keys(a.moves)) {
		m := a.moves[id]
		for _, f := range m.ends[0] {
			before = before.Add(m.inHouse(f.Exposure))
		}
		for _, f := range m.ends[1] {
			after = after.Add(m.inHouse(f.Exposure))
		}
		for _, metric := range entitle.Metrics {
			x, y := m.ends[0][metric], m.ends[1][metric]
			if m.causes[metric] == nil ||
				x.Owned == y.Owned && x.Needed == y.Needed && x.Short == y.Short && x.Surplus == y.Surplus {
				continue
			}
			a.Positions = append(a.Positions, MovedPosition{
				m.f.Id,
				m.f.Product.Publisher,
				m.f.Product.Name,
				string(metric),
				snapshot.FiguresOf(x),
				snapshot.FiguresOf(y),
				m.f.Currency,
				causeWords(m.causes[metric]),
				m.inHouse(y.Exposure - x.Exposure).Abs(),
			})
		}
	}
	// whole cents that add up: each cause is the difference of what it comes to with and without it
	sum, last := before, before.Round(2)
	for _, learnt := range []bool{true, false} {
		for _, c := range position.Causes {
			if s := a.sums[causeOf{c, learnt}]; s != nil {
				sum = sum.Add(a.exposure[causeOf{c, learnt}])
				s.Exposure = sum.Round(2).Sub(last).String()
				last = sum.Round(2)
				a.Causes = append(a.Causes, *s)
			}
		}
	}
	a.ExposureBefore, a.ExposureAfter = before.Round(2).String(), after.Round(2).String()
	slices.SortStableFunc(a.Positions, func(x, y MovedPosition) int {
		return cmp.Or(y.moved.Cmp(x.moved), cmp.Compare(x.Product, y.Product))
	})
}

// causes adds a product's steps to those of their causes.
func (a *adding) causes(m *move, steps []position.Step) {
	for _, s := range steps {
		if len(s.By) == 0 {
			continue
		}
		cause := causeOf{s.Cause, a.d.learning != nil}
		c := a.sums[cause]
		if c == nil {
			c = &CauseSum{Cause: cause.words(), Learnt: cause.learnt}
			a.sums[cause] = c
		}
		c.Products++
		for metric, g := range s.By {
			c.Short += g.Short
			c.Surplus += g.Surplus
			a.exposure[cause] = a.exposure[cause].Add(m.inHouse(g.Exposure))
			if g.Low, g.High = 0, 0; g == (position.Figures{}) {
				continue // the doubt alone
			}
			if m.causes[metric] == nil {
				m.causes[metric] = map[causeOf]position.Figures{}
			}
			m.causes[metric][cause] = m.causes[metric][cause].Plus(g)
		}
	}
}

// causeWords lists causes, what moved most first.
func causeWords(by map[causeOf]position.Figures) string {
	size := func(c causeOf) int64 {
		g := by[c]
		return max(g.Needed, -g.Needed) + max(g.Owned, -g.Owned)
	}
	place := func(c causeOf) int { return slices.Index(position.Causes, c.Cause) }
	list := slices.SortedFunc(maps.Keys(by), func(x, y causeOf) int {
		return cmp.Or(cmp.Compare(size(y), size(x)), cmp.Compare(place(x), place(y)), strings.Compare(x.words(),
			y.words()))
	})
	var out []string
	for _, c := range list {
		out = append(out, c.words())
	}
	return strings.Join(out, ", ")
}
