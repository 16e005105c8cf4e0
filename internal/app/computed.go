package app

import (
	"cmp"
	"context"
	"ensomet/internal/core/position"
	"ensomet/internal/store"
	"slices"
)

// computed is the positions that follow from an estate, with the allocations behind them.
type computed struct {
	estate  *estate
	figures []store.Figure
	ways    map[int64][]position.Way
	amounts map[int64][]int64
}

func newComputed(e *estate) *computed {
	return &computed{estate: e, ways: map[int64][]position.Way{}, amounts: map[int64][]int64{}}
}

// computeAll works out every position, until ctx ends. It returns how much of each product is short, and which line covers each device.
func (d *computed) computeAll(ctx context.Context, yesterday map[int64]map[position.Way]int64) (open map[int64]int64, lines map[devicePair]*position.LineResult, err error) {
	e := d.estate
	open, lines = map[int64]int64{}, map[devicePair]*position.LineResult{}
	for _, f := range e.ordered() {
		if err := ctx.Err(); err != nil {
			return nil, nil, err
		}
		positions := e.compute(f, yesterday[f.id])
		for i := range positions {
			p := &positions[i]
			d.figures = append(d.figures, e.figure(f, p))
			open[f.id] += p.Short
			d.keepWays(f.id, p)
			for _, u := range p.Units {
				if u.Line >= 0 && u.Device != 0 {
					lines[devicePair{u.Device, f.id}] = &p.Lines[u.Line]
				}
			}
		}
	}
	return open, lines, nil
}

// keepWays gathers an allocation in a fixed order.
func (d *computed) keepWays(product int64, p *position.Position) {
	var list []position.Way
	for w := range p.Ways {
		list = append(list, w)
	}
	slices.SortFunc(list, func(a, b position.Way) int { return cmp.Or(cmp.Compare(a.Line, b.Line), cmp.Compare(a.Class, b.Class)) })
	for _, w := range list {
		d.ways[product] = append(d.ways[product], w)
		d.amounts[product] = append(d.amounts[product], p.Ways[w])
	}
}

// figuresOf works the positions of some products out; nil is all.
func (a *App) figuresOf(tx *store.Tx, products []int64) (*computed, error) {
	e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
	if err != nil {
		return nil, err
	}
	d := newComputed(e)
	for _, f := range e.ordered() {
		if products != nil && !slices.Contains(products, f.id) {
			continue
		}
		yesterday, err := tx.Ways(f.id)
		if err != nil {
			return nil, err
		}
		for _, p := range e.compute(f, yesterday[f.id]) {
			d.figures = append(d.figures, e.figure(f, &p))
			d.keepWays(f.id, &p)
		}
	}
	return d, nil
}
