package store

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
)

// ReclaimRule says when licences of titles are proposed for reclaim. Its stance is policy.Proposed or policy.NotProposed.
type ReclaimRule struct {
	policy.Policy
	PublisherName string
	Window, Grace int     // days
	LeastShare    float64 // of the window that must be measured
	PoolShare     float64 // a pool whose peak lies below this share of its quantity is proposed
	Author        string
	At            int64
}

// ReclaimRules reads the rules in force.
func (tx *Tx) ReclaimRules() ([]ReclaimRule, error) {
	return query(tx, func(r *sql.Rows, m *ReclaimRule) error {
		var cond string
		if err := r.Scan(&m.ID, &m.Product, &m.PublisherName, &m.Category, &m.GroupName, &cond, &m.Stance, &m.Window, &m.Grace, &m.LeastShare, &m.PoolShare, &m.Reason, &m.Author, &m.At); err != nil {
			return err
		}
		m.Publisher = recognise.CleanPublisher(m.PublisherName)
		return json.Unmarshal([]byte(cond), &m.Group)
	}, "SELECT id, product_id, publisher, category, group_name, condition, stance, window_days, grace_days, least_share, pool_share, note, author, at FROM reclaim_rule WHERE ended_at = 0 ORDER BY id")
}

// PutReclaimRule writes a rule and returns its number.
func (tx *Tx) PutReclaimRule(m ReclaimRule) (int64, error) {
	cond, err := json.Marshal(m.Group)
	if err != nil {
		return 0, err
	}
	res, err := tx.exec("INSERT INTO reclaim_rule(product_id, publisher, category, group_name, condition, stance, window_days, grace_days, least_share, pool_share, note, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		m.Product, m.PublisherName, m.Category, m.GroupName, string(cond), string(m.Stance), m.Window, m.Grace, m.LeastShare, m.PoolShare, m.Reason, m.Author, m.At)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// EndReclaimRule ends a rule.
func (tx *Tx) EndReclaimRule(id, at int64, by string) error {
	return tx.one("UPDATE reclaim_rule SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}
