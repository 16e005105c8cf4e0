package snapshot

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
)

// loadPersonsOfDemand adds who holds a seat or used a product in the window, for products that are counted by user.
func (e *Snapshot) loadPersonsOfDemand(tx *sqlite.Tx, only []int64) error {
	seats, err := stored.AssignmentsOf(tx, only, e.AsOf)
	if err != nil {
		return err
	}
	var holders []int64
	for _, s := range seats {
		holders = append(holders, s.Person)
	}
	if err := e.needPeople(tx, holders); err != nil {
		return err
	}
	e.grow()
	byLine := map[int64]*entitle.Line{}
	for _, f := range e.Products {
		for i := range f.Lines {
			byLine[f.Lines[i].ID] = &f.Lines[i]
		}
	}
	for _, s := range seats {
		if s.Person == 0 {
			continue
		}
		l, p := byLine[s.Line], e.PersonByID(s.Person)
		if l == nil || p == nil {
			continue
		}
		f := e.Products[l.Product]
		if e.takenBack[seat{f.Id, p.ID}] {
			continue
		}
		need := demand.Priced{
			Need:  entitle.Need{Edition: l.Edition, EditionRank: l.EditionRank, Version: l.Version},
			Value: e.lineValue(f, l),
		}
		f.persons = append(
			f.persons,
			demand.Person{
				User:  p.ID,
				Place: e.userPlace(p),
				Set:   e.sets.Of([]demand.Priced{need}),
				Why:   "assigned",
			},
		)
	}
	return nil
}

// lineValue is the list price that fits a line's edition.
func (e *Snapshot) lineValue(f *ProductFacts, l *entitle.Line) int64 {
	var v int64
	for i := range f.Product.Titles {
		if t := &f.Product.Titles[i]; t.Edition == l.Edition {
			v = max(v, e.price(f, t))
		}
	}
	return v
}

// Use is what is known of the use of one product on one device.
type Use struct {
	usage.Facts
	person string // who used it last
}

type DevicePair struct{ Device, Product int64 }

// loadUseNames says which product each name of a session means.
func (e *Snapshot) loadUseNames(tx *sqlite.Tx) error {
	names, err := used.Names(tx)
	if err != nil {
		return err
	}
	e.UseNames = map[int64]int64{}
	for _, n := range names {
		e.UseNames[n.ID] = ProductOfUse(e.Catalogue, n)
		if f := e.Products[e.UseNames[n.ID]]; f != nil {
			f.metered = true
		}
	}
	if e.pools, err = used.Pools(tx); err != nil {
		return err
	}
	for _, p := range e.pools {
		if f := e.Products[p.Product]; f != nil {
			f.metered, f.pooled = true, true
		}
	}
	for _, f := range e.Products {
		if f.usedUnowned() && f.Trace == nil { // use where it is there and does not count asks for nothing
			f.Trace = map[int64]Presence{}
		}
	}
	return nil
}

// seat is a seat of a product that a person holds.
type seat struct{ product, person int64 }

// usedUnowned reports whether use is measured of a product that needs a right and of which nobody owns one.
func (f *ProductFacts) usedUnowned() bool {
	return f.metered && len(f.Lines) == 0 && slices.ContainsFunc(f.Product.Titles,
		func(t recognise.Title) bool { return t.Model.Licensable() })
}

// asksByUse reports whether the use of a product makes demand: some metric of it counts users or use at one time, a
// licence server shares it, or nobody owns it and it is used where no install is known.
func (f *ProductFacts) asksByUse() bool {
	return f.countsUse() || f.pooled || f.usedUnowned() && len(f.Holdings) == 0
}

// countsUseOn reports whether use on a device counts: not where its right comes with the place, nor where the product
// is there and folded under a suite, or left out, and nobody owns it.
func (f *ProductFacts) countsUseOn(device int64) bool {
	if f.IncludedOn[device] {
		return false
	}
	if !f.usedUnowned() {
		return true
	}
	p := f.Trace[device]
	return p == PresentNot || p == PresentHeld
}

// countsUse reports whether some metric of a product counts users or use at one time.
func (f *ProductFacts) countsUse() bool {
	return slices.ContainsFunc(f.Lines, func(l entitle.Line) bool { return countsUse(l.Metric) }) ||
		slices.ContainsFunc(
			f.Product.Titles,
			func(t recognise.Title) bool { return countsUse(entitle.Metric(t.DefaultMetric)) },
		)
}

