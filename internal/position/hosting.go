package position

import (
	"maps"
	"slices"

	"ensomet/internal/snapshot"
)

// HostingSplit counts the devices that have a product and are hosted in one way: those that need a right of the
// house's own, and those on which its right comes with the place.
type HostingSplit struct {
	Hosting       string
	Own, Included int64
}

// byHosting splits the devices that have a product by how they are hosted; empty where all are on the own sites and
// need a right of the house's own.
func byHosting(e *snapshot.Snapshot, f *snapshot.ProductFacts) []HostingSplit {
	by := map[string]*HostingSplit{}
	of := func(hosting string) *HostingSplit {
		if by[hosting] == nil {
			by[hosting] = &HostingSplit{Hosting: hosting}
		}
		return by[hosting]
	}
	for i := range f.Holdings {
		of(e.Devices[e.DeviceAt[f.Holdings[i].Device]].Hosting).Own++
	}
	for d := range f.IncludedOn {
		of(e.Devices[e.DeviceAt[d]].Hosting).Included++
	}
	out := []HostingSplit{}
	said := len(by) > 1
	for _, hosting := range slices.Sorted(maps.Keys(by)) {
		out = append(out, *by[hosting])
		said = said || by[hosting].Included > 0 || hosting != snapshot.OwnSite
	}
	if !said {
		return []HostingSplit{}
	}
	return out
}
