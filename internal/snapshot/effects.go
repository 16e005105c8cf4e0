package snapshot

import (
	"cmp"
	"slices"
	"strings"

	"ensomet/internal/sqlite"
)

// PositionChange is how one position would change. Before and After are surplus less shortfall; a position may also
// change in money alone.
type PositionChange struct {
	Product      string
	Metric       string
	NeededBefore int64
	NeededAfter  int64
	Before       int64
	After        int64
	MoneyBefore  string // what the shortfall is worth at list price
	MoneyAfter   string
	Currency     string
}

type ProductMetric struct {
	product int64
	metric  string
}

type NamedFigure struct {
	Figure
	name string
}

// FiguresOf computes the positions of some products within a transaction.
func (svc *Loader) FiguresOf(tx *sqlite.Tx, products []int64) (map[ProductMetric]NamedFigure, error) {
	out, _, err := svc.FiguresAndExcluded(tx, append([]int64{}, products...))
	return out, err
}

// FiguresAndExcluded also counts the installs of the products that are left out of the count. No list is all products.
func (svc *Loader) FiguresAndExcluded(
	tx *sqlite.Tx,
	products []int64,
) (out map[ProductMetric]NamedFigure, left int64, err error) {
	out = map[ProductMetric]NamedFigure{}
	if products != nil && len(products) == 0 {
		return out, 0, nil
	}
	load := svc.LoadProducts
	if products == nil {
		load = svc.loadToday
	}
	e, err := load(tx, products)
	if err != nil {
		return nil, 0, err
	}
	return out, e.figuresOf(products, out), nil
}

// FiguresAround is FiguresOf where devices or people may be others than they were counted as.
func (svc *Loader) FiguresAround(tx *sqlite.Tx, products []int64) (map[ProductMetric]NamedFigure, error) {
	out := map[ProductMetric]NamedFigure{}
	if len(products) == 0 {
		return out, nil
	}
	e, err := svc.loadToday(tx, products)
	if err == nil {
		e.figuresOf(products, out)
	}
	return out, err
}

func (svc *Loader) loadToday(tx *sqlite.Tx, products []int64) (*Snapshot, error) {
	return svc.Load(tx, svc.Today(), svc.Clock.Now().Unix(), products)
}

// figuresOf adds the figures of some products, nil is all, and says how many of their installs are left out of the
// count.
func (e *Snapshot) figuresOf(products []int64, out map[ProductMetric]NamedFigure) (left int64) {
	for _, f := range e.Ordered() {
		if products != nil && !slices.Contains(products, f.Id) {
			continue
		}
		left += f.leftOut
		for _, p := range e.Compute(f, nil) {
			out[ProductMetric{f.Id, string(p.Metric)}] = NamedFigure{e.Figure(f, &p), f.Product.Name}
		}
	}
	return left
}

func Moves(before, after map[ProductMetric]NamedFigure) []PositionChange {
	out := []PositionChange{}
	keys := map[ProductMetric]string{}
	for k, v := range before {
		keys[k] = v.name
	}
	for k, v := range after {
		keys[k] = v.name
	}
	for k, name := range keys {
		b, c := before[k], after[k]
		if b.Needed != c.Needed || b.Short != c.Short || b.Surplus != c.Surplus || b.ExposureBase != c.ExposureBase {
			out = append(
				out,
				PositionChange{
					name,
					k.metric,
					b.Needed,
					c.Needed,
					b.Surplus - b.Short,
					c.Surplus - c.Short,
					cmp.Or(b.Exposure, "0"),
					cmp.Or(c.Exposure, "0"),
					cmp.Or(c.Currency, b.Currency),
				},
			)
		}
	}
	slices.SortFunc(out,
		func(x, y PositionChange) int { return strings.Compare(x.Product+x.Metric, y.Product+y.Metric) })
	return out
}
