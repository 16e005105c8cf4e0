package store

import (
	"database/sql"
	"encoding/json"
	"errors"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// Devices prepares writing devices as a directory or devices.csv lists them.
func (tx *Tx) Devices() (*Upserter, error) {
	u, err := tx.upserter("device", "code", 23, "code", "name", "kind", "environment", "org_unit", "site", "country", "ip_address", "directory_path", "primary_user", "os_name", "os_version",
		"processors", "cores", "virtual_cores", "core_factor", "host_id", "cluster", "pinned", "portable", "status", "last_scan", "custom", "stated", "hosting", "listed_at")
	if err != nil {
		return nil, err
	}
	u.touch, err = tx.PrepareContext(tx.ctx, "UPDATE device SET listed_at = max(listed_at, ?) WHERE id = ?")
	return u, err
}

// PutDevice writes a device as it was listed at a time, and brings it in line with what scans reported of it. A scan time older than the one known never replaces it.
func (u *Upserter) PutDevice(d formats.Device, listedAt int64) (Change, error) {
	known := u.Known(d.ID)
	var was DeviceWas
	var since int64
	if known != 0 {
		var err error
		if was, err = u.tx.stateOf(known); err != nil {
			return Same, err
		}
		var last, listed int64
		if err := u.tx.QueryRowContext(u.tx.ctx, "SELECT last_scan, listed_at FROM device WHERE id = ?", known).Scan(&last, &listed); err != nil {
			return Same, err
		}
		d.LastScan = max(d.LastScan, last)
		if _, err := u.touch.ExecContext(u.tx.ctx, listedAt, known); err != nil {
			return Same, err
		}
		since, listedAt = listed, max(listed, listedAt)
	}
	hosting := "own site"
	if v := d.Custom["hosting"]; v != "" {
		hosting = v
	}
	id, c, err := u.put(d.ID, d.ID, d.Name, d.Kind, d.Environment, d.OrgUnit, d.Site, d.Country, d.IPAddress, d.DirectoryPath, d.PrimaryUser, d.OSName, d.OSVersion, d.Processors, d.Cores, d.VirtualCores,
		d.CoreFactor, d.HostID, d.Cluster, d.Pinned, d.Portable, d.Status, d.LastScan, custom(d.Custom), stated(d), hosting, listedAt)
	if err == nil && c == Changed {
		err = u.tx.ResolveDevice(id)
	}
	if err == nil && c == Changed && listedAt > since {
		err = u.tx.keepState(was, listedAt)
	}
	return c, err
}

// Persons prepares writing users.
func (tx *Tx) Persons() (*Upserter, error) {
	return tx.upserter("person", "code", 8, "code", "name", "email", "org_unit", "site", "status", "left_on", "custom")
}

// PutUser writes a user as a directory of a day lists him, and notes who joined, moved, left or came back. The first list of all is no joining.
func (u *Upserter) PutUser(p formats.User, on civil.Day) (Change, error) {
	var unit, status string
	known := u.Known(p.ID)
	if known != 0 {
		if err := u.tx.QueryRowContext(u.tx.ctx, "SELECT org_unit, status FROM person WHERE id = ?", known).Scan(&unit, &status); err != nil {
			return Same, err
		}
		if p.Status == "left" && p.Name == "" && p.OrgUnit == "" { // a directory that deletes somebody says no more than that
			if status == "left" {
				return Same, nil
			}
			if err := u.tx.QueryRowContext(u.tx.ctx, "SELECT name, email, org_unit, site FROM person WHERE id = ?", known).Scan(&p.Name, &p.Email, &p.OrgUnit, &p.Site); err != nil {
				return Same, err
			}
		}
	}
	id, c, err := u.put(p.ID, p.ID, p.Name, p.Email, p.OrgUnit, p.Site, p.Status, p.LeftOn, custom(p.Custom))
	if err != nil || c == Same {
		return c, err
	}
	note := func(what, from, to string, day civil.Day) error {
		_, err := u.tx.exec("INSERT OR IGNORE INTO person_move(person_id, on_day, what, from_value, to_value) VALUES (?, ?, ?, ?, ?)", id, day, what, from, to)
		return err
	}
	left := p.LeftOn
	if !left.Known() {
		left = on
	}
	switch {
	case c == Added && u.before > 0 && p.Status == "active":
		return c, note("joined", "", p.OrgUnit, on)
	case c == Added:
	case status != "left" && p.Status == "left":
		return c, note("left", p.OrgUnit, "", left)
	case status == "left" && p.Status == "active":
		return c, note("came back", "", p.OrgUnit, on)
	case unit != p.OrgUnit:
		return c, note("moved", unit, p.OrgUnit, on)
	}
	return c, nil
}

// Codes maps the codes of a table (device, person, entitlement) to its row numbers.
func (tx *Tx) Codes(table string) (map[string]int64, error) {
	return tx.numbers("SELECT code, id FROM " + table)
}

// Records numbers distinct raw records.
func (tx *Tx) Records() (*Numbered, error) {
	return tx.numbered(`publisher || char(31) || name || char(31) || version || char(31) || edition || char(31) || architecture || char(31) || language || char(31) || file_name || char(31) || tag_id || char(31) || purl || char(31) || cpe`,
		"record", "publisher, name, version, edition, architecture, language, file_name, tag_id, purl, cpe", "?, ?, ?, ?, ?, ?, ?, ?, ?, ?")
}

// Record returns the number of a raw record.
func (n *Numbered) Record(r recognise.Record) (int64, error) {
	key := strings.Join([]string{r.Publisher, r.Name, r.Version, r.Edition, r.Architecture, r.Language, r.FileName, r.TagID, r.PURL, r.CPE}, "\x1f")
	if id, ok := n.known[key]; ok {
		return id, nil
	}
	return n.number(key, r.Publisher, r.Name, r.Version, r.Edition, r.Architecture, r.Language, r.FileName, r.TagID, r.PURL, r.CPE)
}

// Sources numbers sources by name.
func (tx *Tx) Sources() (map[string]int64, error) {
	return tx.numbers("SELECT name, id FROM source WHERE part = ''")
}

// Source returns the number of a source's whole list, or of a part of it.
func (tx *Tx) Source(name, part string) (int64, error) {
	var id, root int64
	err := tx.QueryRowContext(tx.ctx, "SELECT id FROM source WHERE name = ? AND part = ?", name, part).Scan(&id)
	if err == nil || !errors.Is(err, sql.ErrNoRows) {
		return id, err
	}
	if part != "" {
		if root, err = tx.Source(name, ""); err != nil {
			return 0, err
		}
	}
	res, err := tx.exec("INSERT INTO source(name, part, root) VALUES (?, ?, ?)", name, part, root)
	if err != nil {
		return 0, err
	}
	if id, err = res.LastInsertId(); err != nil || part != "" {
		return id, err
	}
	_, err = tx.exec("UPDATE source SET root = id WHERE id = ?", id)
	return id, err
}

// Places numbers the places of installs: a path and custom fields.
func (tx *Tx) Places() (*Numbered, error) {
	return tx.numbered("path || char(31) || custom", "place", "path, custom", "?, ?")
}

// Place returns the number of a place.
func (n *Numbered) Place(path string, fields map[string]string) (int64, error) {
	c := custom(fields)
	return n.number(path+"\x1f"+c, path, c)
}

// UseNames numbers what sessions call the software.
func (tx *Tx) UseNames() (*Numbered, error) {
	return tx.numbered("file_name || char(31) || product", "use_name", "file_name, product", "?, ?")
}

// UseName returns the number of a name.
func (n *Numbered) UseName(file, product string) (int64, error) {
	return n.number(file+"\x1f"+product, file, product)
}

// ScanTimes returns when scans of a device covered a part of a source's list: those of the part, and those of the whole list, root.
func (tx *Tx) ScanTimes(device, part, root int64) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT at FROM scan WHERE device_id = ?1 AND source_id IN (?2, ?3) GROUP BY at ORDER BY at", device, part, root)
}

