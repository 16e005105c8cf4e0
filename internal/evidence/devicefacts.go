package evidence

import (
	"ensomet/internal/core/evidence"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SumUpDevices says of some devices how old their evidence is, how many installs they have, and on how many facts their
// sources disagree.
func SumUpDevices(tx *sqlite.Tx, e *snapshot.Snapshot, only []int64) (out []snapshot.DeviceFact, err error) {
	differ, err := disagreements(tx, only)
	if err != nil {
		return nil, err
	}
	for _, id := range only {
		i, known := e.DeviceAt[id]
		if !known {
			continue
		}
		dev, c := &e.Devices[i], e.Facts[i]
		age := func(k evidence.Kind) string { return string(e.Settings.Age(dev, k, e.At)) }
		out = append(out, snapshot.DeviceFact{
			Device:        dev.ID,
			LastSeen:      dev.LastScan,
			Age:           age(evidence.OfSoftware),
			HardwareSeen:  dev.HardwareSeen,
			HardwareAge:   age(evidence.OfHardware),
			UseSeen:       dev.UseSeen,
			UseAge:        age(evidence.OfUse),
			ListedAt:      dev.ListedAt,
			DirectoryAge:  age(evidence.OfDirectory),
			Installs:      c.Installs,
			Unrecognised:  c.Unrecognised,
			Counted:       c.Counted,
			Disagreements: differ[dev.ID],
		})
	}
	return out, nil
}
