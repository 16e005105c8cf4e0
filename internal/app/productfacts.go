package app

import "ensomet/internal/store"

// sumUpProducts says of each product that is installed how often it is, and how much of that counts.
func (e *estate) sumUpProducts() (out []store.ProductFact) {
	for _, f := range e.ordered() {
		if f.installs > 0 {
			out = append(out, store.ProductFact{
				Product:  f.id,
				Installs: f.installs,
				Devices:  f.devices,
				Stale:    f.stale,
				Counted:  f.counted,
				Folded:   f.folded,
				LeftOut:  f.leftOut,
				Versions: f.versionCount(),
			})
		}
	}
	return out
}
