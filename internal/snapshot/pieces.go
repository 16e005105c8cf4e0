package snapshot

import (
	"slices"

	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// pieces is what a snapshot remembers whose installs are counted in pieces.
type pieces struct {
	devices  []int64                // that were counted last
	measured map[int64][]usage.Span // on which days each device was measured
}

// LoadToCount loads everything that the figures of today rest on but the installs and the use: CountDevices counts
// them device by device, and after all devices CountProducts product by product. So memory holds what is known of
// devices, people and records, and the installs of one piece.
func (svc *Loader) LoadToCount(tx *sqlite.Tx) (*Snapshot, error) {
	e, err := svc.load(tx, svc.Today(), svc.Clock.Now().Unix(), loading{tallied: true, later: true})
	if err == nil {
		e.pieces = &pieces{measured: map[int64][]usage.Span{}}
	}
	return e, err
}

// CountDevices counts the installs on some devices, in order, and lets go of those that were counted before it. What
// names, versions, titles and products sum up goes on: each device may be counted once.
func (e *Snapshot) CountDevices(tx *sqlite.Tx, devices []int64) error {
	e.letGo()
	e.pieces.devices = devices
	return e.count(tx, loading{devices: devices})
}

// CountProducts counts the installs, seats and use of some products and of those that they fold with, and lets go of
// everything else. What names, versions and titles sum up is not to be asked for after it.
func (e *Snapshot) CountProducts(tx *sqlite.Tx, products []int64) error {
	e.letGo()
	e.pieces.devices, e.Tallies = nil, nil
	e.Only = []int64{}
	for _, id := range products {
		e.Only = append(e.Only, e.Catalogue.Kin(id)...)
	}
	e.Only = stored.Distinct(e.Only)
	for _, id := range e.Only {
		f := e.Products[id]
		f.installs, f.devices, f.counted, f.Folded, f.leftOut, f.stale = 0, 0, 0, 0, 0, 0
		f.lastDevice, f.holder, f.LeftOutBy = 0, 0, nil
	}
	if err := e.count(tx, loading{only: e.Only}); err != nil {
		return err
	}
	return e.loadDemand(tx, e.Only)
}

// letGo forgets the piece that was counted last.
func (e *Snapshot) letGo() {
	for _, id := range e.pieces.devices {
		if at, known := e.DeviceAt[id]; known && e.Tallies != nil {
			e.Tallies[at] = Tally{}
		}
	}
	e.Findings = e.Findings[:0]
	for _, f := range e.Products {
		f.Holdings, f.Units = emptied(f.Holdings), emptied(f.Units)
		f.persons, f.sessions = nil, nil
		clear(f.Trace)
		f.IncludedOn = nil
	}
}

// emptied is a list without what was in it, which keeps its room where that is small.
func emptied[T any](list []T) []T {
	if cap(list) > 1024 {
		return nil
	}
	clear(list)
	return list[:0]
}

// measuredOn says on which days devices were measured; nil is all.
func (e *Snapshot) measuredOn(tx *sqlite.Tx, devices []int64) (map[int64][]usage.Span, error) {
	if e.pieces == nil {
		return LoadMeasured(tx, devices, e.AsOf)
	}
	if e.Only == nil {
		spans, err := LoadMeasured(tx, devices, e.AsOf)
		for device, s := range spans {
			e.pieces.measured[device] = slices.Clip(s)
		}
		return spans, err
	}
	return e.pieces.measured, nil // all devices were counted
}

// heldOn lists the devices on which one of the products that are loaded is held.
func heldOn(e *Snapshot) []int64 {
	var out []int64
	for _, id := range e.Only {
		for i := range e.Products[id].Holdings {
			out = append(out, e.Products[id].Holdings[i].Device)
		}
	}
	return stored.Distinct(out)
}

// recordsOf lists the records that are one of the products that are loaded; nil is any.
func recordsOf(e *Snapshot) []int64 {
	if e.Only == nil {
		return nil
	}
	out := []int64{}
	for id := range e.Recs {
		if p := e.Recs[id].Product; p != nil {
			if _, of := slices.BinarySearch(e.Only, p.Id); of {
				out = append(out, int64(id))
			}
		}
	}
	return out
}
