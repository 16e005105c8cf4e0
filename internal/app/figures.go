package app

import (
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// compute returns the positions of one product.
func (e *estate) compute(f *productFacts, yesterday map[position.Way]int64) []position.Position {
	return position.Compute(e.input(f, yesterday))
}

// input is what the position of a product depends on.
func (e *estate) input(f *productFacts, yesterday map[position.Way]int64) position.Input {
	in := position.Input{AsOf: e.asOf, DefaultMetric: entitle.Device, Order: f.order, Lines: f.lines, Fleet: e.fleet, Yesterday: yesterday,
		Found: demand.Found{Holdings: f.holdings, Persons: f.persons, Sessions: f.sessions, Measured: f.metered || len(f.sessions) > 0, Plant: e.plant, Sets: e.sets}}
	for _, t := range f.product.Titles {
		if t.DefaultMetric != "" {
			in.DefaultMetric = entitle.Metric(t.DefaultMetric)
			break
		}
	}
	if len(f.lines) == 0 && len(f.holdings) == 0 { // assigned or used by the record alone, nothing is there to license
		in.Persons, in.Sessions = nil, nil
	}
	return in
}

// figure brings a position to the form that is stored.
func (e *estate) figure(f *productFacts, p *position.Position) store.Figure {
	out := store.Figure{Product: f.id, Metric: string(p.Metric), Counted: p.Counted, Owned: p.Owned, Needed: p.Needed, Covered: p.Covered, Short: p.Short, Surplus: p.Surplus, Free: p.Free, Low: p.Low, High: p.High, Outside: p.Outside, Pack: p.Terms.Pack, Proven: p.Proof.Best, Currency: f.currency, AsOf: e.asOf, Gaps: map[string]int{}}
	out.Exposure = decimal.New(p.Exposure, -4).String()
	spare := decimal.Zero
	for _, l := range p.Lines {
		if out.Currency == "" {
			out.Currency = l.Line.Currency
		}
		if l.Spare > 0 && l.Line.UnitPrice.Valid && p.Counted {
			if amount, err := e.rates.Convert(l.Line.UnitPrice.Decimal, l.Line.Currency, out.Currency, e.asOf); err == nil {
				spare = spare.Add(amount.Mul(decimal.NewFromInt(l.Spare)).Div(decimal.NewFromInt(max(1, l.Line.PackSize))))
			}
		}
	}
	spare = spare.Round(4)
	out.SpareValue = spare.String()
	out.ExposureBase, out.SpareBase = e.inBase(decimal.New(p.Exposure, -4), out.Currency), e.inBase(spare, out.Currency)
	for _, u := range p.Units {
		if u.Line < 0 {
			out.Gaps[u.Gap.String()] += int(u.Part)
		}
	}
	return out
}

// inBase is an amount in the currency that positions are ordered by; where there is no rate, the bare amount.
func (e *estate) inBase(amount decimal.Decimal, currency string) float64 {
	if c, err := e.rates.Convert(amount, currency, money.Base, e.asOf); err == nil {
		amount = c
	}
	return amount.InexactFloat64()
}
