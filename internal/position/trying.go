package position

import (
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

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

// Tried is what a scenario would do. Money is in the currency of the house; amounts without a rate are left out and
// counted.
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
	if products = stored.Distinct(products); len(products) == 0 {
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = "0", "0", "0", "0"
		return out, nil
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		t, err := svc.begin(tx, measures)
		if err != nil {
			return err
		}
		for i := range measures {
			v, err := t.take(&measures[i])
			if err != nil {
				return err
			}
			t.Tried.Measures = append(t.Tried.Measures, v)
		}
		t.finish(products)
		out = t.Tried
		return nil
	})
	return out, err
}

// trial is a scenario while it is tried: by product, how it stood first and stands now. Sums are in the currency of
// the house.
type trial struct {
	Tried
	*snapshot.Trial
	first, now                 map[int64][]position.Position
	before, after, cost, saves decimal.Decimal
}

// begin computes how the products stand that measures may touch.
func (svc *Service) begin(tx *sqlite.Tx, measures []snapshot.Measure) (*trial, error) {
	base, err := svc.Snapshots.BeginTrial(tx, measures)
	if err != nil {
		return nil, err
	}
	t := &trial{Trial: base, first: map[int64][]position.Position{}, now: map[int64][]position.Position{}}
	t.Tried = Tried{Positions: []TriedPosition{}, Measures: []TriedMeasure{}}
	for i := range measures {
		touched, err := t.Touches(&measures[i])
		if err != nil {
			return nil, err
		}
		for _, id := range touched {
			if _, known := t.first[id]; known {
				continue
			}
			if t.first[id], err = t.Trial.Positions(id); err != nil {
				return nil, err
			}
			t.now[id] = t.first[id]
		}
	}
	return t, nil
}

// finish sums up: the products of the measures, and those that came out otherwise.
func (t *trial) finish(products []int64) {
	for _, id := range slices.Sorted(maps.Keys(t.now)) {
		if slices.Contains(products, id) || !slices.EqualFunc(t.first[id], t.now[id], sameFigures) {
			t.compare(id)
		}
	}
	t.ExposureBefore, t.ExposureAfter = t.before.Round(2).String(), t.after.Round(2).String()
	t.Cost, t.Saves = t.cost.Round(2).String(), t.saves.Round(2).String()
}

func sameFigures(a, b position.Position) bool {
	return a.Metric == b.Metric && a.Counted == b.Counted && a.Figures() == b.Figures()
}

// own is an amount in the currency of the house at the rate of the day; one without a rate is counted and left out.
func (t *trial) inHouse(d decimal.Decimal, currency string) decimal.Decimal {
	if d.IsZero() {
		return d
	}
	c, err := t.Rates.InHouse(d, currency, t.AsOf)
	if err != nil {
		t.Without++
		return decimal.Zero
	}
	return c
}

// take takes one measure after those before it; one that cannot be says why, and is passed over.
func (t *trial) take(m *snapshot.Measure) (TriedMeasure, error) {
	f := t.Products[m.Product]
	v := TriedMeasure{Words: snapshot.MeasureWords(m, f.Product.Name)}
	core, err := t.Trial.Take(m)
	if refuse.Is(err) {
		v.Error = err.Error()
		return v, nil
	}
	if err != nil {
		return v, err
	}
	cost, saves, currency := t.CostOf(f, &core)
	v.Cost, v.Saves, v.Currency = cost.String(), saves.String(), currency
	t.cost, t.saves = t.cost.Add(t.inHouse(cost, currency)), t.saves.Add(t.inHouse(saves, currency))
	touched, err := t.Touches(m)
	if err != nil {
		return v, err
	}
	for _, id := range touched {
		is, err := t.Trial.Positions(id)
		if err != nil {
			return v, err
		}
		v.Short += snapshot.SumShort(is) - snapshot.SumShort(t.now[id])
		v.Surplus += snapshot.SumSurplus(is) - snapshot.SumSurplus(t.now[id])
		t.now[id] = is
	}
	return v, nil
}

// compare puts a product's positions before all measures beside those after them, metric by metric.
func (t *trial) compare(id int64) {
	f := t.Products[id]
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
		t.before = t.before.Add(t.inHouse(decimal.New(p.Exposure, -4), f.Currency))
	}
	for i := range t.now[id] {
		p := &t.now[id][i]
		at(p.Metric).After = snapshot.FiguresOf(p.Figures())
		t.after = t.after.Add(t.inHouse(decimal.New(p.Exposure, -4), f.Currency))
	}
	for _, m := range entitle.Metrics {
		if by[m] != nil {
			t.Tried.Positions = append(t.Tried.Positions, *by[m])
		}
	}
}
