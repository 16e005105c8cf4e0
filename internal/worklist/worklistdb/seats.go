package worklistdb

import (
	"database/sql"
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SeatsFreedBy lists the seats of a product that nobody needs once it is off a device: the device's own, and that of
// its user where none of his devices has it.
func SeatsFreedBy(tx *sqlite.Tx, device, product int64, today civil.Day) ([]int64, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *int64) error { return r.Scan(v) },
		`SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id AND e.withdrawn_at = 0
		WHERE e.product_id = ?2 AND a.from_day <= ?3 AND (a.until_day = 0 OR a.until_day >= ?3)
		AND (a.device_id = ?1 OR a.person_id = (SELECT u.id FROM device d JOIN person u ON u.code = d.primary_user
		WHERE d.id = ?1)
			AND NOT EXISTS (SELECT 1 FROM device o JOIN install i ON i.device_id = o.id AND i.until IS NULL
			JOIN recognition n ON n.record_id = i.record_id AND n.product_id = ?2
				WHERE o.primary_user = (SELECT primary_user FROM device WHERE id = ?1) AND o.status <> 'retired'))
				ORDER BY a.id`,
		device,
		product,
		today,
	)
}

// UserOfDevice is the main user of a device with the mail address, empty where nobody is known or the user has left.
func UserOfDevice(tx *sqlite.Tx, device int64) (person int64, address, name string, err error) {
	p, err := snapshot.PersonWhere(
		tx,
		"status <> 'left' AND code = (SELECT primary_user FROM device WHERE id = ?)",
		device,
	)
	if errors.Is(err, sqlite.ErrNotFound) {
		err = nil
	}
	return p.ID, p.Email, p.Name, err
}
