package app

import (
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// judgeUse classifies the use of every counted product on every device.
func judgeUse(e *estate, uses map[devicePair]*use) (out []store.IdleFact) {
	w := usage.Window{AsOf: e.asOf, Days: e.settings.UseWindow, LeastShare: e.settings.LeastShare}
	for _, f := range e.ordered() {
		for _, h := range f.holdings {
			u := uses[devicePair{h.Device, f.id}]
			if u == nil {
				u = &use{}
			}
			person := u.person
			if person == "" {
				person = e.devices[e.deviceAt[h.Device]].PrimaryUser
			}
			c := usage.Classify(u.Facts, w)
			out = append(out, store.IdleFact{Device: h.Device, Product: f.id, Person: person, Class: string(c.Class), Used: c.Used, Measured: c.Measured, Last: c.Last})
		}
	}
	return out
}
