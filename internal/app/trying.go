package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/position"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// TriedPosition is a position before and after all measures.
type TriedPosition struct {
	ProductID int64   `json:"productId"`
	Publisher string  `json:"publisher"`
	Product   string  `json:"product"`
	Metric    string  `json:"metric"`
	Currency  string  `json:"currency"`
	Before    Figures `json:"before"`
	After     Figures `json:"after"`
}

// TriedMeasure is what one measure does after those before it.
type TriedMeasure struct {
	Words    string `json:"words"`
	Error    string `json:"error" doc:"why it cannot be; then it is passed over"`
	Cost     string `json:"cost"`
	Saves    string `json:"saves" doc:"what is no longer paid at the next renewal"`
	Currency string `json:"currency"`
	Short    int64  `json:"short" doc:"by how much the shortfall changes"`
	Surplus  int64  `json:"surplus"`
}

// Tried is what a basket would do. Money is in euros; amounts without a rate are left out and counted.
type Tried struct {
	Positions      []TriedPosition `json:"positions"`
	Measures       []TriedMeasure  `json:"measures"`
	ExposureBefore string          `json:"exposureBefore"`
	ExposureAfter  string          `json:"exposureAfter"`
	Cost           string          `json:"cost"`
	Saves          string          `json:"saves"`
	Without        int             `json:"without"`
}

// TryBasket works out what measures would do together, in their order. Nothing is changed.
func (a *App) TryBasket(ctx context.Context, measures []BasketMeasure) (Tried, error) {
	out := Tried{Positions: []TriedPosition{}, Measures: []TriedMeasure{}}
	var products []int64
	for _, m := range measures {
		products = append(products, m.Product)
	}
	if products = distinct(products); len(products) == 0 {
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = "0", "0", "0", "0"
		return out, nil
	}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
		if err != nil {
			return err
		}
		inputs, now := map[int64]position.Input{}, map[int64][]position.Position{}
		var before, after, cost, saves decimal.Decimal
		euros := func(d decimal.Decimal, currency string) decimal.Decimal {
			if d.IsZero() {
				return d
			}
			c, err := e.rates.Convert(d, currency, money.Base, e.asOf)
			if err != nil {
				out.Without++
				return decimal.Zero
			}
			return c
		}
		first := map[int64][]position.Position{}
		for _, id := range products {
			f := e.products[id]
			if f == nil {
				return store.ErrNotFound
			}
			yesterday, err := tx.Ways(id)
			if err != nil {
				return err
			}
			inputs[id] = e.input(f, yesterday[id])
			now[id] = position.Compute(inputs[id])
			first[id] = now[id]
		}
		for i := range measures {
			m := &measures[i]
			f := e.products[m.Product]
			t := TriedMeasure{Words: measureWords(m, f.product.Name)}
			core, err := e.measure(f, m)
			if err == nil {
				var next position.Input
				if next, err = position.Apply(inputs[m.Product], core, i); err == nil {
					c, s, currency := e.costOf(f, &core)
					t.Cost, t.Saves, t.Currency = c.String(), s.String(), currency
					cost, saves = cost.Add(euros(c, currency)), saves.Add(euros(s, currency))
					ps := position.Compute(next)
					t.Short, t.Surplus = sumShort(ps)-sumShort(now[m.Product]), sumSurplus(ps)-sumSurplus(now[m.Product])
					inputs[m.Product], now[m.Product] = next, ps
				}
			}
			if err != nil {
				t.Error = err.Error()
			}
			out.Measures = append(out.Measures, t)
		}
		for _, id := range products {
			f := e.products[id]
			by := map[entitle.Metric]*TriedPosition{}
			at := func(m entitle.Metric) *TriedPosition {
				if by[m] == nil {
					zero := Figures{Exposure: "0"}
					by[m] = &TriedPosition{ProductID: id, Publisher: f.product.Publisher, Product: f.product.Name, Metric: string(m), Currency: f.currency, Before: zero, After: zero}
				}
				return by[m]
			}
			for i := range first[id] {
				p := &first[id][i]
				at(p.Metric).Before = figuresOf(p.Figures())
				before = before.Add(euros(decimal.New(p.Exposure, -4), f.currency))
			}
			for i := range now[id] {
				p := &now[id][i]
				at(p.Metric).After = figuresOf(p.Figures())
				after = after.Add(euros(decimal.New(p.Exposure, -4), f.currency))
			}
			for _, m := range entitle.Metrics {
				if by[m] != nil {
					out.Positions = append(out.Positions, *by[m])
				}
			}
		}
		out.ExposureBefore, out.ExposureAfter, out.Cost, out.Saves = before.Round(2).String(), after.Round(2).String(), cost.Round(2).String(), saves.Round(2).String()
		return nil
	})
	return out, err
}

func sumShort(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Short
	}
	return n
}

func sumSurplus(ps []position.Position) (n int64) {
	for i := range ps {
		n += ps[i].Surplus
	}
	return n
}

