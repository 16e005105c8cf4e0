package snapshot

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// SessionRow is a session of use. Times are in seconds since 1970.
type SessionRow struct {
	Device, Name       int64
	Person             string
	Start, End, Active int64
	Cut                bool // nobody saw its end
}

// EachSessionOf walks the sessions of some names that lie at least in part in [from, to), by device, name and start.
func EachSessionOf(tx *sqlite.Tx, names []int64, from, to int64, fn func(SessionRow) error) error {
	list, err := json.Marshal(names)
	if err != nil || len(names) == 0 {
		return err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		`SELECT device_id, name_id, person_code, started_at, ended_at, active, cut = 1 FROM use_session
		WHERE name_id IN (SELECT value FROM json_each(?1)) AND started_at < ?3 AND ended_at >= ?2
		ORDER BY device_id, name_id, started_at`,
		string(list),
		from,
		to,
	)
	if err != nil {
		return err
	}
	var s SessionRow
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&s.Device, &s.Name, &s.Person, &s.Start, &s.End, &s.Active, &s.Cut); err != nil {
			return err
		}
		return fn(s)
	})
}

// UseNameRow is what sessions call a piece of software.
type UseNameRow struct {
	ID                int64
	FileName, Product string
	RolledAs          int64 // the product that it meant when days of use were rolled up, -1 for not yet
}

// AllUseNames reads all names that sessions use.
func AllUseNames(tx *sqlite.Tx) ([]UseNameRow, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *UseNameRow) error { return r.Scan(&v.ID, &v.FileName, &v.Product, &v.RolledAs) },
		"SELECT id, file_name, product, product_id FROM use_name",
	)
}

// LastUseRow is a last use as scans reported it.
type LastUseRow struct {
	Device, Record int64
	UsedOn, SeenOn civil.Day
}

// EachLastUse walks last uses up to a day.
func EachLastUse(tx *sqlite.Tx, until civil.Day, fn func(LastUseRow) error) error {
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, record_id, used_on, seen_on FROM last_use WHERE used_on <= ?",
		until,
	)
	if err != nil {
		return err
	}
	var v LastUseRow
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&v.Device, &v.Record, &v.UsedOn, &v.SeenOn); err != nil {
			return err
		}
		return fn(v)
	})
}

// LastUsesOf reads the last uses of one product up to a day.
func LastUsesOf(tx *sqlite.Tx, product int64, until civil.Day) ([]LastUseRow, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *LastUseRow) error { return r.Scan(&v.Device, &v.Record, &v.UsedOn, &v.SeenOn) },
		"SELECT l.device_id, l.record_id, l.used_on, l.seen_on FROM last_use l JOIN recognition n ON n.record_id = "+
			"l.record_id WHERE n.product_id = ? AND l.used_on <= ?",
		product,
		until,
	)
}
