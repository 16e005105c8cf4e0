package app

import (
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// loadPersonsOfDemand adds who holds a seat or used a product in the window, for products that are counted by user.
func (e *estate) loadPersonsOfDemand(tx *store.Tx, only []int64) error {
	seats, err := tx.AssignmentsOf(only, e.asOf)
	if err != nil {
		return err
	}
	byLine := map[int64]*entitle.Line{}
	for _, f := range e.products {
		for i := range f.lines {
			byLine[f.lines[i].ID] = &f.lines[i]
		}
	}
	for _, s := range seats {
		if s.Person == 0 {
			continue
		}
		l, p := byLine[s.Line], e.personByID(s.Person)
		if l == nil || p == nil {
			continue
		}
		f := e.products[l.Product]
		need := demand.Priced{Need: entitle.Need{Edition: l.Edition, EditionRank: l.EditionRank, Version: l.Version}, Value: e.lineValue(f, l)}
		f.persons = append(f.persons, demand.Person{User: p.ID, Place: e.userPlace(p), Set: e.sets.Of([]demand.Priced{need}), Why: "assigned"})
	}
	return nil
}

// lineValue is the list price that fits a line's edition.
func (e *estate) lineValue(f *productFacts, l *entitle.Line) int64 {
	var v int64
	for i := range f.product.Titles {
		if t := &f.product.Titles[i]; t.Edition == l.Edition {
			v = max(v, e.price(f, t))
		}
	}
	return v
}

// use is what is known of the use of one product on one device.
type use struct {
	usage.Facts
	person string // who used it last
}

type devicePair struct{ device, product int64 }

// loadUseNames says which product each name of a session means.
func (e *estate) loadUseNames(tx *store.Tx) error {
	names, err := tx.AllUseNames()
	if err != nil {
		return err
	}
	e.useNames = map[int64]int64{}
	for _, n := range names {
		e.useNames[n.ID] = productOfUse(e.catalogue, n)
		if f := e.products[e.useNames[n.ID]]; f != nil {
			f.metered = true
		}
	}
	return nil
}

// countsUse reports whether some metric of a product counts users or use at one time.
func (f *productFacts) countsUse() bool {
	counts := func(m entitle.Metric) bool {
		return m == entitle.NamedUser || m == entitle.Concurrent || m == entitle.Token
	}
	return slices.ContainsFunc(f.lines, func(l entitle.Line) bool { return counts(l.Metric) }) ||
		slices.ContainsFunc(f.product.Titles, func(t recognise.Title) bool { return counts(entitle.Metric(t.DefaultMetric)) })
}

// loadDemandOfUse adds who used a product in the window, and the sessions in it, to the demand of products that are counted by them; only limits it to some products, nil is all. What a licence
// server reported goes before sessions of use.
func (e *estate) loadDemandOfUse(tx *store.Tx, only []int64) error {
	wanted := map[int64]bool{}
	for id, f := range e.products {
		if (only == nil || slices.Contains(only, id)) && f.countsUse() {
			wanted[id] = true
		}
	}
	if len(wanted) == 0 && only != nil {
		return nil
	}
	if err := e.loadUseNames(tx); err != nil || len(wanted) == 0 {
		return err
	}
	window := e.asOf - civil.Day(e.settings.DemandDays) + 1
	from, to := (window - 1).EndUnix(), e.asOf.EndUnix()
	holding := map[int64]map[int64]int32{}
	for id := range wanted {
		at := map[int64]int32{}
		for i := range e.products[id].holdings {
			at[e.products[id].holdings[i].Device] = int32(i)
		}
		holding[id] = at
	}
	add := func(product, device int64, person string, start, end, licences int64) {
		f := e.products[product]
		s := demand.Session{Device: device, From: max(start, from), To: min(end, to), Licences: licences, Holding: -1, Fresh: true}
		if person != "" {
			i := e.person(person)
			s.User, s.Place = e.persons[i].ID, e.userPlace(&e.persons[i])
		}
		if i, ok := e.deviceAt[device]; ok {
			d := &e.devices[i]
			s.Kind, s.Place = d.Kind, entitle.Place{Unit: d.OrgUnit, Country: d.Country}
		}
		if h, ok := holding[product][device]; ok {
			s.Holding, s.Set = h, f.holdings[h].Set
		} else {
			s.Set = e.anySet(f)
		}
		f.sessions = append(f.sessions, s)
	}
	pooled, err := e.loadPools(tx, wanted, from, to, add)
	if err != nil {
		return err
	}
	var names []int64
	for name, product := range e.useNames {
		if wanted[product] {
			names = append(names, name)
		}
	}
	err = tx.EachSessionOf(names, from, to, func(s store.SessionRow) error {
		if _, known := e.deviceAt[s.Device]; known && !pooled[e.useNames[s.Name]] {
			add(e.useNames[s.Name], s.Device, s.Person, s.Start, s.End, 1)
		}
		return nil
	})
	if err != nil {
		return err
	}
	type user struct{ product, person int64 }
	users := map[user]bool{}
	err = tx.EachUseDay(names, window, e.asOf, func(d store.UseDayRow) error {
		if _, known := e.deviceAt[d.Device]; known && d.Person != "" {
			users[user{e.useNames[d.Name], e.persons[e.person(d.Person)].ID}] = true
		}
		return nil
	})
	if err != nil {
		return err
	}
	for id := range wanted {
		if f := e.products[id]; !pooled[id] {
			f.sessions = demand.Joined(f.sessions)
		}
	}
	for i := range e.persons { // in the order of persons, so that the answer is always the same
		p := &e.persons[i]
		for id := range wanted {
			if users[user{id, p.ID}] {
				f := e.products[id]
				f.persons = append(f.persons, demand.Person{User: p.ID, Place: e.userPlace(p), Set: e.usedSet(f, p), Why: "used"})
			}
		}
	}
	return nil
}

// loadPools adds what was out of licence servers' pools, and says which products have a pool. A checkout that nothing ended is out up to the end of the day asked about.
func (e *estate) loadPools(tx *store.Tx, wanted map[int64]bool, from, to int64, add func(product, device int64, person string, start, end, licences int64)) (map[int64]bool, error) {
	pools, err := tx.AllPools()
	if err != nil || len(pools) == 0 {
		return nil, err
	}
	pooled, product := map[int64]bool{}, map[int64]int64{}
	for _, p := range pools {
		pooled[p.Product], product[p.ID] = true, p.Product
		if f := e.products[p.Product]; f != nil {
			f.metered = true
		}
	}
	sessions, err := tx.PoolSessions(from, to)
	if err != nil {
		return nil, err
	}
	for _, s := range sessions {
		end := s.End
		if end == 0 {
			end = to
		}
		if wanted[product[s.Pool]] {
			add(product[s.Pool], e.deviceOf[s.Device], s.Person, s.Start, end, s.Licences)
		}
	}
	return pooled, nil
}

// loadUse reads days of use and last uses, for the classes of use.
func (e *estate) loadUse(tx *store.Tx) (map[devicePair]*use, error) {
	out := map[devicePair]*use{}
	at := func(device, product int64) *use {
		k := devicePair{device, product}
		u := out[k]
		if u == nil {
			u = &use{}
			out[k] = u
		}
		return u
	}
	err := tx.EachUseDay(nil, 0, e.asOf, func(d store.UseDayRow) error {
		id := e.useNames[d.Name]
		if _, known := e.deviceAt[d.Device]; !known || id == 0 {
			return nil
		}
		u := at(d.Device, id)
		if n := len(u.UseDays); n == 0 || d.Day >= u.UseDays[n-1] {
			u.person = d.Person
		}
		u.UseDays = append(u.UseDays, d.Day)
		return nil
	})
	if err != nil {
		return nil, err
	}
	err = tx.EachLastUse(e.asOf, func(l store.LastUseRow) error {
		if l.Record < int64(len(e.recs)) && e.recs[l.Record].product != nil {
			u := at(l.Device, e.recs[l.Record].product.id)
			u.LastUses = append(u.LastUses, usage.LastUse{UsedOn: l.UsedOn, SeenOn: l.SeenOn})
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	measured, err := loadMeasured(tx, e.asOf)
	if err != nil {
		return nil, err
	}
	meter, err := loadMeter(tx, &e.settings, e.at)
	if err != nil {
		return nil, err
	}
	for _, f := range e.products {
		if !meter.measurable(f.metered, f.product, e.catalogue) {
			continue
		}
		for _, h := range f.holdings {
			if spans := meter.spans(f.policyTitle, &e.devices[e.deviceAt[h.Device]], measured[h.Device]); len(spans) > 0 {
				at(h.Device, f.id).Metered = spans
			}
		}
	}
	return out, err
}

// usedSet is what a user who used a product needs: what the devices that have it demand, else the product in general.
func (e *estate) usedSet(f *productFacts, p *store.PersonFacts) *demand.Set {
	for _, h := range f.holdings {
		if h.User == p.ID {
			return h.Set
		}
	}
	return e.anySet(f)
}

// anySet is what a product needs where nobody can say which version or edition.
func (e *estate) anySet(f *productFacts) *demand.Set {
	if len(f.holdings) > 0 {
		return f.holdings[0].Set
	}
	return e.sets.Of([]demand.Priced{{}})
}

// productOfUse finds the product that a session's name means: the product named, else the one whose file it is.
func productOfUse(c *recognise.Catalogue, n store.UseNameRow) int64 {
	if n.FileName != "" {
		if id, ok := c.ByFile(n.FileName); ok {
			return id
		}
	}
	if n.Product == "" {
		return 0
	}
	res, _ := recognise.New(c, nil).Decide(recognise.Record{Name: n.Product})
	return res.Product
}
