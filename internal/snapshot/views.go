package snapshot

import (
	"ensomet/internal/sqlite"
)

// SystemPart is the part of a source's list under which the operating system that it reports of a device stands.
const SystemPart = "#os"

// SourceName names a source s, and the part of its list where it is one.
const SourceName = "(s.name || CASE s.part WHEN '' THEN '' WHEN '" + SystemPart +
	"' THEN ', operating system' ELSE ', ' || s.part END)"

// InstallWords says an install for people: the device and the raw name.
func InstallWords(tx *sqlite.Tx, device, record int64) (text string, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT (SELECT name FROM device WHERE id = ?) || ': ' || trim(publisher || ' ' || name || ' ' || version) "+
			"FROM record WHERE id = ?", device, record).
		Scan(&text)
	return text, err
}

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
	id, err := FindDevice(tx, code)
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
