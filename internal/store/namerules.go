package store

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/recognise"
)

// NameRule is a rule with its author. State is holds or waiting (for a second person).
type NameRule struct {
	recognise.Rule
	Place    int64
	On       bool
	State    string
	Author   string
	At       int64
	SignedBy string
	SignedAt int64
}

// Holds reports whether a rule is on and signed off where that was asked for.
func (r *NameRule) Holds(day civil.Day) bool { return r.On && r.State == "holds" && r.InForce(day) }

// NameRules reads the rules in their order, ended ones left out.
func (tx *Tx) NameRules() ([]NameRule, error) {
	return query(tx, func(r *sql.Rows, v *NameRule) error {
		var records, devices string
		if err := r.Scan(&v.ID, &v.Place, &v.Name, &v.Outcome, &records, &devices, &v.Product, &v.Edition, &v.Reason, &v.From, &v.Until, &v.On, &v.State, &v.Author, &v.At, &v.SignedBy, &v.SignedAt); err != nil {
			return err
		}
		return errors.Join(json.Unmarshal([]byte(records), &v.Records), json.Unmarshal([]byte(devices), &v.Devices))
	}, `SELECT id, place, name, outcome, records, devices, product_id, edition, reason, from_day, until_day, is_on, state, author, at, signed_by, signed_at FROM name_rule WHERE ended_at = 0 ORDER BY place, id`)
}

// PutNameRule adds a rule at the end (ID 0) or changes one; its place among the others stays.
func (tx *Tx) PutNameRule(v *NameRule) error {
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
		return tx.one(`UPDATE name_rule SET name = ?, outcome = ?, records = ?, devices = ?, product_id = ?, edition = ?, reason = ?, from_day = ?, until_day = ?, is_on = ?, state = ?, author = ?, at = ?, signed_by = '', signed_at = 0 WHERE id = ? AND ended_at = 0`,
			v.Name, v.Outcome, records, devices, v.Product, v.Edition, v.Reason, v.From, v.Until, v.On, v.State, v.Author, v.At, v.ID)
	}
	res, err := tx.exec(`INSERT INTO name_rule(place, name, outcome, records, devices, product_id, edition, reason, from_day, until_day, is_on, state, author, at)
		VALUES ((SELECT coalesce(max(place), 0) + 1 FROM name_rule), ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, v.Name, v.Outcome, records, devices, v.Product, v.Edition, v.Reason, v.From, v.Until, v.On, v.State, v.Author, v.At)
	if err != nil {
		return err
	}
	v.ID, err = res.LastInsertId()
	return err
}

// SetRuleState switches a rule on or off.
func (tx *Tx) SetRuleState(id int64, on bool) error {
	return tx.one("UPDATE name_rule SET is_on = ? WHERE id = ? AND ended_at = 0", on, id)
}

// SignRule makes a waiting rule hold.
func (tx *Tx) SignRule(id, at int64, by string) error {
	return tx.one("UPDATE name_rule SET state = 'holds', signed_by = ?, signed_at = ? WHERE id = ? AND state = 'waiting' AND ended_at = 0", by, at, id)
}

// EndRule ends a rule. It stays on record.
func (tx *Tx) EndRule(id, at int64, by string) error {
	return tx.one("UPDATE name_rule SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}

// OrderRules gives the rules the order of the list.
func (tx *Tx) OrderRules(ids []int64) error {
	for i, id := range ids {
		if err := tx.one("UPDATE name_rule SET place = ? WHERE id = ? AND ended_at = 0", i+1, id); err != nil {
			return err
		}
	}
	return nil
}
