package renewal

import (
	"ensomet/internal/sqlite"
)

// MarkUseDue notes that the runs of a device are to be rolled up, from a start on, at a time or later.
func MarkUseDue(tx *sqlite.Tx, device, since, after int64) error {
	_, err := tx.Exec(
		"INSERT INTO use_due(device_id, since, after) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET since = min(since, "+
			"excluded.since), after = min(after, excluded.after)",
		device,
		since,
		after,
	)
	return err
}
