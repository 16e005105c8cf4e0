package snapshot

import (
	"database/sql"

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

// AllDecisions reads every decision that was ever taken.
func AllDecisions(tx *sqlite.Tx) ([]Decided, error) {
	return sqlite.Query(tx, ScanDecided, DecisionColumns+" ORDER BY id")
}
