package directorydb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/schedule"
	"ensomet/internal/sqlite"
)

// Directory is a directory that is read over LDAP, as it is kept. Times are in seconds since 1970.
type Directory struct {
	ID         int64
	Name       string
	Address    string
	StartTLS   bool
	CA         string
	User       string
	Password   []byte // sealed; nil for none
	Base       string
	Filter     string
	Attributes map[string]string // of theirs, each with what it is read as
	Calendar   schedule.Calendar
	Paused     bool
	Author     string
	At         int64
	TriedAt    int64
	ReadAt     int64
	Failed     bool
	Says       string
}

// Directories lists the directories by name.
func Directories(tx *sqlite.Tx) ([]Directory, error) { return directories(tx, "1 ORDER BY name") }

// OneDirectory reads one.
func OneDirectory(tx *sqlite.Tx, id int64) (Directory, error) {
	list, err := directories(tx, "id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Directory{}, err
	}
	return list[0], nil
}

func directories(tx *sqlite.Tx, where string, args ...any) ([]Directory, error) {
	return sqlite.Query(tx, func(r *sql.Rows, d *Directory) error {
		var attributes, calendar string
		if err := r.Scan(&d.ID, &d.Name, &d.Address, &d.StartTLS, &d.CA, &d.User, &d.Password, &d.Base, &d.Filter,
			&attributes, &calendar, &d.Paused, &d.Author, &d.At, &d.TriedAt, &d.ReadAt, &d.Failed,
			&d.Says); err != nil {
			return err
		}
		if err := json.Unmarshal([]byte(attributes), &d.Attributes); err != nil {
			return err
		}
		return json.Unmarshal([]byte(calendar), &d.Calendar)
	}, `SELECT id, name, address, start_tls, ca, user, password, base, filter, attributes, calendar, paused, author, at,
		tried_at, read_at, failed, says FROM directory WHERE `+where, args...)
}

// PutDirectory writes a directory and returns its number; one with the number 0 is new.
func PutDirectory(tx *sqlite.Tx, d Directory) (int64, error) {
	attributes, err := json.Marshal(d.Attributes)
	if err != nil {
		return 0, err
	}
	calendar, err := json.Marshal(d.Calendar)
	if err != nil {
		return 0, err
	}
	args := []any{d.Name, d.Address, d.StartTLS, d.CA, d.User, d.Password, d.Base, d.Filter, string(attributes),
		string(calendar), d.Paused, d.Author, d.At}
	if d.ID == 0 {
		return tx.Insert(
			`INSERT INTO directory(name, address, start_tls, ca, user, password, base, filter, attributes,
			calendar, paused, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
			args...)
	}
	return d.ID, tx.One(`UPDATE directory SET name = ?, address = ?, start_tls = ?, ca = ?, user = ?, password = ?,
		base = ?, filter = ?, attributes = ?, calendar = ?, paused = ?, author = ?, at = ? WHERE id = ?`,
		append(args, d.ID)...)
}

// DropDirectory takes a directory away; the people that came from it stay.
func DropDirectory(tx *sqlite.Tx, id int64) error {
	return tx.One("DELETE FROM directory WHERE id = ?", id)
}

// Tried notes what became of reading a directory.
func Tried(tx *sqlite.Tx, id, at int64, failed bool, says string) error {
	read := at
	if failed {
		read = 0
	}
	_, err := tx.Exec(
		`UPDATE directory SET tried_at = ?2, failed = ?3, says = ?4, read_at = max(read_at, ?5) WHERE id = ?1`,
		id,
		at,
		failed,
		says,
		read,
	)
	return err
}

// Counted counts the people of a directory, and those whom it has no more.
func Counted(tx *sqlite.Tx, id int64) (people, gone int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(*) FILTER (WHERE gone_at = 0), count(*) FILTER (WHERE gone_at > 0)
		FROM directory_entry WHERE directory_id = ?`, id).
		Scan(&people, &gone)
	return people, gone, err
}

// EntriesOf lists the user_ids that a directory had when it was read last.
func EntriesOf(tx *sqlite.Tx, id int64) ([]string, error) {
	return sqlite.Select[string](
		tx,
		"SELECT key FROM directory_entry WHERE directory_id = ? AND gone_at = 0 ORDER BY key",
		id,
	)
}

// Gone is somebody whom a directory has no more.
type Gone struct {
	Key, Name string
	At        int64
}

// GoneFrom lists whom a directory has no more, the latest first.
func GoneFrom(tx *sqlite.Tx, id int64) ([]Gone, error) {
	list, err := sqlite.Select[Gone](
		tx,
		`SELECT e.key, coalesce(p.name, '') AS name, e.gone_at AS at FROM directory_entry e
		LEFT JOIN person p ON p.code = e.key WHERE e.directory_id = ? AND e.gone_at > 0 ORDER BY e.gone_at DESC, e.key
		LIMIT ?`,
		id,
		mostShown,
	)
	return append([]Gone{}, list...), err
}

// PutEntries notes whom a directory has, and whom it has no more, as JSON lists of user_ids.
func PutEntries(tx *sqlite.Tx, id int64, keys, gone []string, at int64) error {
	for i, list := range [][]string{keys, gone} {
		text, err := json.Marshal(list)
		if err != nil {
			return err
		}
		query := `INSERT INTO directory_entry(directory_id, key, seen_at) SELECT ?1, value, ?3 FROM json_each(?2) WHERE 1
			ON CONFLICT DO UPDATE SET seen_at = excluded.seen_at, gone_at = 0`
		if i == 1 {
			query = `UPDATE directory_entry SET gone_at = ?3 WHERE directory_id = ?1
				AND key IN (SELECT value FROM json_each(?2))`
		}
		if _, err := tx.Exec(query, id, string(text), at); err != nil {
			return err
		}
	}
	return nil
}
