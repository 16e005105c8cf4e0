package snapshot

// SumUpProducts says of each product that is installed how often it is, and how much of that counts.
func (e *Snapshot) SumUpProducts() (out []ProductFact) {
	for _, f := range e.Ordered() {
		if f.installs > 0 {
			out = append(out, ProductFact{
				Product:  f.Id,
				Installs: f.installs,
				Devices:  f.devices,
				Stale:    f.stale,
				Counted:  f.counted,
				Folded:   f.Folded,
				LeftOut:  f.leftOut,
				Versions: f.versionCount(),
			})
		}
	}
	return out
}
