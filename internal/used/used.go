// Package used reads what was measured of use: days, sessions, last uses, what licence servers lent, and what is
// chosen to be metered.
package used

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// EachSeen walks the days on which devices, nil is all, reported use, up to a day.
func EachSeen(tx *sqlite.Tx, devices []int64, until civil.Day, fn func(device int64, day civil.Day) error) error {
	of, args, err := among("device_id", devices, until)
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, day FROM use_seen WHERE "+of+"day <= ?1 ORDER BY device_id, day",
		args...,
	)
	if err != nil {
		return err
	}
	return sqlite.Each(rows, func() error {
		var device int64
		var day civil.Day
		if err := rows.Scan(&device, &day); err != nil {
			return err
		}
		return fn(device, day)
	})
}

// among is a condition, followed by AND, that a column has one of some numbers, nil is all, with its arguments after
// those given.
func among(column string, numbers []int64, args ...any) (string, []any, error) {
	if numbers == nil {
		return "", args, nil
	}
	list, err := json.Marshal(numbers)
	args = append(args, string(list))
	return column + " IN (SELECT value FROM json_each(?" + sqlite.Itoa(int64(len(args))) + ")) AND ", args, err
}

// Day is what one user did with a program on a device on one day. Run and Active are seconds.
type Day struct {
	Name, Device int64
	Day          civil.Day
	Person       string
	Run, Active  int64
	Sessions     int64
}

// EachDay walks days of use up to a day, by name, device and day; of some names and devices alone where these are
// not nil.
func EachDay(tx *sqlite.Tx, names, devices []int64, from, until civil.Day, fn func(Day) error) error {
	of, args, err := among("name_id", names, from, until)
	if err != nil {
		return err
	}
	if devices != nil && names == nil { // the names are few, and the rows are found by them
		of = "name_id IN (SELECT id FROM use_name) AND "
	}
	on, args, err := among("device_id", devices, args...)
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT name_id, device_id, day, person_code, run, active, sessions FROM use_day WHERE "+of+on+
			"day >= ?1 AND day <= ?2 ORDER BY name_id, device_id, day, person_code",
		args...)
	if err != nil {
		return err
	}
	var v Day
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&v.Name, &v.Device, &v.Day, &v.Person, &v.Run, &v.Active, &v.Sessions); err != nil {
			return err
		}
		return fn(v)
	})
}

// Metering says that titles are metered on devices of a group, or not, from a day on. Its stance is policy.Metered or
// policy.NotMetered.
type Metering struct {
	policy.Policy
	PublisherName string
	From          civil.Day
	Author        string
	At, EndedAt   int64
}

// Meterings reads what is to be metered.
func Meterings(tx *sqlite.Tx) ([]Metering, error) { return meterings(tx, " WHERE ended_at = 0") }

// MeteringsEver reads what is to be metered, and what was.
func MeteringsEver(tx *sqlite.Tx) ([]Metering, error) { return meterings(tx, "") }

func meterings(tx *sqlite.Tx, where string) ([]Metering, error) {
	return sqlite.Query(tx, func(r *sql.Rows, m *Metering) error {
		var cond string
		if err := r.Scan(&m.ID, &m.Product, &m.PublisherName, &m.Category, &m.GroupName, &cond, &m.Stance, &m.From,
			&m.Reason, &m.Author, &m.At, &m.EndedAt); err != nil {
			return err
		}
		m.Publisher = recognise.CleanPublisher(m.PublisherName)
		return json.Unmarshal([]byte(cond), &m.Group)
	}, "SELECT id, product_id, publisher, category, group_name, condition, stance, from_day, note, author, at, "+
		"ended_at FROM metering"+where+" ORDER BY id")
}

// Session is a session of use. Times are in seconds since 1970.
type Session struct {
	Device, Name       int64
	Person             string
	Start, End, Active int64
	Cut                bool // nobody saw its end
}

// EachSession walks the sessions of some names that lie at least in part in [from, to), by device, name and start.
func EachSession(tx *sqlite.Tx, names []int64, from, to int64, fn func(Session) error) error {
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
	var s Session
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&s.Device, &s.Name, &s.Person, &s.Start, &s.End, &s.Active, &s.Cut); err != nil {
			return err
		}
		return fn(s)
	})
}

// Name is what sessions call a piece of software.
type Name struct {
	ID                int64
	FileName, Product string
	RolledAs          int64 // the product that it meant when days of use were rolled up, -1 for not yet
}

// Names reads all names that sessions use.
func Names(tx *sqlite.Tx) ([]Name, error) {
	return sqlite.Select[Name](tx, `SELECT id, file_name, product, product_id AS
		rolled_as FROM use_name`,
	)
}

// Last is a last use as scans reported it.
type Last struct {
	Device, Record int64
	UsedOn, SeenOn civil.Day
}

// EachLast walks last uses up to a day, of some devices and records alone where these are not nil.
func EachLast(tx *sqlite.Tx, devices, records []int64, until civil.Day, fn func(Last) error) error {
	on, args, err := among("device_id", devices, until)
	if err != nil {
		return err
	}
	of, args, err := among("+record_id", records, args...) // a device has few: they are not looked up one by one
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, record_id, used_on, seen_on FROM last_use WHERE "+on+of+"used_on <= ?1",
		args...,
	)
	if err != nil {
		return err
	}
	var v Last
	return sqlite.Each(rows, func() error {
		if err := rows.Scan(&v.Device, &v.Record, &v.UsedOn, &v.SeenOn); err != nil {
			return err
		}
		return fn(v)
	})
}

// LastOf reads the last uses of one product up to a day.
func LastOf(tx *sqlite.Tx, product int64, until civil.Day) ([]Last, error) {
	return sqlite.Select[Last](tx, `SELECT l.device_id AS device, l.record_id AS
		record, l.used_on, l.seen_on FROM last_use l JOIN recognition n ON n.record_id = l.record_id WHERE
		n.product_id = ? AND l.used_on <= ?`,
		product,
		until,
	)
}