// measure turns words into numbers.
func (e *estate) measure(f *productFacts, m *BasketMeasure) (position.Measure, error) {
	out := position.Measure{Kind: position.MeasureKind(m.Kind), Line: m.Line, Quantity: m.Quantity, Unit: m.Unit, Country: m.Country, Version: m.Version, Edition: m.Edition, Metric: entitle.Metric(m.Metric), Right: entitle.Right(m.Right), Currency: m.Currency}
	out.Rank = rankOf(f.product, m.Edition)
	if m.Edition == "" && m.Line != "" {
		for i := range f.lines {
			if l := &f.lines[i]; l.Code == m.Line {
				out.Edition, out.Rank = l.Edition, l.EditionRank
			}
		}
	}
	for _, code := range m.Devices {
		id, known := e.deviceOf[code]
		if !known {
			return out, fmt.Errorf("there is no device %q", code)
		}
		out.Devices = append(out.Devices, id)
	}
	for _, code := range m.Users {
		i, known := e.personAt[code]
		if !known {
			return out, fmt.Errorf("there is no user %q", code)
		}
		out.Users = append(out.Users, e.persons[i].ID)
	}
	if out.Metric != "" && !slices.Contains(entitle.Metrics, out.Metric) {
		return out, fmt.Errorf("%q is no metric", m.Metric)
	}
	if out.Right != "" && !slices.Contains(entitle.Rights, out.Right) {
		return out, fmt.Errorf("%q is no right", m.Right)
	}
	var err error
	if out.Until, err = civil.Parse(m.Until); err != nil {
		return out, err
	}
	if m.Price != "" {
		d, err := decimal.NewFromString(m.Price)
		if err != nil || d.IsNegative() {
			return out, fmt.Errorf("%q is not a price", m.Price)
		}
		out.Price = decimal.NewNullDecimal(d)
	}
	return out, nil
}

// costOf is what a measure costs once, and what it saves at the next renewal. Without a price of its own, what is bought like a line costs what that line did, else the list price.
func (e *estate) costOf(f *productFacts, m *position.Measure) (cost, saves decimal.Decimal, currency string) {
	var line *entitle.Line
	for i := range f.lines {
		if f.lines[i].Code == m.Line {
			line = &f.lines[i]
		}
	}
	currency = f.currency
	if m.Currency != "" {
		currency = m.Currency
	}
	times := func(price decimal.Decimal, n int64) decimal.Decimal { return price.Mul(decimal.NewFromInt(n)) }
	switch m.Kind {
	case position.Buy, position.UpgradeTo, position.Maintain:
		quantity := m.Quantity
		if m.Kind == position.Maintain && quantity == 0 && line != nil {
			quantity = line.Quantity
		}
		switch {
		case m.Price.Valid:
			return times(m.Price.Decimal, quantity), decimal.Zero, currency
		case m.Kind == position.Buy && line != nil && line.UnitPrice.Valid:
			return times(line.UnitPrice.Decimal, quantity), decimal.Zero, line.Currency
		case m.Kind == position.Buy:
			value := int64(0)
			for i := range f.product.Titles {
				if t := &f.product.Titles[i]; t.Edition == m.Edition || m.Edition == "" {
					value = max(value, e.price(f, t))
				}
			}
			pack := int64(1)
			if line != nil {
				pack = max(1, line.PackSize)
			}
			return times(decimal.New(value, -4), quantity*pack), decimal.Zero, f.currency
		}
	case position.Lapse:
		if line != nil && line.UnitPrice.Valid {
			return decimal.Zero, times(line.UnitPrice.Decimal, line.Quantity), line.Currency
		}
	}
	return decimal.Zero, decimal.Zero, currency
}

func measureWords(m *BasketMeasure, product string) string {
	n := func(k int, one string) string {
		if k == 1 {
			return "1 " + one
		}
		return fmt.Sprintf("%d %ss", k, one)
	}
	scope := strings.TrimSpace(m.Unit + " " + m.Country)
	switch position.MeasureKind(m.Kind) {
	case position.Remove:
		return fmt.Sprintf("remove %s from %s", product, n(len(m.Devices), "device"))
	case position.Reclaim:
		return fmt.Sprintf("take back %s of %s", n(len(m.Users), "seat"), product)
	case position.Move:
		return fmt.Sprintf("move %d of %s to %s", m.Quantity, m.Line, scope)
	case position.Buy:
		if m.Line != "" {
			return fmt.Sprintf("buy %d %s like %s", m.Quantity, product, m.Line)
		}
		return strings.TrimSpace(fmt.Sprintf("buy %d %s %s by %s", m.Quantity, product, strings.TrimSpace(m.Edition+" "+m.Version), strings.ReplaceAll(m.Metric, "_", " ")))
	case position.UpgradeTo:
		return fmt.Sprintf("upgrade %d of %s to %s", m.Quantity, m.Line, strings.TrimSpace(m.Edition+" "+m.Version))
	case position.Reversion:
		return fmt.Sprintf("put version %s of %s on %s", m.Version, product, n(len(m.Devices), "device"))
	case position.Metric:
		return fmt.Sprintf("count %s by %s", m.Line, strings.ReplaceAll(m.Metric, "_", " "))
	case position.Right:
		return fmt.Sprintf("give %s the right to %s", m.Line, strings.ReplaceAll(m.Right, "_", " "))
	case position.Maintain:
		return fmt.Sprintf("keep maintenance of %s up to %s", m.Line, m.Until)
	case position.Lapse:
		return fmt.Sprintf("let %s lapse", m.Line)
	}
	return m.Kind
}
