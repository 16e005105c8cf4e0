package store

import (
	"database/sql"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
)

// Devices prepares writing devices.
func (tx *Tx) Devices() (*Upserter, error) {
	return tx.upserter("device", "code", 23, "code", "name", "kind", "environment", "org_unit", "site", "country", "ip_address", "directory_path", "primary_user", "os_name", "os_version",
		"processors", "cores", "virtual_cores", "core_factor", "host_id", "cluster", "pinned", "portable", "status", "last_scan", "custom")
}

// PutDevice writes a device. A scan time older than the one known never replaces it.
func (u *Upserter) PutDevice(d formats.Device) (Change, error) {
	if id := u.Known(d.ID); id != 0 {
		var known int64
		if err := u.tx.QueryRowContext(u.tx.ctx, "SELECT last_scan FROM device WHERE id = ?", id).Scan(&known); err != nil {
			return Same, err
		}
		d.LastScan = max(d.LastScan, known)
	}
	_, c, err := u.put(d.ID, d.ID, d.Name, d.Kind, d.Environment, d.OrgUnit, d.Site, d.Country, d.IPAddress, d.DirectoryPath, d.PrimaryUser, d.OSName, d.OSVersion, d.Processors, d.Cores, d.VirtualCores,
		d.CoreFactor, d.HostID, d.Cluster, d.Pinned, d.Portable, d.Status, d.LastScan, custom(d.Custom))
	return c, err
}

// Persons prepares writing users.
func (tx *Tx) Persons() (*Upserter, error) {
	return tx.upserter("person", "code", 8, "code", "name", "email", "org_unit", "site", "status", "left_on", "custom")
}

// PutUser writes a user.
func (u *Upserter) PutUser(p formats.User) (Change, error) {
	_, c, err := u.put(p.ID, p.ID, p.Name, p.Email, p.OrgUnit, p.Site, p.Status, p.LeftOn, custom(p.Custom))
	return c, err
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
func (tx *Tx) Sources() (*Numbered, error) { return tx.numbered("name", "source", "name", "?") }

// Source returns the number of a source.
func (n *Numbered) Source(name string) (int64, error) { return n.number(name, name) }

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

// ScanTimes returns when a source scanned a device.
func (tx *Tx) ScanTimes(device, source int64) ([]int64, error) {
	return query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) }, "SELECT at FROM scan WHERE device_id = ? AND source_id = ? ORDER BY at", device, source)
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

// ScannedPairs says which devices have been scanned by which source.
func (tx *Tx) ScannedPairs() (map[[2]int64]bool, error) {
	rows, err := tx.QueryContext(tx.ctx, "SELECT DISTINCT device_id, source_id FROM scan")
	if err != nil {
		return nil, err
	}
	out := map[[2]int64]bool{}
	return out, each(rows, func() error {
		var p [2]int64
		err := rows.Scan(&p[0], &p[1])
		out[p] = true
		return err
	})
}
