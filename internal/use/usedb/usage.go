// Package usedb has the tables of events, runs and days of use, and pools.
package usedb

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
)

// PutProcessEvent writes what an operating system reported. The same twice is one.
func PutProcessEvent(tx *sqlite.Tx, on stored.UsedOn, e usage.Event) (sqlite.Change, error) {
	if err := tx.LayRows("process_event", "device_id = ?", on.Device); err != nil {
		return sqlite.Same, err
	}
	n, err := tx.Touched(
		"INSERT OR IGNORE INTO process_event(device_id, at, kind, pid, name_id, person_code, started, active, "+
			"origin) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)",
		on.Device,
		e.At,
		int64(e.Kind),
		e.PID,
		on.Name,
		e.User,
		e.Started,
		e.Active,
		on.Origin,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// ProcessEvents reads the events of a device that are kept, in order.
func ProcessEvents(tx *sqlite.Tx, device int64) ([]usage.Event, error) {
	return sqlite.Select[usage.Event](tx, `SELECT at, kind, pid, name_id AS program,
		person_code AS user, started, active FROM process_event WHERE device_id = ? ORDER BY at`, device)
}

// PutMade brings the runs that events of a device made, from a time on, in line with what they make now, and notes
// how much of them was lost. It writes what differs alone, and returns the earliest start of that (0 where nothing
// differs) and the names of what went.
func PutMade(tx *sqlite.Tx, device, from int64, p *usage.Paired) (since int64, gone []int64, err error) {
	type key struct {
		program, start int64
		user           string
	}
	type was struct {
		usage.Session
		state int
	}
	had := map[key]was{}
	list, err := sqlite.Query(tx, func(r *sql.Rows, w *was) error {
		return r.Scan(&w.Program, &w.User, &w.Start, &w.End, &w.Active, &w.state)
	}, "SELECT name_id, person_code, started_at, ended_at, active, cut FROM use_session WHERE device_id = ? AND made "+
		"= 1 AND started_at >= ?", device, from)
	if err != nil {
		return 0, nil, err
	}
	for _, w := range list {
		had[key{w.Program, w.Start, w.User}] = w
	}
	earlier := func(start int64) {
		if since == 0 || start < since {
			since = start
		}
	}
	now := map[key]was{}
	for i := range p.Sessions {
		s := was{Session: p.Sessions[i]}
		if s.Start < from {
			continue // what made it is gone in part: it stands as it was
		}
		if s.Cut {
			s.state = 1
		} else if s.Open {
			s.state = 2
		}
		k := key{s.Program, s.Start, s.User}
		// two processes of one program that start in one second are one run, the longer
		if old, twice := now[k]; twice {
			s.End, s.Active, s.state = max(s.End, old.End), max(s.Active, old.Active), min(s.state, old.state)
		}
		now[k] = s
	}
	for k, w := range had {
		if _, still := now[k]; still {
			continue
		}
		earlier(k.start)
		gone = append(gone, k.program)
		if _, err := tx.Exec("DELETE FROM use_session WHERE device_id = ? AND name_id = ? AND person_code = ? AND "+
			"started_at = ? AND made = 1", device, k.program, k.user, w.Start); err != nil {
			return 0, nil, err
		}
	}
	for k, s := range now {
		if old, known := had[k]; known && old.End == s.End && old.Active == s.Active && old.state == s.state {
			continue
		}
		earlier(k.start)
		if _, err := tx.Exec(`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active,
			cut, made) VALUES (?, ?, ?, ?, ?, ?, ?, 1)
			ON CONFLICT DO UPDATE SET ended_at = CASE WHEN made = 1 THEN excluded.ended_at ELSE max(ended_at,
			excluded.ended_at) END, active = CASE WHEN made = 1 THEN excluded.active ELSE max(active, excluded.active)
			END, cut = CASE WHEN made = 1 THEN excluded.cut ELSE cut END`,
			device, s.Program, s.User, s.Start, s.End, s.Active, s.state); err != nil {
			return 0, nil, err
		}
	}
	_, err = tx.Exec(`INSERT INTO use_lost(device_id, starts, strays, cut, future) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET starts = excluded.starts, strays = excluded.strays, cut = excluded.cut, future =
		excluded.future`, device, p.Starts, p.Strays, p.Cut, p.Future)
	return since, gone, err
}

// UseLost is how much of what events spoke of was not seen whole.
type UseLost struct{ Starts, Strays, Cut, Future int64 }

// UseLostOf sums up what was lost on a device, or on all where device is 0.
func UseLostOf(tx *sqlite.Tx, device int64) (v UseLost, err error) {
	err = tx.QueryRowContext(
		tx.Ctx,
		"SELECT coalesce(sum(starts), 0), coalesce(sum(strays), 0), coalesce(sum(cut), 0), coalesce(sum(future), 0) "+
			"FROM use_lost WHERE ?1 = 0 OR device_id = ?1",
		device,
	).
		Scan(&v.Starts, &v.Strays, &v.Cut, &v.Future)
	return v, err
}

// SessionsOn reads the runs of programs on a device that ended at a time or later. Program is the number of the name.
func SessionsOn(tx *sqlite.Tx, device, from int64) ([]usage.Session, error) {
	return sqlite.Query(tx, func(r *sql.Rows, s *usage.Session) error {
		var cut int
		err := r.Scan(&s.Program, &s.User, &s.Start, &s.End, &s.Active, &cut)
		s.Cut, s.Open = cut == 1, cut == 2
		return err
	}, "SELECT name_id, person_code, started_at, ended_at, active, cut FROM use_session WHERE device_id = ? AND "+
		"ended_at >= ?", device, from)
}

// PutUseDays brings the days of use of a device in line from a day on: those from the day whole on, whose runs are
// all kept, are replaced for the names that are given; earlier ones grow where days say more, and never shrink.
func PutUseDays(tx *sqlite.Tx, device int64, from, whole civil.Day, names []int64, days []usage.Day) error {
	for _, n := range names {
		if _, err := tx.Exec("DELETE FROM use_day WHERE name_id = ? AND device_id = ? AND day >= ?", n, device,
			whole); err != nil {
			return err
		}
	}
	for i := range days {
		d := &days[i]
		if d.Day < from {
			continue
		}
		if _, err := tx.Exec(`INSERT INTO use_day(name_id, device_id, day, person_code, run, active, sessions, cut)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?)
			ON CONFLICT DO UPDATE SET run = max(run, excluded.run), active = max(active, excluded.active), sessions =
			max(sessions, excluded.sessions), cut = max(cut, excluded.cut)`,
			d.Program, device, d.Day, d.User, d.Run, d.Active, d.Sessions, d.Cut); err != nil {
			return err
		}
	}
	return nil
}

// PutUseSeen notes on which days a device reported any use.
func PutUseSeen(tx *sqlite.Tx, device int64, days []civil.Day) error {
	for _, d := range days {
		if _, err := tx.Exec("INSERT OR IGNORE INTO use_seen(device_id, day) VALUES (?, ?)", device, d); err != nil {
			return err
		}
	}
	return nil
}

// UseNameMeans notes which product a name means from now on, and that the devices which have runs of it are to be
// rolled up anew where it meant another.
func UseNameMeans(tx *sqlite.Tx, name, product int64, anew bool) error {
	if _, err := tx.Exec("UPDATE use_name SET product_id = ? WHERE id = ?", product, name); err != nil || !anew {
		return err
	}
	_, err := tx.Exec(
		"INSERT INTO use_due(device_id, since) SELECT device_id, min(started_at) FROM use_session WHERE name_id = ? "+
			"GROUP BY device_id ON CONFLICT DO UPDATE SET since = min(since, excluded.since), after = 0",
		name,
	)
	return err
}

// UseZones gives the zones whose days the use of devices was rolled up by; of some devices, or where that is nil of
// all.
func UseZones(tx *sqlite.Tx, devices []int64) (map[int64]string, error) {
	text, args := "SELECT device_id, zone FROM use_zone", []any(nil)
	if devices != nil {
		list, err := json.Marshal(devices)
		if err != nil {
			return nil, err
		}
		text, args = text+" WHERE device_id IN (SELECT value FROM json_each(?))", []any{string(list)}
	}
	rows, err := tx.QueryContext(tx.Ctx, text, args...)
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, sqlite.Each(rows, func() error {
		var device int64
		var zone string
		err := rows.Scan(&device, &zone)
		out[device] = zone
		return err
	})
}

// PutUseZone notes the zone whose days a device's use was rolled up by.
func PutUseZone(tx *sqlite.Tx, device int64, zone string) error {
	_, err := tx.Exec(
		"INSERT INTO use_zone(device_id, zone) VALUES (?1, ?2) ON CONFLICT DO UPDATE SET zone = ?2",
		device,
		zone,
	)
	return err
}

// UseDue lists up to n devices whose runs are to be rolled up by a time, each with the start from which on.
func UseDue(tx *sqlite.Tx, n int, by int64) (map[int64]int64, error) {
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT device_id, since FROM use_due WHERE after <= ? ORDER BY device_id LIMIT ?",
		by,
		n,
	)
	if err != nil {
		return nil, err
	}
	out := map[int64]int64{}
	return out, sqlite.Each(rows, func() error {
		var device, since int64
		err := rows.Scan(&device, &since)
		out[device] = since
		return err
	})
}

// TakeUseDue takes a device off the list of those that are to be rolled up, and says from which start on it was to
// be: none where it was not on it.
func TakeUseDue(tx *sqlite.Tx, device, none int64) (since int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "DELETE FROM use_due WHERE device_id = ? RETURNING since", device).Scan(&since)
	if errors.Is(err, sql.ErrNoRows) {
		return none, nil
	}
	return since, err
}