// PartsOn lists the parts of a source's list, the whole apart, that anything was reported for on a device.
func (tx *Tx) PartsOn(device, root int64) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT s.id FROM source s WHERE s.root = ?2 AND s.id <> ?2 AND s.part NOT LIKE '#%' AND EXISTS (SELECT 1 FROM install i WHERE i.device_id = ?1 AND i.source_id = s.id) ORDER BY s.id", device, root)
}

// MarkDevicesOf notes of all devices that have or had some records that their changes between scans are to be worked out anew, by the renewal that is running if there is one.
func (tx *Tx) MarkDevicesOf(records []int64) error {
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.exec("INSERT INTO dirty_device(device_id, change) SELECT DISTINCT device_id, 0 FROM install WHERE record_id IN (SELECT value FROM json_each(?)) ON CONFLICT DO NOTHING", string(list))
	return err
}

// MarkDevice notes that what was reported of a device has changed, so that its changes between scans are worked out anew.
func (tx *Tx) MarkDevice(device int64) error {
	_, err := tx.exec("INSERT INTO dirty_device(device_id, change) VALUES (?, coalesce((SELECT CAST(value AS INTEGER) FROM setting WHERE key = 'changes'), 0) + 1) ON CONFLICT DO UPDATE SET change = excluded.change", device)
	return err
}

