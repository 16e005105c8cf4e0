package evidence

import (
	"context"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/machines"
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

// KeepOlderRecords notes by what those devices are told from others that were known before sources' names for them were
// kept. What is broken off goes on at the next start.
func KeepOlderRecords(ctx context.Context, db *sqlite.DB, room *machines.Room) error {
	for more := true; more; {
		err := db.Update(ctx, func(tx *sqlite.Tx) (err error) {
			_, more, err = room.KeepDue(tx, devicesAtOnce)
			return err
		})
		if err != nil {
			return err
		}
	}
	return nil
}
