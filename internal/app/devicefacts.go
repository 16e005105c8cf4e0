package app

import (
	"ensomet/internal/core/evidence"
	"ensomet/internal/store"
	"strings"
)

// sumUpDevices says of each device how old its evidence is, how many installs it has, and on how many facts its sources disagree.
func sumUpDevices(tx *store.Tx, e *estate) (out []store.DeviceFact, err error) {
	differ, err := disagreements(tx)
	if err != nil {
		return nil, err
	}
	named := map[string]int64{}
	for i := range e.devices {
		named[strings.ToLower(e.devices[i].Name)]++
	}
	for i := range e.devices {
		dev, c := &e.devices[i], e.facts[i]
		age := func(k evidence.Kind) string { return string(e.settings.age(dev, k, e.at)) }
		out = append(out, store.DeviceFact{
			Device:        dev.ID,
			LastSeen:      dev.LastScan,
			Age:           age(evidence.OfSoftware),
			HardwareSeen:  dev.HardwareSeen,
			HardwareAge:   age(evidence.OfHardware),
			UseSeen:       dev.UseSeen,
			UseAge:        age(evidence.OfUse),
			ListedAt:      dev.ListedAt,
			DirectoryAge:  age(evidence.OfDirectory),
			Installs:      c.installs,
			Unrecognised:  c.unrecognised,
			Counted:       c.counted,
			Namesakes:     named[strings.ToLower(dev.Name)] - 1,
			Disagreements: differ[dev.ID],
		})
	}
	return out, nil
}