// StoredInterval is an interval with the date of installation that was reported for it.
type StoredInterval struct {
	evidence.Interval
	InstallDate civil.Day
}

// Intervals returns what a source ever reported on a device.
func (tx *Tx) Intervals(device, source int64) ([]StoredInterval, error) {
	return query(tx, func(r *sql.Rows, v *StoredInterval) error {
		var until sql.NullInt64
		err := r.Scan(&v.Record, &v.Place, &v.Since, &until, &v.InstallDate)
		v.Until = evidence.Forever
		if until.Valid {
			v.Until = until.Int64
		}
		return err
	}, "SELECT record_id, place_id, since, until, install_date FROM install WHERE device_id = ? AND source_id = ?", device, source)
}

// DropInterval removes an interval that a late scan has recut.
func (tx *Tx) DropInterval(device, source int64, iv evidence.Interval) error {
	_, err := tx.exec("DELETE FROM install WHERE device_id = ? AND source_id = ? AND record_id = ? AND place_id = ? AND since = ?", device, source, iv.Record, iv.Place, iv.Since)
	return err
}

// NewInstalls writes intervals; one that is there already takes the new end and date.
func (tx *Tx) NewInstalls() (*Bulk, error) {
	return tx.bulk(7, "INSERT INTO install(device_id, source_id, record_id, place_id, since, until, install_date)", " ON CONFLICT DO UPDATE SET until = excluded.until, install_date = excluded.install_date")
}

// AddInstall takes one interval.
func (b *Bulk) AddInstall(device, source int64, iv StoredInterval) error {
	var until any
	if iv.Until != evidence.Forever {
		until = iv.Until
	}
	return b.Add(device, source, iv.Record, iv.Place, iv.Since, until, int64(iv.InstallDate))
}

// NewScans writes scan times.
func (tx *Tx) NewScans() (*Bulk, error) {
	return tx.bulk(3, "INSERT OR IGNORE INTO scan(device_id, source_id, at)", "")
}

// NewLastUses writes last uses that scans reported: device, record, used on, seen on. The latest scan that says so counts.
func (tx *Tx) NewLastUses() (*Bulk, error) {
	return tx.bulk(4, "INSERT INTO last_use(device_id, record_id, used_on, seen_on)", " ON CONFLICT DO UPDATE SET seen_on = max(seen_on, excluded.seen_on)")
}

// PutSession writes a session of use and says whether it was new or changed.
func (tx *Tx) PutSession(device, name int64, person string, start, end, active int64) (Change, error) {
	res, err := tx.exec(`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active) VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = excluded.ended_at, active = excluded.active WHERE ended_at <> excluded.ended_at OR active <> excluded.active`, device, name, person, start, end, active)
	if err != nil {
		return Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return Same, nil
	}
	return Added, nil
}

// DeviceSites maps devices to their sites.
func (tx *Tx) DeviceSites() (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT id, site FROM device")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, each(rows, func() error {
		var id int64
		var site string
		err := rows.Scan(&id, &site)
		out[id] = site
		return err
	})
}

// ScannedPairs says which devices have been scanned by which source, in whole or in part; under source 0, which by any.
func (tx *Tx) ScannedPairs() (map[[2]int64]bool, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT DISTINCT c.device_id, s.root FROM scan c JOIN source s ON s.id = c.source_id")
	if err != nil {
		return nil, err
	}
	out := map[[2]int64]bool{}
	return out, each(rows, func() error {
		var p [2]int64
		err := rows.Scan(&p[0], &p[1])
		out[p], out[[2]int64{p[0], 0}] = true, true
		return err
	})
}
