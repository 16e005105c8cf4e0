package evidencedb

import (
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// AddImport notes an import and returns its number.
func AddImport(tx *sqlite.Tx, im snapshot.Import) (int64, error) {
	return tx.Insert(
		"INSERT INTO import(kind, file, at, author, lines, added, changed, gone, set_aside, state, devices, "+
			"devices_taken) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		im.Kind,
		im.File,
		im.At,
		im.Author,
		im.Lines,
		im.Added,
		im.Changed,
		im.Gone,
		im.SetAside,
		im.State,
		im.Devices,
		im.DevicesTaken,
	)
}

// PutImport notes how far an import got.
func PutImport(tx *sqlite.Tx, im snapshot.Import) error {
	return tx.One("UPDATE import SET lines = ?, added = ?, changed = ?, gone = ?, set_aside = ?, state = ?, "+
		"devices_taken = ? WHERE id = ?", im.Lines, im.Added, im.Changed, im.Gone, im.SetAside, im.State,
		im.DevicesTaken, im.ID)
}

// StopImport notes that an import was stopped, or broken off: what was taken in by then stays. Without a number that is
// said of all that run.
func StopImport(tx *sqlite.Tx, id int64) error {
	_, err := tx.Exec("UPDATE import SET state = 'stopped' WHERE state = 'running' AND (?1 = 0 OR id = ?1)", id)
	return err
}

// Reported is a line as it came.
type Reported struct {
	Line    int
	Content string
}

// KeepLines keeps the lines of an import that said something new, with the header they stand under.
func KeepLines(tx *sqlite.Tx, id int64, header []string, lines []Reported) error {
	text, err := json.Marshal(header)
	if err != nil {
		return err
	}
	if _, err := tx.Exec("UPDATE import SET header = ? WHERE id = ?", string(text), id); err != nil {
		return err
	}
	if err := tx.LayRows("reported", "0"); err != nil {
		return err
	}
	b, err := tx.Bulk(3, "INSERT INTO reported(import_id, line, content)", "")
	if err != nil {
		return err
	}
	for _, l := range lines {
		if err := b.Add(id, l.Line, l.Content); err != nil {
			return err
		}
	}
	return b.Flush()
}

// Aside is a line that could not be taken in. State is waiting, mended or dropped.
type Aside struct {
	ID, ImportID  int64
	Kind, File    string
	Line          int
	Header        []string
	Content       string
	Reason, State string
	AsOf          int64 // the time of the evidence where the line does not say
	ChangedAt     int64
	Author        string
}

// AddAside keeps a line. One that was put aside before with the same content is not kept twice; one that was mended
// or dropped stays so, and known says it.
func AddAside(tx *sqlite.Tx, a Aside) (known bool, err error) {
	header, err := json.Marshal(a.Header)
	if err != nil {
		return false, err
	}
	var state string
	err = tx.QueryRowContext(tx.Ctx, "SELECT state FROM set_aside WHERE kind = ? AND content = ?", a.Kind, a.Content).
		Scan(&state)
	if err == nil && state != "waiting" {
		return true, nil
	}
	_, err = tx.Exec(
		`INSERT INTO set_aside(import_id, kind, file, line, header, content, reason, as_of, changed_at)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT (kind, content) DO UPDATE SET reason = excluded.reason`,
		a.ImportID,
		a.Kind,
		a.File,
		a.Line,
		string(header),
		a.Content,
		a.Reason,
		a.AsOf,
		a.ChangedAt,
	)
	return false, err
}

// Asides returns lines in a state, all where state is empty, in the order in which they came.
func Asides(tx *sqlite.Tx, state string) ([]Aside, error) {
	return sqlite.Query(tx, scanAside, asideColumns+" WHERE ? = '' OR state = ? ORDER BY id", state, state)
}

const asideColumns = "SELECT id, import_id, kind, file, line, header, content, reason, state, as_of, changed_at, " +
	"author FROM set_aside"

func scanAside(r *sql.Rows, v *Aside) error {
	var header string
	if err := r.Scan(&v.ID, &v.ImportID, &v.Kind, &v.File, &v.Line, &header, &v.Content, &v.Reason, &v.State, &v.AsOf,
		&v.ChangedAt, &v.Author); err != nil {
		return err
	}
	return json.Unmarshal([]byte(header), &v.Header)
}

// AsideByID returns one line.
func AsideByID(tx *sqlite.Tx, id int64) (Aside, error) {
	list, err := sqlite.Query(tx, scanAside, asideColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		return Aside{}, sqlite.ErrNotFound
	}
	if err != nil {
		return Aside{}, err
	}
	return list[0], nil
}

// SetAsideState moves a line on. Content stays as it came; a reason is replaced where a new one is given.
func SetAsideState(tx *sqlite.Tx, id int64, state, reason, author string, at time.Time) error {
	res, err := tx.Exec(
		"UPDATE set_aside SET state = ?, reason = CASE WHEN ? = '' THEN reason ELSE ? END, author = ?, changed_at = "+
			"? WHERE id = ?",
		state,
		reason,
		reason,
		author,
		at.Unix(),
		id,
	)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return fmt.Errorf("line %d: %w", id, sqlite.ErrNotFound)
	}
	return nil
}
