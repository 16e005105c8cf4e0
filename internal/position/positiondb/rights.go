package positiondb

import (
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/sqlite"
)

// SetMetricOrder writes the order in which the metrics of a product cover; none is the usual one.
func SetMetricOrder(tx *sqlite.Tx, product int64, order []entitle.Metric) error {
	var text []string
	for _, m := range order {
		text = append(text, string(m))
	}
	res, err := tx.Exec("UPDATE product SET metric_order = ? WHERE id = ?", strings.Join(text, "|"), product)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return sqlite.ErrNotFound
	}
	return nil
}
