package evidence

import (
	"context"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// devicesAtOnce is how many devices are gone through before a writer who waits gets his turn.
const devicesAtOnce = 500

// KeepOlderSystems puts the operating systems of those devices among their installs that were known before these were
// counted. What is broken off goes on at the next start.
func KeepOlderSystems(ctx context.Context, db *sqlite.DB) error {
	for more := true; more; {
		err := db.Update(ctx, func(tx *sqlite.Tx) (err error) {
			var done int
			if done, more, err = evidencedb.KeepDueSystems(tx, devicesAtOnce); err != nil || more || done == 0 {
				return err
			}
			return renewal.Mark(tx, false)
		})
		if err != nil {
			return err
		}
	}
	return nil
}
