package titlesdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// CatalogueUpdate is a newer catalogue whose differences are being looked through.
type CatalogueUpdate struct {
	ID       int64
	File     string
	At       int64
	Author   string
	Entries  int64
	ClosedAt int64
	ClosedBy string
	Bad      string // the lines that could not be read, one a line
}

// PutUpdate keeps a newer catalogue.
func PutUpdate(tx *sqlite.Tx, o CatalogueUpdate, entries []formats.Entry) (int64, error) {
	res, err := tx.Exec("INSERT INTO offer(file, at, author, bad) VALUES (?, ?, ?, ?)", o.File, o.At, o.Author, o.Bad)
	if err != nil {
		return 0, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return 0, err
	}
	b, err := tx.Bulk(7, "INSERT INTO offer_entry(offer_id, place, publisher, product, edition, version, says)", "")
	if err != nil {
		return 0, err
	}
	for i, e := range entries {
		says, err := json.Marshal(e.Says)
		if err != nil {
			return 0, err
		}
		if err := b.Add(id, i, e.Publisher, e.Product, e.Edition, e.Version, string(says)); err != nil {
			return 0, err
		}
	}
	return id, b.Flush()
}

// CatalogueUpdates reads the newest updates.
func CatalogueUpdates(tx *sqlite.Tx, most int) ([]CatalogueUpdate, error) {
	return sqlite.Select[CatalogueUpdate](tx, `SELECT o.id, o.file, o.at, o.author, (SELECT
		count(*) FROM offer_entry e WHERE e.offer_id = o.id) AS entries, o.closed_at, o.closed_by, o.bad FROM
		offer o ORDER BY o.id DESC LIMIT ?`, most)
}

// UpdateEntries reads what an update says, in the order of its file.
func UpdateEntries(tx *sqlite.Tx, update int64) ([]formats.Entry, error) {
	return sqlite.Query(tx, func(r *sql.Rows, e *formats.Entry) error {
		var says string
		if err := r.Scan(&e.Publisher, &e.Product, &e.Edition, &e.Version, &says); err != nil {
			return err
		}
		return json.Unmarshal([]byte(says), &e.Says)
	}, "SELECT publisher, product, edition, version, says FROM offer_entry WHERE offer_id = ? ORDER BY place", update)
}

// CloseUpdate puts an update away. What it said is no longer kept then.
func CloseUpdate(tx *sqlite.Tx, id, at int64, by string) error {
	if err := tx.One("UPDATE offer SET closed_at = ?, closed_by = ? WHERE id = ? AND closed_at = 0", at, by,
		id); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM offer_entry WHERE offer_id = ?", id)
	return err
}
