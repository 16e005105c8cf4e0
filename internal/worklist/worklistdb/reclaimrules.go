package worklistdb

import (
	"encoding/json"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// PutReclaimRule writes a rule and returns its number.
func PutReclaimRule(tx *sqlite.Tx, m snapshot.ReclaimRule) (int64, error) {
	cond, err := json.Marshal(m.Group)
	if err != nil {
		return 0, err
	}
	res, err := tx.Exec(
		"INSERT INTO reclaim_rule(product_id, publisher, category, group_name, condition, stance, window_days, "+
			"grace_days, least_share, pool_share, note, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		m.Product,
		m.PublisherName,
		m.Category,
		m.GroupName,
		string(cond),
		string(m.Stance),
		m.Window,
		m.Grace,
		m.LeastShare,
		m.PoolShare,
		m.Reason,
		m.Author,
		m.At,
	)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// EndReclaimRule ends a rule.
func EndReclaimRule(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE reclaim_rule SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}
