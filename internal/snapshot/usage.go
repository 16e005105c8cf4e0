package snapshot

import (
	"ensomet/internal/core/refuse"
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
			person := e.countsAs(u.person)
			if person == "" {
				person = e.countsAs(e.Devices[e.DeviceAt[h.Device]].PrimaryUser)
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

// KeepsEnough refuses windows that look back further than what was measured is kept: "no data" would be read as "not
// used".
func (s *Settings) KeepsEnough() error {
	switch {
	case s.UseWindow > s.DayDays:
		return refuse.Errorf(
			"classes of use look at %d days, but days of use are kept for %d: keep them longer, or look at a shorter "+
				"window",
			s.UseWindow,
			s.DayDays,
		)
	case s.DemandDays > s.SessionDays:
		return refuse.Errorf(
			"demand looks at %d days of runs, but they are kept for %d: keep them longer",
			s.DemandDays,
			s.SessionDays,
		)
	case s.SessionDays > s.DayDays:
		return refuse.Errorf(
			"runs are kept for %d days and the days of use made of them for %d: the days must be kept at least as "+
				"long",
			s.SessionDays,
			s.DayDays,
		)
	case s.EventDays > s.SessionDays:
		return refuse.Errorf(
			"raw events are kept for %d days and the runs made of them for %d: the runs must be kept at least as long",
			s.EventDays,
			s.SessionDays,
		)
	}
	return nil
}
