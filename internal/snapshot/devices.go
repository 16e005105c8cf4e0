package snapshot

import "ensomet/internal/sqlite"

// FindDevice returns the number of the device with a device_id, or 0. A device_id of one that counts as another now,
// and what any source calls a device, lead to that.
func FindDevice(tx *sqlite.Tx, code string) (int64, error) {
	list, err := sqlite.Select[int64](tx, "SELECT id FROM device WHERE code = ?1", code)
	if err != nil || len(list) > 0 || code == "" {
		return append(list, 0)[0], err
	}
	list, err = sqlite.Select[int64](tx, `SELECT into_id FROM joined_device WHERE code = ?1 UNION
		SELECT device_id FROM machine_record WHERE key = ?1 COLLATE NOCASE AND device_id <> 0`, code)
	if err != nil || len(list) != 1 {
		return 0, err
	}
	return list[0], nil
}

// DevicesByCode numbers devices by device_id, those too that count as another one now.
func DevicesByCode(tx *sqlite.Tx) (map[string]int64, error) {
	return tx.Numbers("SELECT code, id FROM device UNION ALL SELECT code, into_id FROM joined_device")
}
