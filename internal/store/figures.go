package store

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/position"
)

// Figure is a position in the form that is stored. Amounts are text with their decimals.
type Figure struct {
	Product                                      int64
	Metric                                       string
	Counted                                      bool
	Owned, Needed, Covered, Short, Surplus, Free int64
	Low, High, Outside, Pack                     int64
	Proven                                       bool
	Exposure, SpareValue, Currency               string
	ExposureBase, SpareBase                      float64 // in euros, for ordering
	AsOf                                         civil.Day
	Gaps                                         map[string]int
}

// PutFigures replaces the stored positions and allocations of some products; nil is all of them.
func (tx *Tx) PutFigures(products []int64, figures []Figure, ways map[int64][]position.Way, amounts map[int64][]int64) error {
	of, args := "", []any{}
	if products != nil {
		list, err := json.Marshal(products)
		if err != nil {
			return err
		}
		of, args = " WHERE product_id IN (SELECT value FROM json_each(?))", append(args, string(list))
	}
	for _, clear := range []string{"DELETE FROM position", "DELETE FROM way"} {
		if _, err := tx.exec(clear+of, args...); err != nil {
			return err
		}
	}
	b, err := tx.bulk(21, "INSERT INTO position(product_id, metric, counted, owned, needed, covered, short, surplus, free, low, high, exposure, exposure_text, spare_value, spare_text, currency, as_of, gaps, proven, outside, pack)", "")
	if err != nil {
		return err
	}
	for _, f := range figures {
		gaps, err := json.Marshal(f.Gaps)
		if err != nil {
			return err
		}
		if err := b.Add(f.Product, f.Metric, f.Counted, f.Owned, f.Needed, f.Covered, f.Short, f.Surplus, f.Free, f.Low, f.High, f.ExposureBase, f.Exposure, f.SpareBase, f.SpareValue, f.Currency, f.AsOf, string(gaps), f.Proven, f.Outside, f.Pack); err != nil {
			return err
		}
	}
	if err := b.Flush(); err != nil {
		return err
	}
	w, err := tx.bulk(5, "INSERT INTO way(product_id, metric, class, line, amount)", "")
	if err != nil {
		return err
	}
	for product, list := range ways {
		for i, way := range list {
			if err := w.Add(product, string(way.Metric), way.Class, way.Line, amounts[product][i]); err != nil {
				return err
			}
		}
	}
	return w.Flush()
}

// Figures reads the stored positions by product and metric.
func (tx *Tx) Figures() ([]Figure, error) {
	return query(tx, func(r *sql.Rows, f *Figure) error {
		var gaps string
		if err := r.Scan(&f.Product, &f.Metric, &f.Counted, &f.Owned, &f.Needed, &f.Covered, &f.Short, &f.Surplus, &f.Free, &f.Low, &f.High, &f.ExposureBase, &f.Exposure, &f.SpareBase, &f.SpareValue, &f.Currency, &f.AsOf, &gaps, &f.Proven, &f.Outside, &f.Pack); err != nil {
			return err
		}
		return json.Unmarshal([]byte(gaps), &f.Gaps)
	}, "SELECT product_id, metric, counted, owned, needed, covered, short, surplus, free, low, high, exposure, exposure_text, spare_value, spare_text, currency, as_of, gaps, proven, outside, pack FROM position ORDER BY product_id, metric")
}

// Ways reads the last allocation, of one product or of all where product is 0.
func (tx *Tx) Ways(product int64) (map[int64]map[position.Way]int64, error) {
	out := map[int64]map[position.Way]int64{}
	rows, err := tx.QueryContext(tx.ctx, "SELECT product_id, metric, class, line, amount FROM way WHERE ?1 = 0 OR product_id = ?1", product)
	if err != nil {
		return nil, err
	}
	return out, each(rows, func() error {
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
