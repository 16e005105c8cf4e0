package stored

import (
	"database/sql"
	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"slices"
)

// Codes maps the codes of a table (device, person, entitlement) to its row numbers.
func Codes(tx *sqlite.Tx, table string) (map[string]int64, error) {
	return tx.Numbers("SELECT code, id FROM " + table)
}

// UseNames numbers what sessions call the software.
func UseNames(tx *sqlite.Tx) (*sqlite.Numbered, error) {
	return tx.Numbered("file_name || char(31) || product", "use_name", "file_name, product", "?, ?")
}

// UseName returns the number of a name.
func UseName(n *sqlite.Numbered, file, product string) (int64, error) {
	return n.Number(file+"\x1f"+product, file, product)
}

// UsedOn is where use belongs: a device, the record of the machine that it comes by (0 for the device's own), and the
// name of what was used.
type UsedOn struct{ Device, Origin, Name int64 }

// PutSession writes a session of use and says whether it was new or changed.
func PutSession(tx *sqlite.Tx, on UsedOn, s formats.Session) (sqlite.Change, error) {
	if err := tx.LayRows("use_session", "device_id = ?", on.Device); err != nil {
		return sqlite.Same, err
	}
	n, err := tx.Touched(
		`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active, origin)
			VALUES (?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = excluded.ended_at, active = excluded.active
		WHERE ended_at <> excluded.ended_at OR active <> excluded.active`,
		on.Device,
		on.Name,
		s.User,
		s.Start,
		s.End,
		s.Active,
		on.Origin,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// DeviceSites maps devices to their sites.
func DeviceSites(tx *sqlite.Tx) (map[int64]string, error) {
	rows, err := tx.QueryContext(tx.Ctx, "SELECT id, site FROM device")
	if err != nil {
		return nil, err
	}
	out := map[int64]string{}
	return out, sqlite.Each(rows, func() error {
		var id int64
		var site string
		err := rows.Scan(&id, &site)
		out[id] = site
		return err
	})
}

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

func Distinct(list []int64) []int64 {
	slices.Sort(list)
	return slices.Compact(list)
}

func Day(unix int64) string {
	if unix == 0 {
		return "never"
	}
	return civil.OfUnix(unix).String()
}
