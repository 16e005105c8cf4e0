package titlesdb

import (
	"encoding/json"

	"ensomet/internal/core/condition"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// PutNameRule adds a rule at the end (ID 0) or changes one; its place among the others stays.
func PutNameRule(tx *sqlite.Tx, v *snapshot.NameRule) error {
	text := func(c condition.Condition) (string, error) {
		b, err := json.Marshal(c)
		return string(b), err
	}
	records, err := text(v.Records)
	if err != nil {
		return err
	}
	devices, err := text(v.Devices)
	if err != nil {
		return err
	}
	if v.ID != 0 {
		return tx.One(
			`UPDATE name_rule SET name = ?, outcome = ?, records = ?, devices = ?, product_id = ?, edition = ?, reason
				= ?, from_day = ?, until_day = ?, is_on = ?, state = ?, author = ?, at = ?, signed_by = '', signed_at =
				0 WHERE id = ? AND ended_at = 0`,
			v.Name,
			v.Outcome,
			records,
			devices,
			v.Product,
			v.Edition,
			v.Reason,
			v.From,
			v.Until,
			v.On,
			v.State,
			v.Author,
			v.At,
			v.ID,
		)
	}
	res, err := tx.Exec(
		`INSERT INTO name_rule(place, name, outcome, records, devices, product_id, edition, reason, from_day,
			until_day, is_on, state, author, at)
		VALUES ((SELECT coalesce(max(place), 0) + 1 FROM name_rule), ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		v.Name,
		v.Outcome,
		records,
		devices,
		v.Product,
		v.Edition,
		v.Reason,
		v.From,
		v.Until,
		v.On,
		v.State,
		v.Author,
		v.At,
	)
	if err != nil {
		return err
	}
	v.ID, err = res.LastInsertId()
	return err
}

// SetRuleState switches a rule on or off.
func SetRuleState(tx *sqlite.Tx, id int64, on bool) error {
	return tx.One("UPDATE name_rule SET is_on = ? WHERE id = ? AND ended_at = 0", on, id)
}

// SignRule makes a waiting rule hold.
func SignRule(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One(
		"UPDATE name_rule SET state = 'holds', signed_by = ?, signed_at = ? WHERE id = ? AND state = 'waiting' AND "+
			"ended_at = 0",
		by,
		at,
		id,
	)
}

// EndRule ends a rule. It stays on record.
func EndRule(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE name_rule SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}

// OrderRules gives the rules the order of the list.
func OrderRules(tx *sqlite.Tx, ids []int64) error {
	for i, id := range ids {
		if err := tx.One("UPDATE name_rule SET place = ? WHERE id = ? AND ended_at = 0", i+1, id); err != nil {
			return err
		}
	}
	return nil
}
