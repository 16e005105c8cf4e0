package snapshot

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// Decided is a decision about a name with its author. Record is one that it was taken on; State is holds, waiting
// (for a second person) or refused.
type Decided struct {
	recognise.Decision
	Record       int64
	State        string
	Batch        int64
	Author, Note string
	At           int64
	SignedBy     string
	SignedAt     int64
}

const DecisionColumns = "SELECT id, key, product_id, edition, record_id, state, batch, author, at, note, signed_by, " +
	"signed_at FROM decision"

func ScanDecided(r *sql.Rows, d *Decided) error {
	return r.Scan(
		&d.ID,
		&d.Key,
		&d.Product,
		&d.Edition,
		&d.Record,
		&d.State,
		&d.Batch,
		&d.Author,
		&d.At,
		&d.Note,
		&d.SignedBy,
		&d.SignedAt,
	)
}

// Decisions reads the decisions that hold or wait for a second person.
func Decisions(tx *sqlite.Tx) ([]Decided, error) {
	return sqlite.Query(
		tx,
		ScanDecided,
		DecisionColumns+" WHERE withdrawn_at IS NULL AND state IN ('holds', 'waiting') ORDER BY id",
	)
}

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
func NameRules(tx *sqlite.Tx) ([]NameRule, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *NameRule) error {
		var records, devices string
		if err := r.Scan(&v.ID, &v.Place, &v.Name, &v.Outcome, &records, &devices, &v.Product, &v.Edition, &v.Reason,
			&v.From, &v.Until, &v.On, &v.State, &v.Author, &v.At, &v.SignedBy, &v.SignedAt); err != nil {
			return err
		}
		return errors.Join(json.Unmarshal([]byte(records), &v.Records), json.Unmarshal([]byte(devices), &v.Devices))
	}, `SELECT id, place, name, outcome, records, devices, product_id, edition, reason, from_day, until_day, is_on,
		state, author, at, signed_by, signed_at FROM name_rule WHERE ended_at = 0 ORDER BY place, id`)
}
