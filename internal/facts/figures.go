package facts

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// PutFigures replaces the stored positions and allocations of some products; nil is all of them.
func PutFigures(
	tx *sqlite.Tx,
	products []int64,
	figures []snapshot.Figure,
	ways map[int64][]position.Way,
	amounts map[int64][]int64,
) error {
	of, args := "", []any{}
	if products != nil {
		list, err := json.Marshal(products)
		if err != nil {
			return err
		}
		of, args = " WHERE product_id IN (SELECT value FROM json_each(?))", append(args, string(list))
	}
	for _, clear := range []string{"DELETE FROM position", "DELETE FROM way"} {
		if _, err := tx.Exec(clear+of, args...); err != nil {
			return err
		}
	}
	b, err := tx.Bulk(
		23,
		"INSERT INTO position(product_id, metric, counted, owned, needed, covered, short, surplus, free, low, high, "+
			"exposure, exposure_text, spare_value, spare_text, currency, as_of, gaps, proven, outside, pack, uses, "+
			"doubt)",
		"",
	)
	if err != nil {
		return err
	}
	for _, f := range figures {
		gaps, err := json.Marshal(f.Gaps)
		if err != nil {
			return err
		}
		uses, err := json.Marshal(f.Uses)
		if err != nil {
			return err
		}
		seen, err := json.Marshal(f.Seen)
		if err != nil {
			return err
		}
		if err := b.Add(f.Product, f.Metric, f.Counted, f.Owned, f.Needed, f.Covered, f.Short, f.Surplus, f.Free,
			f.Low, f.High, f.ExposureBase, f.Exposure, f.SpareBase, f.SpareValue, f.Currency, f.AsOf, string(gaps),
			f.Proven, f.Outside, f.Pack, string(uses), string(seen)); err != nil {
			return err
		}
	}
	if err := b.Flush(); err != nil {
		return err
	}
	w, err := tx.Bulk(5, "INSERT INTO way(product_id, metric, class, line, amount)", "")
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

// PutDoubt brings the upper bound of every stored position in line with how many devices there are of each kind.
func PutDoubt(tx *sqlite.Tx) error {
	fleet, err := snapshot.KeptFleet(tx)
	if err != nil {
		return err
	}
	type row struct {
		product, needed, high int64
		metric                string
		seen                  map[evidence.DeviceKind]position.Seen
	}
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *row) error {
		var seen string
		if err := r.Scan(&v.product, &v.metric, &v.needed, &v.high, &seen); err != nil {
			return err
		}
		return json.Unmarshal([]byte(seen), &v.seen)
	}, "SELECT product_id, metric, needed, high, doubt FROM position WHERE doubt <> '{}'")
	if err != nil {
		return err
	}
	for _, v := range list {
		if high := v.needed + position.Unseen(fleet, v.seen); high != v.high {
			if _, err := tx.Exec("UPDATE position SET high = ? WHERE product_id = ? AND metric = ?", high, v.product,
				v.metric); err != nil {
				return err
			}
		}
	}
	return nil
}
