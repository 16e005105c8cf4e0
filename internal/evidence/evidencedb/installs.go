// Package evidencedb has the tables of devices, people, scans, installs and files, imports, groups, schedules and
// tokens.
package evidencedb

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/machines"
	"ensomet/internal/persons"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// ListedDevices writes devices as a directory or devices.csv lists them, those too that count as another one.
type ListedDevices struct {
	tx           *sqlite.Tx
	here, joined *sqlite.Upserter
}

// hashedColumns are those columns of a list that decide whether a line says anything new, with the signs.
const hashedColumns = 23

// Devices prepares writing devices.
func Devices(tx *sqlite.Tx) (*ListedDevices, error) {
	w := &ListedDevices{tx: tx}
	var err error
	if w.here, err = devicesIn(tx, "device"); err != nil {
		return nil, err
	}
	w.here.Numbered(machines.NextDevice)
	w.joined, err = devicesIn(tx, "joined_device")
	return w, err
}

func devicesIn(tx *sqlite.Tx, table string) (*sqlite.Upserter, error) {
	return tx.Upserter(
		table,
		"code",
		hashedColumns,
		"code",
		"name",
		"kind",
		"environment",
		"org_unit",
		"site",
		"country",
		"ip_address",
		"directory_path",
		"primary_user",
		"os_name",
		"os_version",
		"processors",
		"cores",
		"virtual_cores",
		"core_factor",
		"host_id",
		"cluster",
		"pinned",
		"portable",
		"status",
		"last_scan",
		"custom",
		"stated",
		"hosting",
		"listed_at",
		"memory_mb",
	)
}

// Put writes a device as it was listed at a time, and brings it in line with what scans reported of it. It returns the
// device's own number, which may be that of one that counts as another. A scan time older than the one known never
// replaces it.
func (w *ListedDevices) Put(d formats.Device, listedAt int64) (int64, sqlite.Change, error) {
	u := w.here
	away := w.joined.Known(d.Code) != 0
	if away {
		u = w.joined
	}
	known := u.Known(d.Code)
	var was snapshot.DeviceWas
	var since int64
	if known != 0 {
		var err error
		if !away {
			if was, err = snapshot.StateOf(w.tx, known); err != nil {
				return 0, sqlite.Same, err
			}
		}
		table := "device"
		if away {
			table = "joined_device"
		}
		var last, listed int64
		if err := w.tx.QueryRowContext(w.tx.Ctx, "SELECT last_scan, listed_at FROM "+table+" WHERE id = ?",
			known).Scan(&last, &listed); err != nil {
			return 0, sqlite.Same, err
		}
		d.LastScan = max(d.LastScan, last)
		if _, err := w.tx.Exec("UPDATE "+table+" SET listed_at = max(listed_at, ?) WHERE id = ?", listedAt,
			known); err != nil {
			return 0, sqlite.Same, err
		}
		since, listedAt = listed, max(listed, listedAt)
	}
	hosting := snapshot.OwnSite
	if v := d.Custom["hosting"]; v != "" {
		hosting = v
	}
	values := []any{
		d.Code,
		d.Name,
		d.Kind,
		d.Environment,
		d.OrgUnit,
		d.Site,
		d.Country,
		d.IPAddress,
		d.DirectoryPath,
		d.PrimaryUser,
		d.OSName,
		d.OSVersion,
		d.Processors,
		d.Cores,
		d.VirtualCores,
		d.CoreFactor,
		d.HostID,
		d.Cluster,
		d.Pinned,
		d.Portable,
		d.Status,
		d.LastScan,
		sqlite.Custom(d.Custom),
		stated(d, hosting),
		hosting,
		listedAt,
		d.MemoryMB,
	}
	says := slices.Clone(values[:hashedColumns])
	if signs := d.DeviceSigns; !signs.None() { // a list without any says what it said before they were read
		says = append(says, signs)
	}
	id, c, err := u.PutAs(d.Code, says, values)
	switch {
	case err != nil:
	case c == sqlite.Changed && away:
		var into int64
		if err = w.tx.QueryRowContext(w.tx.Ctx, "SELECT into_id FROM joined_device WHERE id = ?", id).Scan(
			&into); err == nil {
			err = ResolveDevice(w.tx, into)
		}
	case c == sqlite.Changed:
		err = ResolveDevice(w.tx, id)
	case c == sqlite.Added:
		if d.OSName != "" {
			err = keepSystems(
				w.tx,
				id,
				evidence.Facts{"os_name": d.OSName, "os_version": d.OSVersion},
				listedAt,
				nil,
			)
		}
		err = errors.Join(err, countMainUser(w.tx, id, d.PrimaryUser))
	}
	if err == nil && c == sqlite.Changed && listedAt > since && !away {
		err = snapshot.KeepState(w.tx, was, listedAt)
	}
	return id, c, err
}

