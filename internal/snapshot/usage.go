package snapshot

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// EachUseSeen walks the days on which devices reported use, up to a day.
func EachUseSeen(tx *sqlite.Tx, until civil.Day, fn func(device int64, day civil.Day) error) error {
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, day FROM use_seen WHERE day <= ? ORDER BY device_id, day",
		until,
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

// UseDayRow is what one user did with a program on a device on one day. Run and Active are seconds.
type UseDayRow struct {
	Name, Device int64
	Day          civil.Day
	Person       string
	Run, Active  int64
	Sessions     int64
}

// EachUseDay walks days of use up to a day, by name, device and day; only some names where names is not nil.
func EachUseDay(tx *sqlite.Tx, names []int64, from, until civil.Day, fn func(UseDayRow) error) error {
	of, args := "", []any{from, until}
	if names != nil {
		list, err := json.Marshal(names)
		if err != nil {
			return err
		}
		of, args = "name_id IN (SELECT value FROM json_each(?3)) AND ", append(args, string(list))
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT name_id, device_id, day, person_code, run, active, sessions FROM use_day WHERE "+of+
			"day >= ?1 AND day <= ?2 ORDER BY name_id, device_id, day, person_code",
		args...)
	if err != nil {
		return err
	}
	var v UseDayRow
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
