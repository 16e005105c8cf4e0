package store

import (
	"database/sql"
	"slices"
)

// DeviceWas is what lists stated of a device up to a time.
type DeviceWas struct {
	Device, Until                                                                                     int64
	Kind, Environment, OrgUnit, Site, Country, PrimaryUser, Status, HostID, Cluster, Pinned, Portable string
}

const wasColumns = "kind, environment, org_unit, site, country, primary_user, status, host_id, cluster, pinned, portable"

func (w *DeviceWas) into() []any {
	return []any{&w.Kind, &w.Environment, &w.OrgUnit, &w.Site, &w.Country, &w.PrimaryUser, &w.Status, &w.HostID, &w.Cluster, &w.Pinned, &w.Portable}
}

// stateOf reads what is stated of a device now.
func (tx *Tx) stateOf(device int64) (DeviceWas, error) {
	w := DeviceWas{Device: device}
	return w, tx.QueryRowContext(tx.ctx, "SELECT "+wasColumns+" FROM device WHERE id = ?", device).Scan(w.into()...)
}

// keepState keeps what was stated of a device until a list of a time stated something else.
func (tx *Tx) keepState(was DeviceWas, until int64) error {
	is, err := tx.stateOf(was.Device)
	if err != nil || is == was {
		return err
	}
	_, err = tx.exec("INSERT OR IGNORE INTO device_was(device_id, until, "+wasColumns+") VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		was.Device, until, was.Kind, was.Environment, was.OrgUnit, was.Site, was.Country, was.PrimaryUser, was.Status, was.HostID, was.Cluster, was.Pinned, was.Portable)
	return err
}

// DevicesWere reads what was stated of devices up to some time after a time, by device and then by how long it held.
func (tx *Tx) DevicesWere(after int64) ([]DeviceWas, error) {
	return query(tx, func(r *sql.Rows, w *DeviceWas) error {
		return r.Scan(slices.Concat([]any{&w.Device, &w.Until}, w.into())...)
	}, "SELECT device_id, until, "+wasColumns+" FROM device_was WHERE until > ? ORDER BY device_id, until", after)
}