// ForgetUse deletes events before one time, runs that ended before another, and days before a third. It returns how
// many of each went.
func ForgetUse(tx *sqlite.Tx, events, sessions int64, days civil.Day) (gone [3]int64, err error) {
	for i, step := range []struct {
		sql string
		arg any
	}{{"DELETE FROM process_event WHERE at < ?", events}, {"DELETE FROM use_session WHERE ended_at < ?", sessions},
		{"DELETE FROM use_day WHERE day < ?", days}} {
		res, err := tx.Exec(step.sql, step.arg)
		if err != nil {
			return gone, err
		}
		gone[i], _ = res.RowsAffected()
	}
	if _, err = tx.Exec("DELETE FROM use_seen WHERE day < ?", days); err != nil {
		return gone, err
	}
	// nor is it kept as what was known on an earlier day
	return gone, errors.Join(
		tx.Forget("process_event", "json_extract(key, '$[1]') < ?", events),
		tx.Forget(
			"use_session",
			"coalesce(json_extract(image, '$.ended_at'), json_extract(key, '$[3]')) < ?",
			sessions,
		),
		tx.Forget("use_day", "json_extract(key, '$[2]') < ?", days),
		tx.Forget("use_seen", "json_extract(key, '$[1]') < ?", days),
	)
}

