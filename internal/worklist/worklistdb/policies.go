package worklistdb

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// PutPolicy writes a policy, or one that is in force anew. One that says the same of the same on the same group as
// another is not written.
func PutPolicy(tx *sqlite.Tx, p stored.Policy) (sqlite.Change, error) {
	cond, err := json.Marshal(p.Group)
	if err != nil {
		return sqlite.Same, err
	}
	var id int64
	err = tx.QueryRowContext(tx.Ctx, `SELECT id FROM policy WHERE ended_at IS NULL AND product_id = ? AND publisher = ?
		AND category = ? AND group_name = ? AND condition = ? AND stance = ? AND days = ? AND from_minute = ?
		AND to_minute = ? AND until_day = ? AND id <> ?`,
		p.Product, p.PublisherName, p.Category, p.GroupName, string(cond), string(p.Stance), p.Hours.Days,
		p.Hours.From, p.Hours.To, p.Until, p.ID).
		Scan(&id)
	if !errors.Is(err, sql.ErrNoRows) {
		return sqlite.Same, err
	}
	if p.ID != 0 {
		return sqlite.Changed, tx.One(
			"UPDATE policy SET product_id = ?, publisher = ?, category = ?, group_name = ?, condition = ?, stance = "+
				"?, "+
				"days = ?, from_minute = ?, to_minute = ?, reason = ?, owner = ?, until_day = ?, author = ?, at = ? "+
				"WHERE id = ? AND ended_at IS NULL",
			p.Product,
			p.PublisherName,
			p.Category,
			p.GroupName,
			string(cond),
			string(p.Stance),
			p.Hours.Days,
			p.Hours.From,
			p.Hours.To,
			p.Reason,
			p.Owner,
			p.Until,
			p.Author,
			p.At,
			p.ID,
		)
	}
	_, err = tx.Exec(
		"INSERT INTO policy(product_id, publisher, category, group_name, condition, stance, days, from_minute, "+
			"to_minute, reason, owner, until_day, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		p.Product,
		p.PublisherName,
		p.Category,
		p.GroupName,
		string(cond),
		string(p.Stance),
		p.Hours.Days,
		p.Hours.From,
		p.Hours.To,
		p.Reason,
		p.Owner,
		p.Until,
		p.Author,
		p.At,
	)
	return sqlite.Added, err
}

// EndPolicy takes a policy out of force.
func EndPolicy(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE policy SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at IS NULL", at, by, id)
}

// PutReclaimRule writes a rule, or one that is in force anew, and returns its number.
func PutReclaimRule(tx *sqlite.Tx, m snapshot.ReclaimRule) (int64, error) {
	cond, err := json.Marshal(m.Group)
	if err != nil {
		return 0, err
	}
	if m.ID != 0 {
		return m.ID, tx.One(
			"UPDATE reclaim_rule SET product_id = ?, publisher = ?, category = ?, group_name = ?, condition = ?, "+
				"stance = ?, window_days = ?, grace_days = ?, least_share = ?, pool_share = ?, note = ?, author = ?, "+
				"at = ? WHERE id = ? AND ended_at = 0",
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
			m.ID,
		)
	}
	return tx.Insert(
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
}

// EndReclaimRule ends a rule.
func EndReclaimRule(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE reclaim_rule SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}

// Categories lists the categories of the catalogue.
func Categories(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Select[string](tx, "SELECT DISTINCT category FROM title WHERE category <> '' ORDER BY 1")
}
