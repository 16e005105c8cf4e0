package counts

import (
	"encoding/json"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SourceSeparator stands between the names of sources that report the same.
const SourceSeparator = "\x1f"

// PutSourced counts which sources report the installs of some devices: a record that is there in several places or from
// several sources is one.
func PutSourced(tx *sqlite.Tx, devices []int64) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	if err := tx.LayRows("sourced", "device_id IN (SELECT value FROM json_each(?))", string(list)); err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM sourced WHERE device_id IN (SELECT value FROM json_each(?))",
		string(list)); err != nil {
		return err
	}
	_, err = tx.Exec(`INSERT INTO sourced(device_id, sources, software, installs)
		SELECT device_id, sources, software, count(*) FROM (
			SELECT device_id, group_concat(name, char(31) ORDER BY name) AS sources,
				coalesce(group_concat(CASE WHEN software THEN name END, char(31) ORDER BY name), '') AS software FROM (
				SELECT i.device_id, i.record_id, s.name, max(s.part <> ?2) AS software
				FROM install i JOIN source s ON s.id = i.source_id
				WHERE i.until IS NULL AND i.device_id IN (SELECT value FROM json_each(?1)) GROUP BY 1, 2, 3)
			GROUP BY device_id, record_id) GROUP BY 1, 2, 3`, string(list), snapshot.SystemPart)
	return err
}