// countMainUser puts who the name of a new device's main user counts as in its place.
func countMainUser(tx *sqlite.Tx, device int64, name string) error {
	if name == "" {
		return nil
	}
	who, err := countsAs(tx, name)
	if err == nil && who != name {
		err = tx.One("UPDATE device SET primary_user = ? WHERE id = ?", who, device)
	}
	return err
}

// countsAs returns the name that stands for the person whom a name means.
func countsAs(tx *sqlite.Tx, name string) (string, error) {
	counts, err := persons.CountAs(tx, []string{name})
	if as, known := counts[name]; known {
		name = as.Key
	}
	return name, err
}

// Persons prepares writing users.
func Persons(tx *sqlite.Tx) (*sqlite.Upserter, error) {
	return tx.Upserter(
		"person",
		"code",
		8,
		"code",
		"name",
		"email",
		"org_unit",
		"site",
		"status",
		"left_on",
		"custom",
		"log_ons",
		"directory_id",
		"manager",
		"cost_centre",
		"account",
	)
}

// PutUser writes a user as a directory of a day lists him, and notes who joined, moved, left or came back. The first
// list of all is no joining.
func PutUser(u *sqlite.Upserter, p formats.User, on civil.Day) (sqlite.Change, error) {
	var unit string
	var status evidence.PersonStatus
	known := u.Known(p.Code)
	if known != 0 {
		if err := u.Tx.QueryRowContext(u.Tx.Ctx, "SELECT org_unit, status FROM person WHERE id = ?", known).Scan(&unit,
			&status); err != nil {
			return sqlite.Same, err
		}
		// a directory that deletes somebody says no more than that
		if p.Status == evidence.Left && p.Name == "" && p.OrgUnit == "" {
			if status == evidence.Left {
				return sqlite.Same, nil
			}
			var logOns string
			if err := u.Tx.QueryRowContext(u.Tx.Ctx, `SELECT name, email, org_unit, site, log_ons, directory_id, manager,
				cost_centre, account FROM person WHERE id = ?`, known).Scan(&p.Name, &p.Email, &p.OrgUnit, &p.Site,
				&logOns, &p.DirectoryID, &p.Manager, &p.CostCentre, &p.AccountKind); err != nil {
				return sqlite.Same, err
			}
			p.LogOns = persons.SplitNames(logOns)
		}
	}
	values := []any{p.Code, p.Name, p.Email, p.OrgUnit, p.Site, p.Status, p.LeftOn, sqlite.Custom(p.Custom),
		strings.Join(p.LogOns, "|"), p.DirectoryID, p.Manager, p.CostCentre, p.AccountKind}
	says := slices.Clone(values[:8])
	if !p.UserSigns.None() { // a list without any says what it said before they were read
		says = append(says, p.UserSigns)
	}
	id, c, err := u.PutAs(p.Code, says, values)
	if err != nil || c == sqlite.Same {
		return c, err
	}
	note := func(what, from, to string, day civil.Day) error {
		_, err := u.Tx.Exec(
			"INSERT OR IGNORE INTO person_move(person_id, on_day, what, from_value, to_value) VALUES (?, ?, ?, ?, ?)",
			id,
			day,
			what,
			from,
			to,
		)
		return err
	}
	left := p.LeftOn
	if !left.Known() {
		left = on
	}
	switch {
	case c == sqlite.Added && u.Before > 0 && p.Status == evidence.Active:
		return c, note("joined", "", p.OrgUnit, on)
	case c == sqlite.Added:
	case status != evidence.Left && p.Status == evidence.Left:
		return c, note("left", p.OrgUnit, "", left)
	case status == evidence.Left && p.Status == evidence.Active:
		return c, note("came back", "", p.OrgUnit, on)
	case unit != p.OrgUnit:
		return c, note("moved", unit, p.OrgUnit, on)
	}
	return c, nil
}

// Records numbers distinct raw records, by what a transaction sees that may be another one.
func Records(tx, from *sqlite.Tx) (*sqlite.Numbered, error) {
	return tx.NumberedFrom(
		from,
		`publisher || char(31) || name || char(31) || version || char(31) || edition || char(31) || architecture || char(31) || language || char(31) || file_name || char(31) || tag_id || char(31) || purl || char(31) || cpe`,
		"record",
		"publisher, name, version, edition, architecture, language, file_name, tag_id, purl, cpe",
		"?, ?, ?, ?, ?, ?, ?, ?, ?, ?",
	)
}

