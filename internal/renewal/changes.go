package renewal

import (
	"database/sql"

	"ensomet/internal/sqlite"
)

// DirtyDevices lists the devices of which something new was reported up to a change, and whose changes between scans
// are to be worked out anew.
func DirtyDevices(tx *sqlite.Tx, upTo string) ([]int64, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *int64) error { return r.Scan(v) },
		"SELECT device_id FROM dirty_device WHERE change <= CAST(? AS INTEGER) ORDER BY device_id",
		upTo,
	)
}

// Clean forgets that devices were dirty up to a change.
func Clean(tx *sqlite.Tx, upTo string) error {
	_, err := tx.Exec("DELETE FROM dirty_device WHERE change <= CAST(? AS INTEGER)", upTo)
	return err
}
