package snapshot

import (
	"ensomet/internal/core/usage"
)

// JudgeUse classifies the use of every counted product on every device.
func JudgeUse(e *Snapshot, uses map[DevicePair]*Use) (out []IdleFact) {
	w := usage.Window{AsOf: e.AsOf, Days: e.Settings.UseWindow, LeastShare: e.Settings.LeastShare}
	for _, f := range e.Ordered() {
		for _, h := range f.Holdings {
			u := uses[DevicePair{h.Device, f.Id}]
			if u == nil {
				u = &Use{}
			}
			person := u.person
			if person == "" {
				person = e.Devices[e.DeviceAt[h.Device]].PrimaryUser
			}
			c := usage.Classify(u.Facts, w)
			out = append(
				out,
				IdleFact{
					Device:   h.Device,
					Product:  f.Id,
					Person:   person,
					Class:    string(c.Class),
					Used:     c.Used,
					Measured: c.Measured,
					Last:     c.Last,
				},
			)
		}
	}
	return out
}
