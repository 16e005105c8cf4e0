package snapshot

import (
	"database/sql"
	"slices"

	"ensomet/internal/core/evidence"
	"ensomet/internal/sqlite"
)

// DeviceWas is what lists and scans said of a device up to a time.
type DeviceWas struct {
	Device, Until int64
	evidence.Stated
}

const wasColumns = "kind, environment, org_unit, site, country, primary_user, status, host_id, cluster, pinned, " +
	"portable, core_factor, processors, cores, virtual_cores"

func (w *DeviceWas) into() []any {
	return []any{
		&w.Kind,
		&w.Environment,
		&w.OrgUnit,
		&w.Site,
		&w.Country,
		&w.PrimaryUser,
		&w.Status,
		&w.HostID,
		&w.Cluster,
		&w.Pinned,
		&w.Portable,
		&w.CoreFactor,
		&w.Processors,
		&w.Cores,
		&w.VirtualCores,
	}
}

// StateOf reads what is stated of a device now.
func StateOf(tx *sqlite.Tx, device int64) (DeviceWas, error) {
	w := DeviceWas{Device: device}
	return w, tx.QueryRowContext(tx.Ctx, "SELECT "+wasColumns+" FROM device WHERE id = ?", device).Scan(w.into()...)
}

// fill takes hardware facts that nobody had stated yet from what was stated first: not known is no state that a
// machine was in.
func (w *DeviceWas) fill(is DeviceWas) {
	for _, n := range [][2]*int64{{&w.Processors, &is.Processors}, {&w.Cores, &is.Cores},
		{&w.VirtualCores, &is.VirtualCores}} {
		if *n[0] == 0 {
			*n[0] = *n[1]
		}
	}
	if w.CoreFactor == "" {
		w.CoreFactor = is.CoreFactor
	}
}

// KeepState keeps what was known of a device until a list or a scan of a time said something else.
func KeepState(tx *sqlite.Tx, was DeviceWas, until int64) error {
	is, err := StateOf(tx, was.Device)
	if err != nil {
		return err
	}
	was.fill(is)
	if is == was {
		return nil
	}
	if err := tx.LayRows("device_was", "device_id = ?", was.Device); err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT OR IGNORE INTO device_was(device_id, until, "+wasColumns+
			") VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		was.Device,
		until,
		was.Kind,
		was.Environment,
		was.OrgUnit,
		was.Site,
		was.Country,
		was.PrimaryUser,
		was.Status,
		was.HostID,
		was.Cluster,
		was.Pinned,
		was.Portable,
		was.CoreFactor,
		was.Processors,
		was.Cores,
		was.VirtualCores,
	)
	return err
}

// DevicesWere reads what was stated of devices up to some time after a time, by device and then by how long it held.
func DevicesWere(tx *sqlite.Tx, after int64) ([]DeviceWas, error) {
	return devicesWere(tx, allDevicesWere, after)
}

const (
	allDevicesWere = "SELECT device_id, until, " + wasColumns +
		" FROM device_was WHERE until > ?1 ORDER BY device_id, until"
	someDevicesWere = "SELECT device_id, until, " + wasColumns + " FROM device_was WHERE device_id IN (SELECT value " +
		"FROM json_each(?2)) AND until > ?1 ORDER BY device_id, until"
)

func devicesWere(tx *sqlite.Tx, query string, args ...any) ([]DeviceWas, error) {
	return sqlite.Query(tx, func(r *sql.Rows, w *DeviceWas) error {
		return r.Scan(slices.Concat([]any{&w.Device, &w.Until}, w.into())...)
	}, query, args...)
}

const (
	coresThenOf = `SELECT h.device_id, h.since, coalesce(CAST(f.content ->> '$.processors' AS INTEGER), 0),
		coalesce(CAST(f.content ->> '$.cores' AS INTEGER), 0),
		coalesce(CAST(f.content ->> '$.virtual_cores' AS INTEGER), 0)
		FROM hardware h JOIN fact_set f ON f.id = h.fact_id WHERE h.device_id `
	allCoresThen  = coresThenOf + `IN (SELECT device_id FROM hardware WHERE until > ?1) ORDER BY h.device_id, h.since`
	someCoresThen = coresThenOf + `IN (SELECT value FROM json_each(?2))
		AND EXISTS (SELECT 1 FROM hardware o WHERE o.device_id = h.device_id AND o.until > ?1)
		ORDER BY h.device_id, h.since`
)

// coresThen reads the processors and cores that scans reported last up to a time, of devices of which a scan reported
// something else since; where none had reported by then, what was reported first.
func coresThen(tx *sqlite.Tx, query string, args ...any) (map[int64]DeviceWas, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, w *DeviceWas) error {
		return r.Scan(&w.Device, &w.Until, &w.Processors, &w.Cores, &w.VirtualCores)
	}, query, args...)
	if err != nil {
		return nil, err
	}
	out := map[int64]DeviceWas{}
	for _, w := range list {
		if _, known := out[w.Device]; !known || w.Until <= args[0].(int64) {
			out[w.Device] = w
		}
	}
	return out, nil
}
