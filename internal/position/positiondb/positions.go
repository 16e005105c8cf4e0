// Package positiondb has the tables of statements and the order of metrics.
package positiondb

import (
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/sqlite"
)

// ReasonCount counts installs by a reason.
type ReasonCount struct {
	Reason string
	Count  int64
}

// WhyNotOf counts the installs of a product that do not count by themselves, by reason.
func WhyNotOf(tx *sqlite.Tx, product int64) ([]ReasonCount, error) {
	return sqlite.Select[ReasonCount](tx, `SELECT n.why_not AS reason, count(*) AS count
		FROM install i JOIN recognition n ON n.record_id = i.record_id WHERE i.until IS NULL AND n.product_id
		= ? AND n.why_not <> '' GROUP BY 1 ORDER BY 2 DESC`,
		product,
	)
}

// SetMetricOrder writes the order in which the metrics of a product cover; none is the usual one.
func SetMetricOrder(tx *sqlite.Tx, product int64, order []entitle.Metric) error {
	var text []string
	for _, m := range order {
		text = append(text, string(m))
	}
	return tx.One("UPDATE product SET metric_order = ? WHERE id = ?", strings.Join(text, "|"), product)
}