func countsUse(m entitle.Metric) bool {
	return m == entitle.NamedUser || m == entitle.Concurrent || m == entitle.Token
}

// loadDemandOfUse adds who used a product in the window, and the sessions in it, to the demand of products that are
// counted by them; only limits it to some products, nil is all. What a licence server reported goes before sessions
// of use.
func (e *Snapshot) loadDemandOfUse(tx *sqlite.Tx, only []int64) error {
	wanted := map[int64]bool{}
	for id, f := range e.Products {
		if (only == nil || slices.Contains(only, id)) && f.asksByUse() {
			wanted[id] = true
		}
	}
	if len(wanted) == 0 {
		return nil
	}
	window := e.AsOf - civil.Day(e.Settings.DemandDays) + 1
	from, to := (window - 1).EndUnix(), e.AsOf.EndUnix()
	names := []int64{} // nil would be all
	for name, product := range e.UseNames {
		if wanted[product] {
			names = append(names, name)
		}
	}
	given, err := e.poolSessions(tx, wanted, from, to)
	if err != nil {
		return err
	}
	if err := e.needUse(tx, names, given, window); err != nil {
		return err
	}
	add := e.sessionAdder(wanted, from, to)
	pooled := e.addPools(given, wanted, to, add)
	err = used.EachSession(tx, names, from, to, func(s used.Session) error {
		id := e.UseNames[s.Name]
		if _, known := e.DeviceAt[s.Device]; known && !pooled[id] && e.Products[id].countsUseOn(s.Device) {
			add(e.UseNames[s.Name], s.Device, s.Person, s.Start, s.End, 1)
		}
		return nil
	})
	if err != nil {
		return err
	}
	for id := range wanted {
		if f := e.Products[id]; !pooled[id] {
			f.sessions = demand.Joined(f.sessions)
		}
	}
	return e.loadUsers(tx, wanted, names, window)
}

// sessionAdder adds sessions to their products, cut to the window [from, to), each with who and what it stands for.
func (e *Snapshot) sessionAdder(
	wanted map[int64]bool,
	from, to int64,
) func(product, device int64, person string, start, end, licences int64) {
	holding := map[int64]map[int64]int32{}
	for id := range wanted {
		at := map[int64]int32{}
		for i := range e.Products[id].Holdings {
			at[e.Products[id].Holdings[i].Device] = int32(i)
		}
		holding[id] = at
	}
	return func(product, device int64, person string, start, end, licences int64) {
		f := e.Products[product]
		s := demand.Session{
			Device:   device,
			From:     max(start, from),
			To:       min(end, to),
			Licences: licences,
			Holding:  -1,
			Fresh:    true,
		}
		if user := e.countsAs(person); user != "" {
			i := e.person(user)
			s.User, s.Place = e.persons[i].ID, e.userPlace(&e.persons[i])
		}
		if i, ok := e.DeviceAt[device]; ok {
			d := &e.Devices[i]
			s.Kind, s.Place = d.Kind, entitle.Place{Unit: d.OrgUnit, Country: d.Country}
		}
		if h, ok := holding[product][device]; ok {
			s.Holding, s.Set = h, f.Holdings[h].Set
		} else {
			s.Set = e.anySet(f)
		}
		f.sessions = append(f.sessions, s)
	}
}

// holders says on which devices products are held.
func (e *Snapshot) holders(products map[int64]bool) map[DevicePair]bool {
	out := map[DevicePair]bool{}
	for id := range products {
		for i := range e.Products[id].Holdings {
			out[DevicePair{e.Products[id].Holdings[i].Device, id}] = true
		}
	}
	return out
}

