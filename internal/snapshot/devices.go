package snapshot

import (
	"database/sql"
	"errors"

	"ensomet/internal/sqlite"
)

// FindDevice returns the number of the device with a device_id, or 0.
func FindDevice(tx *sqlite.Tx, code string) (int64, error) {
	var id int64
	err := tx.QueryRowContext(tx.Ctx, "SELECT id FROM device WHERE code = ?", code).Scan(&id)
	if errors.Is(err, sql.ErrNoRows) {
		return 0, nil
	}
	return id, err
}
