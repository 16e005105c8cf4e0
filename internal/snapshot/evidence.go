package snapshot

import (
	"ensomet/internal/sqlite"
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

// PutSession writes a session of use and says whether it was new or changed.
func PutSession(tx *sqlite.Tx, device, name int64, person string, start, end, active int64) (sqlite.Change, error) {
	res, err := tx.Exec(
		`INSERT INTO use_session(device_id, name_id, person_code, started_at, ended_at, active)
			VALUES (?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET ended_at = excluded.ended_at, active = excluded.active
		WHERE ended_at <> excluded.ended_at OR active <> excluded.active`,
		device,
		name,
		person,
		start,
		end,
		active,
	)
	if err != nil {
		return sqlite.Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return sqlite.Same, nil
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