// loadUsers adds who used the products by these names since the first day of the window.
func (e *Snapshot) loadUsers(tx *sqlite.Tx, wanted map[int64]bool, names []int64, window civil.Day) error {
	type at struct {
		product int64
		place   int // in devices, or in persons
	}
	users, nobody := map[at]bool{}, map[at]bool{} // who used it, and where nobody knows who did
	holds := e.holders(wanted)
	err := used.EachDay(tx, names, nil, window, e.AsOf, func(d used.Day) error {
		f := e.Products[e.UseNames[d.Name]]
		i, known := e.DeviceAt[d.Device]
		if !known || !f.countsUseOn(d.Device) {
			return nil
		}
		who := e.countsAs(d.Person)
		if who == "" && !holds[DevicePair{d.Device, f.Id}] { // else its main user counts, or the device
			who = e.countsAs(e.Devices[i].PrimaryUser)
		}
		switch {
		case who != "":
			users[at{f.Id, e.person(who)}] = true
		case holds[DevicePair{d.Device, f.Id}]:
		default:
			nobody[at{f.Id, i}] = true
		}
		return nil
	})
	if err != nil {
		return err
	}
	inOrder := func(a, b at) int { return cmp.Or(cmp.Compare(a.place, b.place), cmp.Compare(a.product, b.product)) }
	for _, v := range slices.SortedFunc(maps.Keys(nobody), inOrder) {
		f, d := e.Products[v.product], &e.Devices[v.place]
		f.persons = append(
			f.persons,
			demand.Person{Device: d.ID, Kind: d.Kind, Set: e.anySet(f), Why: "used",
				Place: entitle.Place{Unit: d.OrgUnit, Country: d.Country}},
		)
	}
	for _, v := range slices.SortedFunc(maps.Keys(users), inOrder) { // so that the answer is always the same
		f, p := e.Products[v.product], &e.persons[v.place]
		f.persons = append(
			f.persons,
			demand.Person{User: p.ID, Place: e.userPlace(p), Set: e.usedSet(f, p), Why: "used"},
		)
	}
	return nil
}

// poolSessions reads what was out of licence servers' pools in a time, where some of the products have a pool.
func (e *Snapshot) poolSessions(tx *sqlite.Tx, wanted map[int64]bool, from, to int64) ([]used.PoolSession, error) {
	if !slices.ContainsFunc(e.pools, func(p used.Pool) bool { return wanted[p.Product] }) {
		return nil, nil
	}
	return used.PoolSessions(tx, from, to)
}

