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

// Tried is what a basket would do. Money is in euros; amounts without a rate are left out and counted.
type Tried struct {
	Positions      []TriedPosition
	Measures       []TriedMeasure
	ExposureBefore string
	ExposureAfter  string
	Cost           string
	Saves          string
	Without        int
}

// TryBasket works out what measures would do together, in their order. Nothing is changed.
func (svc *Service) TryBasket(ctx context.Context, measures []snapshot.BasketMeasure) (Tried, error) {
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
		inputs, now := map[int64]position.Input{}, map[int64][]position.Position{}
		var before, after, cost, saves decimal.Decimal
		euros := func(d decimal.Decimal, currency string) decimal.Decimal {
			if d.IsZero() {
				return d
			}
			c, err := e.Rates.Convert(d, currency, money.Base, e.AsOf)
			if err != nil {
				out.Without++
				return decimal.Zero
			}
			return c
		}
		first := map[int64][]position.Position{}
		for _, id := range products {
			f := e.Products[id]
			if f == nil {
				return sqlite.ErrNotFound
			}
			yesterday, err := snapshot.Ways(tx, id)
			if err != nil {
				return err
			}
			inputs[id] = e.Input(f, yesterday[id])
			now[id] = position.Compute(inputs[id])
			first[id] = now[id]
		}
		for i := range measures {
			m := &measures[i]
			f := e.Products[m.Product]
			t := TriedMeasure{Words: snapshot.MeasureWords(m, f.Product.Name)}
			core, err := e.Measure(f, m)
			if err == nil {
				var next position.Input
				if next, err = position.Apply(inputs[m.Product], core, i); err == nil {
					c, s, currency := e.CostOf(f, &core)
					t.Cost, t.Saves, t.Currency = c.String(), s.String(), currency
					cost, saves = cost.Add(euros(c, currency)), saves.Add(euros(s, currency))
					ps := position.Compute(next)
					t.Short, t.Surplus = snapshot.SumShort(ps)-snapshot.SumShort(now[m.Product]), snapshot.SumSurplus(
						ps,
					)-snapshot.SumSurplus(now[m.Product])
					inputs[m.Product], now[m.Product] = next, ps
				}
			}
			if err != nil {
				t.Error = err.Error()
			}
			out.Measures = append(out.Measures, t)
		}
		for _, id := range products {
			f := e.Products[id]
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
			for i := range first[id] {
				p := &first[id][i]
				at(p.Metric).Before = snapshot.FiguresOf(p.Figures())
				before = before.Add(euros(decimal.New(p.Exposure, -4), f.Currency))
			}
			for i := range now[id] {
				p := &now[id][i]
				at(p.Metric).After = snapshot.FiguresOf(p.Figures())
				after = after.Add(euros(decimal.New(p.Exposure, -4), f.Currency))
			}
			for _, m := range entitle.Metrics {
				if by[m] != nil {
					out.Positions = append(out.Positions, *by[m])
				}
			}
		}
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = before.Round(2).
			String(),
			after.Round(2).
				String(),
			cost.Round(2).
				String(),
			saves.Round(2).
				String()
		return nil
	})
	return out, err
}
