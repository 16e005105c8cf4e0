package snapshot

import (
	"database/sql"

	"ensomet/internal/sqlite"
)

// SiteOfDevices says at which site each device is, by device_id.
func SiteOfDevices(tx *sqlite.Tx) (map[string]string, error) {
	type row struct{ code, site string }
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, v *row) error { return r.Scan(&v.code, &v.site) },
		"SELECT code, site FROM device",
	)
	out := make(map[string]string, len(list))
	for _, v := range list {
		out[v.code] = v.site
	}
	return out, err
}

// CodesOfDevices gives the device_id of every device.
func CodesOfDevices(tx *sqlite.Tx) (map[int64]string, error) {
	type row struct {
		id   int64
		code string
	}
	list, err := sqlite.Query(
		tx,
		func(r *sql.Rows, v *row) error { return r.Scan(&v.id, &v.code) },
		"SELECT id, code FROM device",
	)
	out := make(map[int64]string, len(list))
	for _, v := range list {
		out[v.id] = v.code
	}
	return out, err
}