// addPools adds what was out of licence servers' pools, and says which products have a pool. A checkout that nothing
// ended is out up to the end of the day asked about.
func (e *Snapshot) addPools(
	sessions []used.PoolSession,
	wanted map[int64]bool,
	to int64,
	add func(product, device int64, person string, start, end, licences int64),
) map[int64]bool {
	pooled, product := map[int64]bool{}, map[int64]int64{}
	for _, p := range e.pools {
		pooled[p.Product], product[p.ID] = true, p.Product
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
	return pooled
}

// needUse reads the devices and people of the use by some names since the first day of the window, and of pools.
func (e *Snapshot) needUse(tx *sqlite.Tx, names []int64, given []used.PoolSession, window civil.Day) error {
	if e.part == nil {
		return nil
	}
	list, err := json.Marshal(names)
	if err != nil {
		return err
	}
	const of = "(SELECT value FROM json_each(?1))"
	args := []any{string(list), (window - 1).EndUnix(), e.AsOf.EndUnix(), window, e.AsOf}
	devices, err := sqlite.Select[int64](tx, `SELECT device_id FROM use_session WHERE name_id IN `+of+`
			AND started_at < ?3 AND ended_at >= ?2
		UNION SELECT device_id FROM use_day WHERE name_id IN `+of+` AND day >= ?4 AND day <= ?5`, args...)
	if err != nil {
		return err
	}
	people, err := sqlite.Select[string](tx, `SELECT person_code FROM use_session WHERE name_id IN `+of+`
			AND started_at < ?3 AND ended_at >= ?2
		UNION SELECT person_code FROM use_day WHERE name_id IN `+of+` AND day >= ?4 AND day <= ?5`, args...)
	if err != nil {
		return err
	}
	var codes []string
	for _, s := range given {
		people, codes = append(people, s.Person), append(codes, s.Device)
	}
	more, err := e.needCodes(tx, codes)
	if err != nil {
		return err
	}
	if err := e.needDevices(tx, append(devices, more...)); err != nil {
		return err
	}
	if err := e.needNames(tx, people); err != nil {
		return err
	}
	e.grow()
	return nil
}

// LoadUse reads days of use and last uses, for the classes of use: of what is loaded, on the devices that are there.
func (e *Snapshot) LoadUse(tx *sqlite.Tx) (map[DevicePair]*Use, error) {
	out := map[DevicePair]*Use{}
	at := func(device, product int64) *Use {
		k := DevicePair{device, product}
		u := out[k]
		if u == nil {
			u = &Use{}
			out[k] = u
		}
		return u
	}
	names, devices := e.usedHere()
	on := devices
	if e.pieces != nil && names != nil { // they were used on all the devices
		on = nil
	}
	err := used.EachDay(tx, names, on, 0, e.AsOf, func(d used.Day) error {
		id := e.UseNames[d.Name]
		if _, known := e.DeviceAt[d.Device]; !known || id == 0 {
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
	err = used.EachLast(tx, devices, recordsOf(e), e.AsOf, func(l used.Last) error {
		if l.Record < int64(len(e.Recs)) && e.Recs[l.Record].Product != nil {
			u := at(l.Device, e.Recs[l.Record].Product.Id)
			u.LastUses = append(u.LastUses, usage.LastUse{UsedOn: l.UsedOn, SeenOn: l.SeenOn})
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	measured, err := e.measuredOn(tx, devices)
	if err != nil {
		return nil, err
	}
	meter, err := metering(tx, e)
	if err != nil {
		return nil, err
	}
	for _, f := range e.Products {
		if len(f.Holdings) == 0 || !meter.Measurable(f.metered, f.Product, e.Catalogue) {
			continue
		}
		for _, h := range f.Holdings {
			if spans := meter.Spans(f.PolicyTitle, &e.Devices[e.DeviceAt[h.Device]], measured[h.Device]); len(
				spans,
			) > 0 {
				at(h.Device, f.Id).Metered = spans
			}
		}
	}
	return out, err
}

// usedHere are the names of use of what is loaded, and the devices that are there; nil is all.
func (e *Snapshot) usedHere() (names, devices []int64) {
	switch {
	case e.pieces != nil && e.Only != nil:
		devices = heldOn(e)
	case e.pieces != nil:
		devices = e.pieces.devices
	case e.part == nil:
		return nil, nil
	default:
		devices = make([]int64, len(e.Devices))
		for i := range e.Devices {
			devices[i] = e.Devices[i].ID
		}
	}
	if e.Only == nil {
		return nil, devices
	}
	names = []int64{}
	for name, product := range e.UseNames {
		if _, of := slices.BinarySearch(e.Only, product); of {
			names = append(names, name)
		}
	}
	return names, devices
}

// usedSet is what a user who used a product needs: what the devices that have it demand, else the product in general.
func (e *Snapshot) usedSet(f *ProductFacts, p *PersonFacts) *demand.Set {
	for _, h := range f.Holdings {
		if h.User == p.ID {
			return h.Set
		}
	}
	return e.anySet(f)
}

// anySet is what a product needs where nobody can say which version or edition.
func (e *Snapshot) anySet(f *ProductFacts) *demand.Set {
	if len(f.Holdings) > 0 {
		return f.Holdings[0].Set
	}
	return e.sets.Of([]demand.Priced{e.anyNeed(f)})
}

// anyNeed is the need of use that no install says more of: in the edition of the lines that count use, else in the
// only edition that there is, at its list price.
func (e *Snapshot) anyNeed(f *ProductFacts) demand.Priced {
	for i := range f.Lines {
		if l := &f.Lines[i]; countsUse(l.Metric) {
			need := entitle.Need{Edition: l.Edition, EditionRank: l.EditionRank, Version: l.Version}
			return demand.Priced{Need: need, Value: e.lineValue(f, l)}
		}
	}
	var out demand.Priced
	for i := range f.Product.Titles {
		t := &f.Product.Titles[i]
		if out.Value = max(out.Value, e.price(f, t)); i == 0 {
			out.Edition, out.EditionRank = t.Edition, t.EditionRank
		} else if t.Edition != out.Edition {
			out.Edition, out.EditionRank = "", 0
		}
	}
	return out
}

// ProductOfUse finds the product that a session's name means: the product named, else the one whose file it is.
func ProductOfUse(c *recognise.Catalogue, n used.Name) int64 {
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
