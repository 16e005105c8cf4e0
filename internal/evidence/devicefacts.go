package evidence

import (
	"slices"
	"strings"

	"ensomet/internal/core/evidence"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// SumUpDevices says of each device how old its evidence is, how many installs it has, and on how many facts its
// sources disagree; of some devices, or where that is nil of all.
func SumUpDevices(tx *sqlite.Tx, e *snapshot.Snapshot, only []int64) (out []snapshot.DeviceFact, err error) {
	differ, err := disagreements(tx, only)
	if err != nil {
		return nil, err
	}
	named := map[string]int64{}
	for i := range e.Devices {
		named[strings.ToLower(e.Devices[i].Name)]++
	}
	for i := range e.Devices {
		dev, c := &e.Devices[i], e.Facts[i]
		if only != nil && !slices.Contains(only, dev.ID) {
			continue
		}
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
			Namesakes:     named[strings.ToLower(dev.Name)] - 1,
			Disagreements: differ[dev.ID],
		})
	}
	return out, nil
}
