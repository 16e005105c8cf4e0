package app

import (
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"
)

// loadPersonsOfDemand adds who holds a seat or used a product in the window, for products that are counted by user.
func (e *estate) loadPersonsOfDemand(tx *store.Tx) error {
	seats, err := tx.Assignments(e.asOf)
	if err != nil {
		return err
	}
	byLine := map[int64]*entitle.Line{}
	for _, f := range e.products {
		for i := range f.lines {
			byLine[f.lines[i].ID] = &f.lines[i]
		}
	}
	persons := map[int64]*store.PersonFacts{}
	for i := range e.persons {
		persons[e.persons[i].ID] = &e.persons[i]
	}
	for _, s := range seats {
		l, p := byLine[s.Line], persons[s.Person]
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

// loadUsers loads use where the position of one of the products counts users, and can be left out where none does.
func (e *estate) loadUsers(tx *store.Tx, products []int64) error {
	for _, id := range products {
		f := e.products[id]
		if f == nil {
			continue
		}
		byUser := slices.ContainsFunc(f.lines, func(l entitle.Line) bool { return l.Metric == entitle.NamedUser }) ||
			slices.ContainsFunc(f.product.Titles, func(t recognise.Title) bool { return t.DefaultMetric == string(entitle.NamedUser) })
		if byUser {
			_, err := e.loadUse(tx)
			return err
		}
	}
	return nil
}

// loadUse reads sessions and last uses and adds the users of the window to demand.
func (e *estate) loadUse(tx *store.Tx) (map[devicePair]*use, error) {
	names, err := tx.AllUseNames()
	if err != nil {
		return nil, err
	}
	product := map[int64]int64{}
	for _, n := range names {
		product[n.ID] = e.productOfUse(n)
		if f := e.products[product[n.ID]]; f != nil {
			f.metered = true
		}
	}
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
	first, last := map[int64]civil.Day{}, map[int64]civil.Day{}
	type user struct{ product, person int64 }
	users := map[user]bool{}
	window := e.asOf - civil.Day(e.settings.DemandDays) + 1
	err = tx.EachSession(e.asOf.EndUnix(), func(s store.SessionRow) error {
		i, known := e.deviceAt[s.Device]
		if !known {
			return nil
		}
		var u *use
		if id := product[s.Name]; id != 0 {
			u = at(s.Device, id)
			u.person = s.Person
		}
		zone := e.settings.zone(e.devices[i].Site)
		for _, d := range usage.Days(time.Unix(s.Start, 0), time.Unix(s.End, 0), zone) {
			if first[s.Device] == 0 || d.Day < first[s.Device] {
				first[s.Device] = d.Day
			}
			last[s.Device] = max(last[s.Device], d.Day)
			if u == nil {
				continue
			}
			if n := len(u.UseDays); n == 0 || u.UseDays[n-1] != d.Day {
				u.UseDays = append(u.UseDays, d.Day)
			}
			if s.Person != "" && d.Day >= window && d.Day <= e.asOf {
				users[user{product[s.Name], e.persons[e.person(s.Person)].ID}] = true
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	for i := range e.persons { // in the order of persons, so that the answer is always the same
		p := &e.persons[i]
		for id, f := range e.products {
			if users[user{id, p.ID}] {
				f.persons = append(f.persons, demand.Person{User: p.ID, Place: e.userPlace(p), Set: e.usedSet(f, p), Why: "used"})
			}
		}
	}
	err = tx.EachLastUse(e.asOf, func(l store.LastUseRow) error {
		if l.Record < int64(len(e.recs)) && e.recs[l.Record].product != nil {
			u := at(l.Device, e.recs[l.Record].product.id)
			u.LastUses = append(u.LastUses, usage.LastUse{UsedOn: l.UsedOn, SeenOn: l.SeenOn})
		}
		return nil
	})
	for _, f := range e.products {
		if !f.metered {
			continue
		}
		for _, h := range f.holdings {
			if first[h.Device] != 0 {
				u := at(h.Device, f.id)
				u.MeteredFrom, u.MeteredTo = first[h.Device], last[h.Device]
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
	if len(f.holdings) > 0 {
		return f.holdings[0].Set
	}
	return e.sets.Of([]demand.Priced{{}})
}

// productOfUse finds the product that a session's name means: the product named, else the one whose file it is.
func (e *estate) productOfUse(n store.UseNameRow) int64 {
	if n.FileName != "" {
		if id, ok := e.catalogue.ByFile(n.FileName); ok {
			return id
		}
	}
	if n.Product == "" {
		return 0
	}
	res, _ := recognise.New(e.catalogue, nil).Decide(recognise.Record{Name: n.Product})
	return res.Product
}
