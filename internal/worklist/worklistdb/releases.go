package worklistdb

import (
	"database/sql"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// OpenPlans reads the plans about all products that have not ended.
func OpenPlans(tx *sqlite.Tx) ([]snapshot.Plan, error) {
	return sqlite.Query(tx, snapshot.ScanPlan, snapshot.PlanColumns+" WHERE ended_at = 0 ORDER BY product_id, id")
}

// DevicesOfTitle lists the devices on which a title was at a second.
func DevicesOfTitle(tx *sqlite.Tx, title, at int64) ([]int64, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *int64) error { return r.Scan(v) },
		`SELECT DISTINCT i.device_id FROM recognition n JOIN install i ON i.record_id = n.record_id
		WHERE n.title_id = ?1 AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2) ORDER BY 1`,
		title,
		at,
	)
}
