package app

import (
	"cmp"
	"slices"
	"strings"

	"ensomet/internal/store"
)

// Move is how one position would change. Before and After are surplus less shortfall; a position may also change in money alone.
type Move struct {
	Product      string `json:"product"`
	Metric       string `json:"metric"`
	NeededBefore int64  `json:"neededBefore"`
	NeededAfter  int64  `json:"neededAfter"`
	Before       int64  `json:"before"`
	After        int64  `json:"after"`
	MoneyBefore  string `json:"moneyBefore" doc:"what the shortfall is worth at list price"`
	MoneyAfter   string `json:"moneyAfter"`
	Currency     string `json:"currency"`
}

type productMetric struct {
	product int64
	metric  string
}

type namedFigure struct {
	store.Figure
	name string
}

// positionsOf computes the positions of some products within a transaction.
func (a *App) positionsOf(tx *store.Tx, products []int64) (map[productMetric]namedFigure, error) {
	out, _, err := a.positionsAndLeft(tx, append([]int64{}, products...))
	return out, err
}

// positionsAndLeft also counts the installs of the products that are left out of the count. No list is all products.
func (a *App) positionsAndLeft(tx *store.Tx, products []int64) (out map[productMetric]namedFigure, left int64, err error) {
	out = map[productMetric]namedFigure{}
	if products != nil && len(products) == 0 {
		return out, 0, nil
	}
	e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
	if err != nil {
		return nil, 0, err
	}
	for _, f := range e.ordered() {
		if products != nil && !slices.Contains(products, f.id) {
			continue
		}
		left += f.leftOut
		for _, p := range e.compute(f, nil) {
			out[productMetric{f.id, string(p.Metric)}] = namedFigure{e.figure(f, &p), f.product.Name}
		}
	}
	return out, left, nil
}

func moves(before, after map[productMetric]namedFigure) []Move {
	out := []Move{}
	keys := map[productMetric]string{}
	for k, v := range before {
		keys[k] = v.name
	}
	for k, v := range after {
		keys[k] = v.name
	}
	for k, name := range keys {
		b, c := before[k], after[k]
		if b.Needed != c.Needed || b.Short != c.Short || b.Surplus != c.Surplus || b.ExposureBase != c.ExposureBase {
			out = append(out, Move{name, k.metric, b.Needed, c.Needed, b.Surplus - b.Short, c.Surplus - c.Short, cmp.Or(b.Exposure, "0"), cmp.Or(c.Exposure, "0"), cmp.Or(c.Currency, b.Currency)})
		}
	}
	slices.SortFunc(out, func(x, y Move) int { return strings.Compare(x.Product+x.Metric, y.Product+y.Metric) })
	return out
}
