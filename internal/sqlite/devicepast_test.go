package sqlite_test

import (
	"testing"

	"ensomet/internal/core/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// A device of a past day is as lists stated it then: its unit, its host, and whether it was in service.
func TestDevicesOfPastDays(t *testing.T) {
	db := open(t)
	list := func(at int64, unit, host string, status evidence.DeviceStatus) {
		update(t, db, func(tx *sqlite.Tx) error {
			u, err := evidencedb.Devices(tx)
			if err != nil {
				return err
			}
			_, err = putDevice(u, device("D1", "one", evidence.Stated{
				Kind:    evidence.VirtualMachine,
				OrgUnit: unit,
				HostID:  host,
				Status:  status,
			}),
				at,
			)
			return err
		})
	}
	list(1000, "A", "h1", "in_service")
	list(2000, "A", "h1", "in_service")
	list(3000, "B", "h1", "in_service")
	list(4000, "B", "h2", "retired")
	list(3500, "C", "h3", "retired") // a list that comes late says nothing of the past
	view(t, db, func(tx *sqlite.Tx) error {
		for at, want := range map[int64][3]string{500: {"A", "h1", "in_service"}, 2999: {"A", "h1", "in_service"},
			3000: {"B", "h1", "in_service"}, 3999: {"B", "h1", "in_service"}} {
			list, err := snapshot.AllDevices(tx, at)
			if err != nil {
				return err
			}
			if d := list[0]; d.OrgUnit != want[0] || d.HostID != want[1] || string(d.Status) != want[2] {
				t.Errorf("at %d: %s %s %s, want %v", at, d.OrgUnit, d.HostID, d.Status, want)
			}
		}
		were, err := snapshot.DevicesWere(tx, 0)
		if err != nil || len(were) != 2 {
			t.Errorf("%d states are kept: %+v, %v", len(were), were, err)
		}
		return nil
	})
}

func putDevice(w *evidencedb.ListedDevices, d formats.Device, listedAt int64) (sqlite.Change, error) {
	_, c, err := w.Put(d, listedAt)
	return c, err
}