// DropSessions deletes runs on a device that nobody had asked to be metered, with the events that they were made of.
func DropSessions(tx *sqlite.Tx, device int64, runs []usage.Session) error {
	for _, s := range runs {
		if _, err := tx.Exec("DELETE FROM use_session WHERE device_id = ? AND name_id = ? AND person_code = ? AND "+
			"started_at = ?", device, s.Program, s.User, s.Start); err != nil {
			return err
		}
		if _, err := tx.Exec("DELETE FROM process_event WHERE device_id = ? AND at BETWEEN ? AND ? AND name_id = ?",
			device, s.Start, s.End, s.Program); err != nil {
			return err
		}
		// nor is it kept as what was known on an earlier day
		ofDevice := "key >= '[' || ?1 || ',' AND key < '[' || ?1 || '-' AND json_extract(key, "
		if err := errors.Join(
			tx.Forget("use_session", ofDevice+"'$[1]') = ?2 AND json_extract(key, '$[2]') = ?3 AND "+
				"json_extract(key, '$[3]') = ?4", device, s.Program, s.User, s.Start),
			tx.Forget("process_event", ofDevice+"'$[1]') BETWEEN ?2 AND ?3 AND json_extract(key, '$[4]') = ?4",
				device, s.Start, s.End, s.Program),
		); err != nil {
			return err
		}
	}
	return nil
}

// PutMetering writes what is to be metered.
func PutMetering(tx *sqlite.Tx, m used.Metering) (int64, error) {
	cond, err := json.Marshal(m.Group)
	if err != nil {
		return 0, err
	}
	if m.ID != 0 {
		return m.ID, tx.One(
			"UPDATE metering SET product_id = ?, publisher = ?, category = ?, group_name = ?, condition = ?, "+
				"stance = ?, from_day = ?, note = ?, author = ?, at = ? WHERE id = ? AND ended_at = 0",
			m.Product,
			m.PublisherName,
			m.Category,
			m.GroupName,
			string(cond),
			string(m.Stance),
			m.From,
			m.Reason,
			m.Author,
			m.At,
			m.ID,
		)
	}
	return tx.Insert(
		"INSERT INTO metering(product_id, publisher, category, group_name, condition, stance, from_day, note, "+
			"author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		m.Product,
		m.PublisherName,
		m.Category,
		m.GroupName,
		string(cond),
		string(m.Stance),
		m.From,
		m.Reason,
		m.Author,
		m.At,
	)
}

// EndMetering ends one.
func EndMetering(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE metering SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, by, id)
}

// UseCounts is how much of what was measured is kept.
type UseCounts struct {
	Devices, InService, Sessions, Events, Days int64
	First                                      civil.Day
}

// CountUse counts what was measured.
func CountUse(tx *sqlite.Tx) (c UseCounts, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT (SELECT count(DISTINCT device_id) FROM use_seen), (SELECT count(*)
		FROM device WHERE status = 'in_service'), (SELECT count(*) FROM use_session), (SELECT count(*)
		FROM process_event),
		(SELECT count(*) FROM use_day), (SELECT coalesce(min(day), 0) FROM use_seen)`).
		Scan(&c.Devices, &c.InService, &c.Sessions, &c.Events, &c.Days, &c.First)
	return c, err
}

// MeteredDevice is a device that reports use, with its main user.
type MeteredDevice struct{ Code, User string }

// DevicesMeteredSince lists the devices that reported any use on a day or later.
func DevicesMeteredSince(tx *sqlite.Tx, day civil.Day) ([]MeteredDevice, error) {
	return sqlite.Select[MeteredDevice](tx, `SELECT d.code, d.primary_user AS user FROM
		device d WHERE EXISTS (SELECT 1 FROM use_seen u WHERE u.device_id = d.id AND u.day >= ?) ORDER BY
		d.id`,
		day,
	)
}
