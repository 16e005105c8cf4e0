package app

import (
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/store"
)

// count walks the installs once, device by device, and makes holdings of what counts.
func (e *estate) count(tx *store.Tx, only []int64) error {
	return tx.EachDevice(e.at, only, func(device int64, records []int64) error {
		known := records[:0]
		for _, id := range records {
			if id < int64(len(e.recs)) { // others came in since the records were read
				known = append(known, id)
			}
		}
		e.countDevice(device, known)
		return nil
	})
}

// countDevice counts the installs of one device: which products are there, which of them fold under a suite, and which make a holding.
func (e *estate) countDevice(device int64, records []int64) {
	at, known := e.deviceAt[device]
	if !known {
		return
	}
	d := &e.devices[at]
	fact := &e.facts[at]
	folded := e.foldedHere(records)
	stale := e.age(d) == evidence.Stale
	var touched []*productFacts
	for _, id := range records {
		r := &e.recs[id]
		fact.installs++
		if r.key >= 0 {
			k := &e.keys[r.key]
			k.installs++
			if stale {
				k.stale++
			}
			if k.lastDevice != device {
				k.lastDevice = device
				k.devices++
			}
		}
		if r.unknown {
			fact.unrecognised++
		}
		f := r.product
		if f == nil {
			continue
		}
		f.installs++
		if f.lastVersion != r.version || len(f.versions) == 0 {
			f.versions[r.version] = true
			f.lastVersion = r.version
		}
		if f.lastDevice != device {
			f.lastDevice = device
			f.devices++
			if stale {
				f.stale++
			}
		}
		if f.restricting && r.whole {
			e.findings = append(e.findings, present{at, f, id})
		}
		if !r.counts || d.Status != "in_service" {
			continue
		}
		if _, under := folded[f.id]; under {
			f.folded++
			continue
		}
		fact.counted++
		f.counted++
		if f.holder != device {
			f.holder = device
			touched = append(touched, f)
			e.hold(f, d)
		}
		u := &f.units[len(f.units)-1]
		u.records = append(u.records, id)
	}
	for _, f := range touched {
		e.settle(f)
	}
	for part, suite := range folded {
		if f := e.products[suite]; f.holder == device {
			u := &f.units[len(f.units)-1]
			u.parts = append(u.parts, part)
		}
	}
}

// foldedHere says which products on a device fold under which suite there.
func (e *estate) foldedHere(records []int64) map[int64]int64 {
	suites := false
	for _, id := range records {
		if r := &e.recs[id]; r.product != nil && r.whole && len(r.product.suites) > 0 {
			suites = true
			break
		}
	}
	if !suites {
		return nil
	}
	here := make(map[int64]bool, len(records))
	for _, id := range records {
		if r := &e.recs[id]; r.product != nil && r.whole {
			here[r.product.id] = true
		}
	}
	return e.catalogue.Fold(here)
}

// hold begins the holding of a product on a device.
func (e *estate) hold(f *productFacts, d *store.DeviceFacts) {
	h := demand.Holding{Device: d.ID, Kind: d.Kind, Fresh: e.age(d) == evidence.Fresh, Place: entitle.Place{Unit: d.OrgUnit, Country: d.Country}}
	if p, ok := e.personAt[d.PrimaryUser]; ok {
		h.User, h.UserAt = e.persons[p].ID, e.userPlace(&e.persons[p])
	}
	f.holdings = append(f.holdings, h)
	f.units = append(f.units, deviceUse{})
}

// settle gives the newest holding of a product the set of what its records need.
func (e *estate) settle(f *productFacts) {
	h, u := &f.holdings[len(f.holdings)-1], &f.units[len(f.units)-1]
	if len(u.records) == 1 {
		r := &e.recs[u.records[0]]
		if r.single == nil {
			r.single = e.sets.Of([]demand.Priced{r.need})
		}
		h.Set = r.single
		return
	}
	needs := make([]demand.Priced, 0, len(u.records))
	for _, id := range u.records {
		needs = append(needs, e.recs[id].need)
	}
	h.Set, h.Editions = e.sets.Of(needs), e.editions(needs)
}

// editions splits needs by edition; nil where there is one alone.
func (e *estate) editions(needs []demand.Priced) []*demand.Set {
	by := map[string][]demand.Priced{}
	var order []string
	for _, n := range needs {
		if by[n.Edition] == nil {
			order = append(order, n.Edition)
		}
		by[n.Edition] = append(by[n.Edition], n)
	}
	if len(order) < 2 {
		return nil
	}
	var out []*demand.Set
	for _, ed := range order {
		out = append(out, e.sets.Of(by[ed]))
	}
	return out
}
