// Package placesdb has the tables of folders and addresses that are looked at on a schedule.
package placesdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/schedule"
	"ensomet/internal/sqlite"
)

// Place is a folder or an address, as it is kept. Times are in seconds since 1970.
type Place struct {
	ID       int64
	Name     string
	Place    string
	Pattern  string
	Kind     string
	Calendar schedule.Calendar
	Paused   bool
	Author   string
	At       int64
	TriedAt  int64
	CameAt   int64
	State    string
	Says     string
	Tag      string
}

// Places lists the places by name.
func Places(tx *sqlite.Tx) ([]Place, error) { return places(tx, "1 ORDER BY name") }

// OnePlace reads one.
func OnePlace(tx *sqlite.Tx, id int64) (Place, error) {
	list, err := places(tx, "id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Place{}, err
	}
	return list[0], nil
}

func places(tx *sqlite.Tx, where string, args ...any) ([]Place, error) {
	return sqlite.Query(tx, func(r *sql.Rows, p *Place) error {
		var calendar string
		if err := r.Scan(&p.ID, &p.Name, &p.Place, &p.Pattern, &p.Kind, &calendar, &p.Paused, &p.Author, &p.At,
			&p.TriedAt, &p.CameAt, &p.State, &p.Says, &p.Tag); err != nil {
			return err
		}
		return json.Unmarshal([]byte(calendar), &p.Calendar)
	}, `SELECT id, name, place, pattern, kind, calendar, paused, author, at, tried_at, came_at, state, says, tag
		FROM watched_place WHERE `+where, args...)
}

// PutPlace writes a place and returns its number; one with the number 0 is new.
func PutPlace(tx *sqlite.Tx, p Place) (int64, error) {
	calendar, err := json.Marshal(p.Calendar)
	if err != nil {
		return 0, err
	}
	args := []any{p.Name, p.Place, p.Pattern, p.Kind, string(calendar), p.Paused, p.Author, p.At}
	if p.ID == 0 {
		return tx.Insert(`INSERT INTO watched_place(name, place, pattern, kind, calendar, paused, author, at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?)`, args...)
	}
	return p.ID, tx.One(
		`UPDATE watched_place SET name = ?, place = ?, pattern = ?, kind = ?, calendar = ?, paused = ?,
		author = ?, at = ?, tag = '' WHERE id = ?`,
		append(args, p.ID)...)
}

// DropPlace takes a place away; what came from it stays.
func DropPlace(tx *sqlite.Tx, id int64) error {
	return tx.One("DELETE FROM watched_place WHERE id = ?", id)
}

// Looked notes what became of looking at a place.
func Looked(tx *sqlite.Tx, id, at, came int64, state, says, tag string) error {
	_, err := tx.Exec(
		`UPDATE watched_place SET tried_at = ?2, came_at = max(came_at, ?3), state = ?4, says = ?5, tag = ?6
		WHERE id = ?1`,
		id,
		at,
		came,
		state,
		says,
		tag,
	)
	return err
}

// File is what was there.
type File struct {
	ID         int64
	Name       string
	Size       int64
	ModifiedAt int64 `db:"modified_at"`
	Hash       string
	TakenAt    int64 `db:"taken_at"`
	Refused    bool
	Aside      int64
	Says       string
}

// Files lists what was there, the newest first.
func Files(tx *sqlite.Tx, place int64, most int) ([]File, error) {
	list, err := sqlite.Select[File](
		tx,
		`SELECT id, name, size, modified_at, hash, taken_at, refused, aside, says
		FROM watched_file WHERE place_id = ? ORDER BY taken_at DESC, id DESC LIMIT ?`,
		place,
		most,
	)
	return append([]File{}, list...), err
}

// Known reports whether a content was there before.
func Known(tx *sqlite.Tx, place int64, hash string) (bool, error) {
	list, err := sqlite.Select[bool](
		tx,
		"SELECT EXISTS (SELECT 1 FROM watched_file WHERE place_id = ? AND hash = ?)",
		place,
		hash,
	)
	return err == nil && list[0], err
}

// PutFile notes what was there.
func PutFile(tx *sqlite.Tx, place int64, f File) error {
	_, err := tx.Exec(
		`INSERT OR IGNORE INTO watched_file(place_id, name, size, modified_at, hash, taken_at, refused, aside,
		says) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		place,
		f.Name,
		f.Size,
		f.ModifiedAt,
		f.Hash,
		f.TakenAt,
		f.Refused,
		f.Aside,
		f.Says,
	)
	return err
}