// Record returns the number of a raw record.
func Record(n *sqlite.Numbered, r recognise.Record) (int64, error) {
	key := strings.Join(
		[]string{
			r.Publisher,
			r.Name,
			r.Version,
			r.Edition,
			r.Architecture,
			r.Language,
			r.FileName,
			r.TagID,
			r.PURL,
			r.CPE,
		},
		"\x1f",
	)
	if id, ok := n.Known[key]; ok {
		return id, nil
	}
	return n.Number(
		key,
		r.Publisher,
		r.Name,
		r.Version,
		r.Edition,
		r.Architecture,
		r.Language,
		r.FileName,
		r.TagID,
		r.PURL,
		r.CPE,
	)
}

// Source returns the number of a source's whole list, or of a part of it.
func Source(tx *sqlite.Tx, name, part string) (int64, error) {
	return machines.SourceIn(tx, name, part, 0)
}

// FoundKeys numbers the licence keys that scans found.
func FoundKeys(tx, from *sqlite.Tx) (*sqlite.Numbered, error) {
	return tx.NumberedFrom(from, "hash", "found_key", "hash, hint", "?, ?")
}

// FoundKey returns the number of a licence key by its hash.
func FoundKey(n *sqlite.Numbered, hash, hint string) (int64, error) {
	if id, ok := n.Known[hash]; ok {
		return id, nil
	}
	return n.Number(hash, hash, hint)
}

// Places numbers the places of installs: a path, custom fields, and whether the right comes with the place.
func Places(tx, from *sqlite.Tx) (*sqlite.Numbered, error) {
	return tx.NumberedFrom(
		from,
		"path || char(31) || custom || char(31) || included",
		"place",
		"path, custom, included",
		"?, ?, ?",
	)
}

// Place returns the number of a place.
func Place(n *sqlite.Numbered, path string, fields map[string]string, included bool) (int64, error) {
	c, with := sqlite.Custom(fields), int64(0)
	if included {
		with = 1
	}
	return n.Number(fmt.Sprint(path, "\x1f", c, "\x1f", with), path, c, with)
}

// ScanTimes returns when scans of a device covered a part of a source's list: those of the part, and those of the
// whole list, root.
func ScanTimes(tx *sqlite.Tx, device, part, root int64) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT at FROM scan WHERE device_id = ?1 AND source_id IN (?2, ?3) GROUP BY at ORDER BY at",
		device,
		part,
		root,
	)
}

// Known is what is known of a part of a source's list on a device that is still there: Newest is when its newest scan
// was, 0 where none covered it. FromScans says that each interval began with a scan that covered it; one that a scan
// spoke of without covering it does not.
type Known struct {
	Open      []StoredInterval
	Newest    int64
	FromScans bool
}

// knownOf reads what is known of a part. scans is the table of scans; interval what columns an interval has, from and
// where which intervals.
func knownOf(tx *sqlite.Tx, scans, interval, from, where string, device, part, root int64) (k Known, err error) {
	newest := func(source string) string {
		return "coalesce((SELECT max(t.at) FROM " + scans + " t WHERE t.device_id = ?1 AND t.source_id = " + source +
			"), 0)"
	}
	rows, err := tx.QueryContext(tx.Ctx, "SELECT n.newest, i.since IS NOT NULL, coalesce(i.since, 0), "+interval+
		" FROM (SELECT max("+newest("?2")+", "+newest("?3")+") AS newest) n LEFT JOIN "+from+
		" i ON i.device_id = ?1 AND i.source_id = ?2 AND "+where, device, part, root)
	if err != nil {
		return k, err
	}
	begins := map[int64]bool{}
	if err := sqlite.Each(rows, func() error {
		v := StoredInterval{Interval: evidence.Interval{Until: evidence.Forever}}
		var is bool
		err := rows.Scan(&k.Newest, &is, &v.Since, &v.Record, &v.Place, &v.InstallDate)
		if is {
			k.Open = append(k.Open, v)
			begins[v.Since] = true
		}
		return err
	}); err != nil {
		return k, err
	}
	k.FromScans = true
	if delete(begins, k.Newest); len(begins) == 0 {
		return k, nil
	}
	list, err := json.Marshal(slices.Collect(maps.Keys(begins)))
	if err != nil {
		return k, err
	}
	var known int
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(DISTINCT at) FROM "+scans+" WHERE device_id = ? AND source_id "+
		"IN (?, ?) AND at IN (SELECT value FROM json_each(?))", device, part, root, string(list)).Scan(&known)
	k.FromScans = known == len(begins)
	return k, err
}

// KnownOf reads what a source reports on a device still, as its own lists have it.
func KnownOf(tx *sqlite.Tx, device, part, root int64) (Known, error) {
	return knownOf(tx, "scan", "coalesce(i.record_id, 0), coalesce(i.place_id, 0), coalesce(i.install_date, 0)",
		"install", "(i.until IS NULL OR i.cut)", device, part, root)
}

