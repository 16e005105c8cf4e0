package position

import (
	"context"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// TriedPosition is a position before and after all measures.
type TriedPosition struct {
	ProductID int64
	Publisher string
	Product   string
	Metric    string
	Currency  string
	Before    snapshot.Figures
	After     snapshot.Figures
}

// TriedMeasure is what one measure does after those before it.
type TriedMeasure struct {
	Words    string
	Error    string // why it cannot be; then it is passed over
	Cost     string
	Saves    string // what is no longer paid at the next renewal
	Currency string
	Short    int64 // by how much the shortfall changes
	Surplus  int64
}

// Tried is what a scenario would do. Money is in euros; amounts without a rate are left out and counted.
type Tried struct {
	Positions      []TriedPosition
	Measures       []TriedMeasure
	ExposureBefore string
	ExposureAfter  string
	Cost           string
	Saves          string
	Without        int
}

// TryScenario works out what measures would do together, in their order. Nothing is changed.
func (svc *Service) TryScenario(ctx context.Context, measures []snapshot.Measure) (Tried, error) {
	out := Tried{Positions: []TriedPosition{}, Measures: []TriedMeasure{}}
	var products []int64
	for _, m := range measures {
		products = append(products, m.Product)
	}
	if products = snapshot.Distinct(products); len(products) == 0 {
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = "0", "0", "0", "0"
		return out, nil
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), products)
		if err != nil {
			return err
		}
		t := trial{Tried: &out, e: e, inputs: map[int64]position.Input{}, first: map[int64][]position.Position{},
			now: map[int64][]position.Position{}}
		for _, id := range products {
			if err := t.begin(tx, id); err != nil {
				return err
			}
		}
		for i := range measures {
			out.Measures = append(out.Measures, t.take(&measures[i], i))
		}
		for _, id := range products {
			t.compare(id)
		}
		out.ExposureBefore, out.ExposureAfter = t.before.Round(2).String(), t.after.Round(2).String()
		out.Cost, out.Saves = t.cost.Round(2).String(), t.saves.Round(2).String()
		return nil
	})
	return out, err
}

// trial is a scenario while it is tried: by product, what its position is computed from, and how it stood first and
// stands now. Sums are in euros.
type trial struct {
	*Tried
	e                          *snapshot.Snapshot
	inputs                     map[int64]position.Input
	first, now                 map[int64][]position.Position
	before, after, cost, saves decimal.Decimal
}

// begin computes how a product stands.
func (t *trial) begin(tx *sqlite.Tx, id int64) error {
	f := t.e.Products[id]
	if f == nil {
		return sqlite.ErrNotFound
	}
	yesterday, err := snapshot.Ways(tx, id)
	if err != nil {
		return err
	}
	t.inputs[id] = t.e.Input(f, yesterday[id])
	t.first[id] = position.Compute(t.inputs[id])
	t.now[id] = t.first[id]
	return nil
}

// euros are an amount in euros at the rate of the day; one without a rate is counted and left out.
func (t *trial) euros(d decimal.Decimal, currency string) decimal.Decimal {
	if d.IsZero() {
		return d
	}
	c, err := t.e.Rates.Convert(d, currency, money.Base, t.e.AsOf)
	if err != nil {
		t.Without++
		return decimal.Zero
	}
	return c
}

// take takes one measure after those before it; one that cannot be says why, and is passed over.
func (t *trial) take(m *snapshot.Measure, at int) TriedMeasure {
	f := t.e.Products[m.Product]
	v := TriedMeasure{Words: snapshot.MeasureWords(m, f.Product.Name)}
	core, err := t.e.Measure(f, m)
	var next position.Input
	if err == nil {
		next, err = position.Apply(t.inputs[m.Product], core, at)
	}
	if err != nil {
		v.Error = err.Error()
		return v
	}
	cost, saves, currency := t.e.CostOf(f, &core)
	v.Cost, v.Saves, v.Currency = cost.String(), saves.String(), currency
	t.cost, t.saves = t.cost.Add(t.euros(cost, currency)), t.saves.Add(t.euros(saves, currency))
	was, is := t.now[m.Product], position.Compute(next)
	v.Short = snapshot.SumShort(is) - snapshot.SumShort(was)
	v.Surplus = snapshot.SumSurplus(is) - snapshot.SumSurplus(was)
	t.inputs[m.Product], t.now[m.Product] = next, is
	return v
}

// compare puts a product's positions before all measures beside those after them, metric by metric.
func (t *trial) compare(id int64) {
	f := t.e.Products[id]
	by := map[entitle.Metric]*TriedPosition{}
	at := func(m entitle.Metric) *TriedPosition {
		if by[m] == nil {
			zero := snapshot.Figures{Exposure: "0"}
			by[m] = &TriedPosition{
				ProductID: id,
				Publisher: f.Product.Publisher,
				Product:   f.Product.Name,
				Metric:    string(m),
				Currency:  f.Currency,
				Before:    zero,
				After:     zero,
			}
		}
		return by[m]
	}
	for i := range t.first[id] {
		p := &t.first[id][i]
		at(p.Metric).Before = snapshot.FiguresOf(p.Figures())
		t.before = t.before.Add(t.euros(decimal.New(p.Exposure, -4), f.Currency))
	}
	for i := range t.now[id] {
		p := &t.now[id][i]
		at(p.Metric).After = snapshot.FiguresOf(p.Figures())
		t.after = t.after.Add(t.euros(decimal.New(p.Exposure, -4), f.Currency))
	}
	for _, m := range entitle.Metrics {
		if by[m] != nil {
			t.Positions = append(t.Positions, *by[m])
		}
	}
}
