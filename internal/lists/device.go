package lists

import (
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// DeviceFull is a device with everything that was reported of it.
type DeviceFull struct {
	DeviceRow
	IPAddress     string
	DirectoryPath string
	Processors    int64
	Cores         int64
	VirtualCores  int64
	HostID        string
	Portable      string
	UserName      string
	Custom        string
}

// DeviceByCode reads a device by its device_id.
func DeviceByCode(tx *sqlite.Tx, code string) (DeviceFull, error) {
	var d DeviceFull
	id, err := snapshot.FindDevice(tx, code)
	if err != nil {
		return d, err
	}
	page, err := DeviceList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"id": sqlite.Itoa(id)}, Limit: 1})
	if err != nil {
		return d, err
	}
	if len(page.Rows) == 0 {
		return d, sqlite.ErrNotFound
	}
	d.DeviceRow = page.Rows[0]
	err = tx.QueryRowContext(tx.Ctx, `SELECT d.ip_address, d.directory_path, d.processors, d.cores, d.virtual_cores,
		d.host_id, d.portable, coalesce(u.name, ''), d.custom
		FROM device d LEFT JOIN person u ON u.code = d.primary_user WHERE d.id = ?`, d.ID).
		Scan(&d.IPAddress, &d.DirectoryPath, &d.Processors, &d.Cores, &d.VirtualCores, &d.HostID, &d.Portable,
			&d.UserName, &d.Custom)
	return d, err
}
