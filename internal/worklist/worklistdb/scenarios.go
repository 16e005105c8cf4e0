package worklistdb

import (
	"database/sql"

	"ensomet/internal/sqlite"
)

// StoredScenario is a scenario of measures. Measures are JSON.
type StoredScenario struct {
	ID, At, ChangedAt, DoneAt            int64
	Name, Note, Measures, Author, DoneBy string
}

const scenarioColumns = "SELECT id, name, note, measures, author, at, changed_at, done_at, done_by FROM " +
	"basket"

func scanScenario(r *sql.Rows, b *StoredScenario) error {
	return r.Scan(
		&b.ID,
		&b.Name,
		&b.Note,
		&b.Measures,
		&b.Author,
		&b.At,
		&b.ChangedAt,
		&b.DoneAt,
		&b.DoneBy,
	)
}

// Scenarios reads the scenarios that were not dropped, the last changed first.
func Scenarios(tx *sqlite.Tx) ([]StoredScenario, error) {
	return sqlite.Query(tx, scanScenario, scenarioColumns+" WHERE dropped_at = 0 ORDER BY changed_at DESC, id DESC")
}

// Scenario reads one scenario.
func Scenario(tx *sqlite.Tx, id int64) (StoredScenario, error) {
	list, err := sqlite.Query(tx, scanScenario, scenarioColumns+" WHERE id = ? AND dropped_at = 0", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return StoredScenario{}, err
	}
	return list[0], nil
}

// PutScenario writes a scenario; one without number is new. It returns its number.
func PutScenario(tx *sqlite.Tx, b StoredScenario) (int64, error) {
	if b.ID == 0 {
		return tx.Insert(
			"INSERT INTO basket(name, note, measures, author, at, changed_at, version) VALUES (?, ?, ?, ?, ?, ?, 1)",
			b.Name,
			b.Note,
			b.Measures,
			b.Author,
			b.At,
			b.ChangedAt,
		)
	}
	return b.ID, tx.One(
		"UPDATE basket SET name = ?, note = ?, measures = ?, changed_at = ?, version = version + 1, done_at = ?, "+
			"done_by = ? WHERE id = ? AND dropped_at = 0",
		b.Name,
		b.Note,
		b.Measures,
		b.ChangedAt,
		b.DoneAt,
		b.DoneBy,
		b.ID,
	)
}

// DropScenario puts a scenario away.
func DropScenario(tx *sqlite.Tx, id, at int64) error {
	return tx.One("UPDATE basket SET dropped_at = ? WHERE id = ? AND dropped_at = 0", at, id)
}
