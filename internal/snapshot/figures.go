package snapshot

import (
	"database/sql"
	"encoding/json"
	"errors"
	"maps"
	"reflect"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Compute returns the positions of one product.
func (e *Snapshot) Compute(f *ProductFacts, yesterday map[position.Way]int64) []position.Position {
	return position.Compute(e.Input(f, yesterday))
}

// Input is what the position of a product depends on.
func (e *Snapshot) Input(f *ProductFacts, yesterday map[position.Way]int64) position.Input {
	in := position.Input{
		AsOf:          e.AsOf,
		DefaultMetric: entitle.Device,
		Order:         f.order,
		Lines:         f.Lines,
		Fleet:         e.Fleet,
		Yesterday:     yesterday,
		Found: demand.Found{
			Holdings: f.Holdings,
			Persons:  f.persons,
			Sessions: f.sessions,
			Measured: f.metered || len(f.sessions) > 0,
			Pooled:   f.pooled,
			Hardware: e.hardware,
			Sets:     e.sets,
		},
	}
	for _, t := range f.Product.Titles {
		if t.DefaultMetric != "" {
			in.DefaultMetric = entitle.Metric(t.DefaultMetric)
			break
		}
	}
	if !f.pooled && !f.usedUnowned() && len(f.Lines) == 0 && len(f.Holdings) == 0 { // nothing is there to license
		in.Persons, in.Sessions = nil, nil
	}
	return in
}

// Figure brings a position to the form that is stored.
func (e *Snapshot) Figure(f *ProductFacts, p *position.Position) Figure {
	out := Figure{
		Product:  f.Id,
		Metric:   string(p.Metric),
		Counted:  p.Counted,
		Owned:    p.Owned,
		Needed:   p.Needed,
		Covered:  p.Covered,
		Short:    p.Short,
		Surplus:  p.Surplus,
		Free:     p.Free,
		Low:      p.Low,
		High:     p.High,
		Outside:  p.Outside,
		Pack:     p.Terms.Pack,
		Proven:   p.Proof.Best,
		Currency: f.Currency,
		AsOf:     e.AsOf,
		Gaps:     map[string]int{},
		Uses:     p.UsedBy(),
		Seen:     p.Seen,
	}
	if out.Seen == nil {
		out.Seen = map[evidence.DeviceKind]position.Seen{}
	}
	out.Exposure = decimal.New(p.Exposure, -4).String()
	spare := decimal.Zero
	for _, l := range p.Lines {
		if out.Currency == "" {
			out.Currency = l.Line.Currency
		}
		if l.Spare > 0 && l.Line.UnitPrice.Valid && p.Counted {
			if amount, err := e.Rates.Convert(l.Line.UnitPrice.Decimal, l.Line.Currency, out.Currency,
				e.AsOf); err == nil {
				spare = spare.Add(
					amount.Mul(decimal.NewFromInt(l.Spare)).Div(decimal.NewFromInt(max(1, l.Line.PackSize))),
				)
			}
		}
	}
	spare = spare.Round(4)
	out.SpareValue = spare.String()
	out.ExposureBase, out.SpareBase = e.inHouse(decimal.New(p.Exposure, -4), out.Currency), e.inHouse(spare,
		out.Currency)
	for _, u := range p.Units {
		if u.Line < 0 {
			out.Gaps[u.Gap.String()] += int(u.Part)
		}
	}
	return out
}

// inHouse is an amount in the currency of the house; where there is no rate, the bare amount.
func (e *Snapshot) inHouse(amount decimal.Decimal, currency string) float64 {
	if c, err := e.Rates.InHouse(amount, currency, e.AsOf); err == nil {
		amount = c
	}
	return amount.InexactFloat64()
}

// Figure is a position in the form that is stored. Amounts are text with their decimals.
type Figure struct {
	Product                                      int64
	Metric                                       string
	Counted                                      bool
	Owned, Needed, Covered, Short, Surplus, Free int64
	Low, High, Outside, Pack                     int64
	Proven                                       bool
	Exposure, SpareValue, Currency               string
	ExposureBase, SpareBase                      float64 // in the currency of the house, for ordering
	AsOf                                         civil.Day
	Gaps                                         map[string]int
	Uses                                         map[string]map[string]int64 // position.UsedBy, by line and unit
	Seen                                         map[evidence.DeviceKind]position.Seen
}

// Same reports whether two positions say the same, however their amounts are written.
func (f Figure) Same(other Figure) bool {
	a, b := f.plain(), other.plain()
	gaps := maps.Equal(a.Gaps, b.Gaps) && maps.EqualFunc(a.Uses, b.Uses, maps.Equal) && maps.Equal(a.Seen, b.Seen)
	a.Gaps, b.Gaps, a.Uses, b.Uses, a.Seen, b.Seen = nil, nil, nil, nil, nil, nil
	return gaps && reflect.DeepEqual(a, b)
}

// plain brings amounts to one form.
func (f Figure) plain() Figure {
	for _, s := range []*string{&f.Exposure, &f.SpareValue} {
		if d, err := decimal.NewFromString(*s); err == nil {
			*s = d.String()
		}
	}
	return f
}

// StoredFigures reads the stored positions by product and metric.
func StoredFigures(tx *sqlite.Tx) ([]Figure, error) {
	return sqlite.Query(tx, func(r *sql.Rows, f *Figure) error {
		var gaps, uses, seen string
		if err := r.Scan(&f.Product, &f.Metric, &f.Counted, &f.Owned, &f.Needed, &f.Covered, &f.Short, &f.Surplus,
			&f.Free, &f.Low, &f.High, &f.ExposureBase, &f.Exposure, &f.SpareBase, &f.SpareValue, &f.Currency, &f.AsOf,
			&gaps, &f.Proven, &f.Outside, &f.Pack, &uses, &seen); err != nil {
			return err
		}
		return errors.Join(json.Unmarshal([]byte(gaps), &f.Gaps), json.Unmarshal([]byte(uses), &f.Uses),
			json.Unmarshal([]byte(seen), &f.Seen))
	}, "SELECT product_id, metric, counted, owned, needed, covered, short, surplus, free, low, high, exposure, "+
		"exposure_text, spare_value, spare_text, currency, as_of, gaps, proven, outside, pack, uses, doubt "+
		"FROM position "+
		"ORDER BY product_id, metric")
}

// Ways reads the last allocation, of one product or of all where product is 0.
func Ways(tx *sqlite.Tx, product int64) (map[int64]map[position.Way]int64, error) {
	out := map[int64]map[position.Way]int64{}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT product_id, metric, class, line, amount FROM way WHERE ?1 = 0 OR product_id = ?1",
		product,
	)
	if err != nil {
		return nil, err
	}
	return out, sqlite.Each(rows, func() error {
		var p, n int64
		var w position.Way
		if err := rows.Scan(&p, &w.Metric, &w.Class, &w.Line, &n); err != nil {
			return err
		}
		if out[p] == nil {
			out[p] = map[position.Way]int64{}
		}
		out[p][w] = n
		return nil
	})
}

// UsesOfLines is how much of each line each organisational unit uses, in millionths of a right, by the line's code.
func UsesOfLines(tx *sqlite.Tx) (map[string]map[string]int64, error) {
	list, err := sqlite.Select[string](tx, "SELECT uses FROM position WHERE uses <> '{}'")
	out := map[string]map[string]int64{}
	for _, text := range list {
		if err := json.Unmarshal([]byte(text), &out); err != nil { // each line has one metric, and stands once
			return nil, err
		}
	}
	return out, err
}
