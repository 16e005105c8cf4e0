package snapshot

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
)

// EachUseSeen walks the days on which devices, nil is all, reported use, up to a day.
func EachUseSeen(tx *sqlite.Tx, devices []int64, until civil.Day, fn func(device int64, day civil.Day) error) error {
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

// UseDayRow is what one user did with a program on a device on one day. Run and Active are seconds.
type UseDayRow struct {
	Name, Device int64
	Day          civil.Day
	Person       string
	Run, Active  int64
	Sessions     int64
}

// EachUseDay walks days of use up to a day, by name, device and day; of some names and devices alone where these are
// not nil.
func EachUseDay(tx *sqlite.Tx, names, devices []int64, from, until civil.Day, fn func(UseDayRow) error) error {
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
	return sqlite.Select[UseNameRow](tx, `SELECT id, file_name, product, product_id AS
		rolled_as FROM use_name`,
	)
}

// LastUseRow is a last use as scans reported it.
type LastUseRow struct {
	Device, Record int64
	UsedOn, SeenOn civil.Day
}

// EachLastUse walks last uses up to a day, on some devices or where that is nil on all.
func EachLastUse(tx *sqlite.Tx, devices []int64, until civil.Day, fn func(LastUseRow) error) error {
	on, args, err := among("device_id", devices, until)
	if err != nil {
		return err
	}
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, record_id, used_on, seen_on FROM last_use WHERE "+on+"used_on <= ?1",
		args...,
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
	return sqlite.Select[LastUseRow](tx, `SELECT l.device_id AS device, l.record_id AS
		record, l.used_on, l.seen_on FROM last_use l JOIN recognition n ON n.record_id = l.record_id WHERE
		n.product_id = ? AND l.used_on <= ?`,
		product,
		until,
	)
}

// JudgeUse classifies the use of every counted product on every device.
func JudgeUse(e *Snapshot, uses map[DevicePair]*Use) (out []IdleFact) {
	w := usage.Window{AsOf: e.AsOf, Days: e.Settings.UseWindow, LeastShare: e.Settings.LeastShare}
	for _, f := range e.Ordered() {
		for _, h := range f.Holdings {
			u := uses[DevicePair{h.Device, f.Id}]
			if u == nil {
				u = &Use{}
			}
			person := e.countsAs(u.person)
			if person == "" {
				person = e.countsAs(e.Devices[e.DeviceAt[h.Device]].PrimaryUser)
			}
			c := usage.Classify(u.Facts, w)
			out = append(
				out,
				IdleFact{
					Device:   h.Device,
					Product:  f.Id,
					Person:   person,
					Class:    string(c.Class),
					Used:     c.Used,
					Measured: c.Measured,
					Last:     c.Last,
				},
			)
		}
	}
	return out
}

// KeepsEnough refuses windows that look back further than what was measured is kept: "no data" would be read as "not
// used".
func (s *Settings) KeepsEnough() error {
	switch {
	case s.UseWindow > s.DayDays:
		return refuse.Errorf(
			"classes of use look at %d days, but days of use are kept for %d: keep them longer, or look at a shorter "+
				"window",
			s.UseWindow,
			s.DayDays,
		)
	case s.DemandDays > s.SessionDays:
		return refuse.Errorf(
			"demand looks at %d days of runs, but they are kept for %d: keep them longer",
			s.DemandDays,
			s.SessionDays,
		)
	case s.SessionDays > s.DayDays:
		return refuse.Errorf(
			"runs are kept for %d days and the days of use made of them for %d: the days must be kept at least as "+
				"long",
			s.SessionDays,
			s.DayDays,
		)
	case s.EventDays > s.SessionDays:
		return refuse.Errorf(
			"raw events are kept for %d days and the runs made of them for %d: the runs must be kept at least as long",
			s.EventDays,
			s.SessionDays,
		)
	}
	return nil
}
