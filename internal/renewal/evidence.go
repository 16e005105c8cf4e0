package renewal

import (
	"encoding/json"

	"ensomet/internal/sqlite"
)

// MarkDevicesOf notes of all devices that have or had some records that their changes between scans are to be worked
// out anew, by the renewal that is running if there is one.
func MarkDevicesOf(tx *sqlite.Tx, records []int64) error {
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_device(device_id, change) SELECT DISTINCT device_id, 0 FROM install WHERE record_id IN "+
			"(SELECT value FROM json_each(?)) ON CONFLICT DO NOTHING",
		string(list),
	)
	return err
}

// MarkDevice notes that what was reported of a device has changed, so that its changes between scans are worked out
// anew.
func MarkDevice(tx *sqlite.Tx, device int64) error {
	_, err := tx.Exec(
		"INSERT INTO dirty_device(device_id, change) VALUES (?, coalesce((SELECT CAST(value AS INTEGER) FROM setting "+
			"WHERE key = 'changes'), 0) + 1) ON CONFLICT DO UPDATE SET change = excluded.change",
		device,
	)
	return err
}
