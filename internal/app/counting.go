package app

import (
	"slices"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
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
	folded, inferred := e.foldedHere(records)
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
		r.version.count(device, stale)
		if r.release != nil {
			r.release.count(device, stale)
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
			f.note(device, presentOther)
			continue
		}
		if folded[id] != nil {
			f.folded++
			f.note(device, presentFolded)
			continue
		}
		if why := e.whyLeftOut(at, f.id, r.leave); why != "" {
			f.leaveOut(why)
			f.note(device, presentLeft)
			continue
		}
		f.note(device, presentHeld)
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
	for _, s := range inferred {
		e.holdByParts(at, s, folded)
	}
	for id, s := range folded {
		if f := e.products[s.Product]; f.holder == device {
			u := &f.units[len(f.units)-1]
			if part := e.recs[id].product.id; !slices.Contains(u.parts, part) {
				u.parts = append(u.parts, part)
			}
		}
	}
}

// note keeps in what way the product is on a device, where that is asked for.
func (f *productFacts) note(device int64, p presence) {
	if f.trace != nil {
		f.trace[device] = max(f.trace[device], p)
	}
}

// holdByParts makes the holding of a suite of which only parts were seen on a device.
func (e *estate) holdByParts(at int, s *recognise.Suite, folded map[int64]*recognise.Suite) {
	d, f := &e.devices[at], e.products[s.Product]
	as := e.catalogue.As(s.Product, s.Edition, s.Version)
	if d.Status != "in_service" || f.holder == d.ID || as.WhyNot() != "" {
		return
	}
	if why := e.whyLeftOut(at, f.id, nil); why != "" {
		f.leaveOut(why)
		return
	}
	f.holder = d.ID
	f.note(d.ID, presentHeld)
	e.facts[at].counted++
	f.counted++
	e.hold(f, d)
	u := &f.units[len(f.units)-1]
	for id, under := range folded {
		if under.Product == s.Product {
			u.records = append(u.records, id)
		}
	}
	slices.Sort(u.records)
	need := demand.Priced{Need: entitle.Need{Edition: as.Edition, EditionRank: as.EditionRank, Version: as.Version, Released: as.Released}, Value: e.price(f, as.Line)}
	f.holdings[len(f.holdings)-1].Set = e.sets.Of([]demand.Priced{need})
}

// foldedHere says which records on a device fold under which suite there, and which suites are there by their parts alone.
func (e *estate) foldedHere(records []int64) (map[int64]*recognise.Suite, []*recognise.Suite) {
	suites := false
	for _, id := range records {
		if r := &e.recs[id]; r.product != nil && r.whole && len(r.product.suites) > 0 {
			suites = true
			break
		}
	}
	if !suites {
		return nil, nil
	}
	here, of := make([]recognise.Present, 0, len(records)), make([]int64, 0, len(records))
	for _, id := range records {
		if r := &e.recs[id]; r.product != nil && r.whole {
			here, of = append(here, recognise.Present{Product: r.product.id, Edition: r.need.Edition, Version: r.need.Version}), append(of, id)
		}
	}
	folds := e.catalogue.Fold(here)
	if folds.Under == nil {
		return nil, nil
	}
	out := map[int64]*recognise.Suite{}
	for i, s := range folds.Under {
		if s != nil {
			out[of[i]] = s
		}
	}
	return out, folds.Inferred
}

// hold begins the holding of a product on a device.
func (e *estate) hold(f *productFacts, d *store.DeviceFacts) {
	if e.bearer == nil || e.bearer.Device != d.ID {
		e.bearer = &demand.Bearer{Device: d.ID, Kind: d.Kind, Environment: d.Environment, Portable: d.Portable == "true", Fresh: e.age(d) == evidence.Fresh, Place: entitle.Place{Unit: d.OrgUnit, Country: d.Country}}
		if p, ok := e.personAt[d.PrimaryUser]; ok {
			e.bearer.User, e.bearer.UserAt = e.persons[p].ID, e.userPlace(&e.persons[p])
		}
	}
	f.holdings = append(f.holdings, demand.Holding{Bearer: e.bearer})
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