// PartsOn lists the parts of a source's list, the whole apart, that anything was reported for on a device.
func PartsOn(tx *sqlite.Tx, device, root int64) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT s.id FROM source s WHERE s.root = ?2 AND s.id <> ?2 AND s.part NOT LIKE '#%' AND EXISTS (SELECT 1 "+
			"FROM install i WHERE i.device_id = ?1 AND i.source_id = s.id) ORDER BY s.id",
		device,
		root,
	)
}

// StoredInterval is an interval with the date of installation that was reported for it.
type StoredInterval struct {
	evidence.Interval
	InstallDate civil.Day
}

// Intervals returns what a source ever reported on a device, as its own lists have it.
func Intervals(tx *sqlite.Tx, device, source int64) ([]StoredInterval, error) {
	return intervals(tx, "", device, source)
}

// EndedIntervals returns where a source reported some records on a device once, as its own lists have it.
func EndedIntervals(tx *sqlite.Tx, device, source int64, records []int64) ([]StoredInterval, error) {
	if len(records) == 0 {
		return nil, nil
	}
	list, err := json.Marshal(records)
	if err != nil {
		return nil, err
	}
	return intervals(tx, " AND until IS NOT NULL AND NOT cut AND record_id IN (SELECT value FROM json_each(?))", device,
		source, string(list))
}

func intervals(tx *sqlite.Tx, where string, args ...any) ([]StoredInterval, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *StoredInterval) error {
		var until sql.NullInt64
		err := r.Scan(&v.Record, &v.Place, &v.Since, &until, &v.InstallDate)
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return err
	}, "SELECT record_id, place_id, since, CASE WHEN cut THEN NULL ELSE until END, install_date FROM install "+
		"WHERE device_id = ? AND source_id = ?"+where, args...)
}

// DropInterval removes an interval that a late scan has recut.
func DropInterval(tx *sqlite.Tx, device, source int64, iv evidence.Interval) error {
	_, err := tx.Exec(
		"DELETE FROM install WHERE device_id = ? AND source_id = ? AND record_id = ? AND place_id = ? AND since = ?",
		device,
		source,
		iv.Record,
		iv.Place,
		iv.Since,
	)
	return err
}

// LayDevice says that the evidence of a device, and of no other, is going to be read and changed.
func LayDevice(tx *sqlite.Tx, device int64) error {
	for _, table := range []string{
		"device_file",
		"device_was",
		"fact_scan",
		"hardware",
		"install",
		"last_use",
		"logon",
		"missing_part",
		"scan",
		"use_session",
	} {
		if err := tx.LayRows(table, "device_id = ?", device); err != nil {
			return err
		}
	}
	return nil
}

// NewInstalls writes intervals; one that is there already takes the new end and date.
func NewInstalls(tx *sqlite.Tx) (*sqlite.Bulk, error) {
	if err := tx.LayRows("install", "0"); err != nil {
		return nil, err
	}
	return tx.Bulk(
		7,
		"INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date)",
		" ON CONFLICT DO UPDATE SET until = excluded.until, install_date = excluded.install_date, cut = 0",
	)
}

// AddInstall takes one interval.
func AddInstall(b *sqlite.Bulk, device, source int64, iv StoredInterval) error {
	var until any
	if iv.Until != evidence.Forever {
		until = iv.Until
	}
	return b.Add(device, source, iv.Record, iv.Place, iv.Since, until, int64(iv.InstallDate))
}

// Scanned says whether a device has been scanned by any source, and by one, in whole or in part.
func Scanned(tx *sqlite.Tx, device, root int64) (byAny, bySource bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM scan WHERE device_id = ?1), EXISTS (SELECT 1 "+
		"FROM scan c JOIN source s ON s.id = c.source_id WHERE c.device_id = ?1 AND s.root = ?2)", device, root).
		Scan(&byAny, &bySource)
	return byAny, bySource, err
}

// NewScans writes scan times.
func NewScans(tx *sqlite.Tx) (*sqlite.Bulk, error) {
	if err := tx.LayRows("scan", "0"); err != nil {
		return nil, err
	}
	return tx.Bulk(3, "INSERT OR IGNORE INTO scan(device_id, source_id, at)", "")
}

// NewLastUses writes last uses that scans reported: device, record, used on, seen on, origin. The latest scan that says
// so counts.
func NewLastUses(tx *sqlite.Tx) (*sqlite.Bulk, error) {
	if err := tx.LayRows("last_use", "0"); err != nil {
		return nil, err
	}
	return tx.Bulk(
		5,
		"INSERT INTO last_use(device_id, record_id, used_on, seen_on, origin)",
		" ON CONFLICT DO UPDATE SET seen_on = max(seen_on, excluded.seen_on)",
	)
}
