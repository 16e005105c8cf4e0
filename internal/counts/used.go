package counts

import (
	"encoding/json"

	"ensomet/internal/sqlite"
	"ensomet/internal/used"
)

// TakeTouchedUse lists the names of what was used of which some use changed, and forgets that; fresh are those that
// nothing was called by before.
func TakeTouchedUse(tx *sqlite.Tx) (list []used.Name, fresh map[int64]bool, err error) {
	if list, err = sqlite.Select[used.Name](tx, `SELECT id, file_name, product, product_id AS rolled_as
		FROM use_name
		WHERE id IN (SELECT name_id FROM touched_use)`); err != nil {
		return nil, nil, err
	}
	ids, err := sqlite.Select[int64](tx, "SELECT name_id FROM touched_use WHERE is_new")
	if err != nil {
		return nil, nil, err
	}
	fresh = map[int64]bool{}
	for _, id := range ids {
		fresh[id] = true
	}
	_, err = tx.Exec("DELETE FROM touched_use")
	return list, fresh, err
}

// NamesUsedOn lists the names of what was used on some devices; nil is all names.
func NamesUsedOn(tx *sqlite.Tx, devices []int64) ([]used.Name, error) {
	if devices == nil {
		return used.Names(tx)
	}
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[used.Name](tx, `SELECT n.id, n.file_name, n.product, n.product_id AS rolled_as
		FROM use_name n
		WHERE EXISTS (SELECT 1 FROM use_session u WHERE u.name_id = n.id
			AND u.device_id IN (SELECT value FROM json_each(?1)))
		OR EXISTS (SELECT 1 FROM use_day u WHERE u.name_id = n.id
			AND u.device_id IN (SELECT value FROM json_each(?1)))`,
		string(list))
}
