package app

import (
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/money"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/position"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// estate is everything that figures of one day are computed from, loaded for all products or for some.
type estate struct {
	asOf      civil.Day
	at        int64 // installs present at this second count
	settings  Settings
	rates     money.Rates
	catalogue *recognise.Catalogue
	products  map[int64]*productFacts
	recs      []recFacts // by record number
	keys      []keyFacts
	devices   []store.DeviceFacts
	deviceAt  map[int64]int
	persons   []store.PersonFacts
	personAt  map[string]int           // by user_id
	places    map[string]entitle.Place // where users belong
	fleet     map[string]position.Fleet
	sets      demand.Sets
	policies  []store.StoredPolicy
	facts     []deviceCount // by place in devices
	findings  []present
}

// recFacts is a record's recognition in the form that counting needs.
type recFacts struct {
	product *productFacts
	key     int32 // into keys, -1 where the record has no recognition
	whole   bool
	counts  bool
	unknown bool
	need    demand.Priced
	single  *demand.Set // of this need alone
	version string
}

// keyFacts counts the installs of one raw name.
type keyFacts struct {
	sample                     int64 // the first record
	key, state                 string
	records, installs, devices int64
	lastDevice                 int64
	versions                   map[string]bool
}

// productFacts gathers what one product's position and lists need.
type productFacts struct {
	id                                 int64
	product                            *recognise.Product
	currency                           string
	suites                             map[int64]bool
	lines                              []entitle.Line
	holdings                           []demand.Holding
	persons                            []demand.Person
	units                              []deviceUse // one for each holding, in the same order
	installs, devices, counted, folded int64
	lastDevice, holder                 int64
	lastVersion                        string
	versions                           map[string]bool
	restricting                        bool // some policy restricts it somewhere
	policyTitle                        policy.Title
	metered                            bool
}

// deviceUse is what the worklist needs of a holding.
type deviceUse struct {
	records []int64
	parts   []int64 // products folded under it on this device
}

type deviceCount struct{ installs, unrecognised, counted int64 }

// present is a product found on a device, whether it counts or not.
type present struct {
	device  int
	product *productFacts
	record  int64
}

const tenThousandth = 10_000

// loadEstate loads what the figures of a day rest on. only limits installs to some products and the suites they are parts of; nil is everything.
func loadEstate(tx *store.Tx, asOf civil.Day, now int64, only []int64) (*estate, error) {
	e := &estate{asOf: asOf, at: min(asOf.EndUnix()-1, now), deviceAt: map[int64]int{}, personAt: map[string]int{}, places: map[string]entitle.Place{}, fleet: map[string]position.Fleet{}, sets: demand.Sets{}, products: map[int64]*productFacts{}}
	var err error
	if e.settings, err = loadSettings(tx); err != nil {
		return nil, err
	}
	rates, err := tx.Rates()
	if err != nil {
		return nil, err
	}
	var list []money.Rate
	for _, r := range rates {
		list = append(list, money.Rate(r))
	}
	e.rates = money.NewRates(list)
	products, err := tx.Products()
	if err != nil {
		return nil, err
	}
	e.catalogue = recognise.NewCatalogue(products)
	if e.policies, err = tx.Policies(); err != nil {
		return nil, err
	}
	for i := range products {
		e.addProduct(&products[i])
	}
	if err := e.loadRights(tx); err != nil {
		return nil, err
	}
	if err := e.loadDevices(tx); err != nil {
		return nil, err
	}
	if err := e.loadRecords(tx); err != nil {
		return nil, err
	}
	if only != nil {
		wanted := append([]int64(nil), only...)
		for _, id := range only {
			for suite := range e.catalogue.SuitesOf(id) {
				wanted = append(wanted, suite)
			}
			wanted = append(wanted, e.catalogue.PartsOf(id)...)
		}
		only = wanted
	}
	if err := e.count(tx, only); err != nil {
		return nil, err
	}
	return e, e.loadPersonsOfDemand(tx)
}

func (e *estate) addProduct(p *recognise.Product) {
	f := &productFacts{id: p.ID, product: p, suites: e.catalogue.SuitesOf(p.ID), versions: map[string]bool{}}
	f.policyTitle = policy.Title{Product: p.ID, Publisher: recognise.CleanPublisher(p.Publisher)}
	same := true
	for _, t := range p.Titles {
		if t.Category != "" && f.policyTitle.Category == "" {
			f.policyTitle.Category = t.Category
		}
		if t.ListPrice.Valid {
			if f.currency == "" {
				f.currency = t.Currency
			}
			same = same && f.currency == t.Currency
		}
	}
	if !same {
		f.currency = money.Base
	}
	for i := range e.policies {
		q := e.policies[i].Policy
		if q.Stance == policy.Restricted && (q.Product == p.ID || q.Product == 0 && (q.Category == "" || q.Category == f.policyTitle.Category) && (q.Publisher == "" || q.Publisher == f.policyTitle.Publisher)) {
			f.restricting = true
		}
	}
	e.products[p.ID] = f
}

// price is a list price in ten-thousandths of the product's currency, 0 where there is none or no rate.
func (e *estate) price(f *productFacts, t *recognise.Title) int64 {
	if t == nil || !t.ListPrice.Valid {
		return 0
	}
	amount, err := e.rates.Convert(t.ListPrice.Decimal, t.Currency, f.currency, e.asOf)
	if err != nil {
		return 0
	}
	return amount.Mul(decimal.NewFromInt(tenThousandth)).Round(0).IntPart()
}

func (e *estate) loadRights(tx *store.Tx) error {
	lines, err := tx.AllEntitlements()
	if err != nil {
		return err
	}
	for _, l := range lines {
		f := e.products[l.Line.Product]
		l.EditionRank = rankOf(f.product, l.Edition)
		f.lines = append(f.lines, l.Line)
	}
	return nil
}

func rankOf(p *recognise.Product, edition string) int {
	for _, t := range p.Titles {
		if t.Edition == edition {
			return t.EditionRank
		}
	}
	return 0
}

func (e *estate) loadDevices(tx *store.Tx) error {
	var err error
	if e.persons, err = tx.AllPersons(); err != nil {
		return err
	}
	for i, p := range e.persons {
		e.personAt[p.Code] = i
	}
	if e.devices, err = tx.AllDevices(e.at); err != nil {
		return err
	}
	e.facts = make([]deviceCount, len(e.devices))
	for i, d := range e.devices {
		e.deviceAt[d.ID] = i
		if d.PrimaryUser != "" {
			if _, known := e.places[d.PrimaryUser]; !known {
				e.places[d.PrimaryUser] = entitle.Place{Unit: d.OrgUnit, Country: d.Country}
			}
		}
		if d.Status != "in_service" {
			continue
		}
		f := e.fleet[d.Kind]
		switch e.age(&d) {
		case evidence.Fresh:
			f.Fresh++
		case evidence.Stale:
			f.Stale++
		default:
			f.Never++
		}
		e.fleet[d.Kind] = f
	}
	return nil
}

func (e *estate) age(d *store.DeviceFacts) evidence.Age {
	return evidence.AgeOf(d.LastScan, e.at, e.settings.FreshDays)
}

// userPlace is where a user belongs: the unit of the directory, the country of a device of his.
func (e *estate) userPlace(p *store.PersonFacts) entitle.Place {
	at := e.places[p.Code]
	if p.OrgUnit != "" {
		at.Unit = p.OrgUnit
	}
	return at
}

func (e *estate) loadRecords(tx *store.Tx) error {
	recognitions, err := tx.Recognitions()
	if err != nil {
		return err
	}
	most := int64(0)
	for i := range recognitions {
		most = max(most, recognitions[i].Record)
	}
	e.recs = make([]recFacts, most+1)
	for i := range e.recs {
		e.recs[i].key = -1
	}
	keys := map[string]int32{}
	for i := range recognitions {
		n := &recognitions[i]
		r := &e.recs[n.Record]
		at, known := keys[n.Key]
		if !known {
			at = int32(len(e.keys))
			keys[n.Key] = at
			state := "recognised"
			if n.Step == recognise.ByDecision {
				state = "decided"
			} else if n.Product == 0 && !n.NotSoftware {
				state = "unrecognised"
			}
			e.keys = append(e.keys, keyFacts{sample: n.Record, key: n.Key, state: state, versions: map[string]bool{}})
		}
		k := &e.keys[at]
		k.records++
		k.versions[n.TitleVersion] = true
		if n.Product == 0 && !n.NotSoftware {
			k.state = "unrecognised"
		}
		r.key, r.whole, r.counts, r.version = at, n.Whole, n.WhyNot == "", n.TitleVersion
		r.unknown = n.Product == 0 && !n.NotSoftware
		if n.Product == 0 {
			continue
		}
		f := e.products[n.Product]
		if f == nil {
			continue
		}
		r.product = f
		var line *recognise.Title
		for j := range f.product.Titles {
			if f.product.Titles[j].ID == n.Line {
				line = &f.product.Titles[j]
			}
		}
		r.need = demand.Priced{Need: entitle.Need{Edition: n.Edition, EditionRank: n.EditionRank, Version: n.Version}, Value: e.price(f, line)}
		if line != nil && line.ID == n.Title {
			r.need.Released = line.Released
		}
	}
	return nil
}

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
	var touched []*productFacts
	for _, id := range records {
		r := &e.recs[id]
		fact.installs++
		if r.key >= 0 {
			k := &e.keys[r.key]
			k.installs++
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
			if p, known := e.personAt[s.Person]; known && d.Day >= window && d.Day <= e.asOf {
				users[user{product[s.Name], e.persons[p].ID}] = true
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

// compute returns the positions of one product.
func (e *estate) compute(f *productFacts, yesterday map[position.Way]int64) []position.Position {
	in := position.Input{AsOf: e.asOf, DefaultMetric: entitle.Device, Lines: f.lines, Holdings: f.holdings, Persons: f.persons, Sets: e.sets, Fleet: e.fleet, Yesterday: yesterday}
	for _, t := range f.product.Titles {
		if t.DefaultMetric != "" {
			in.DefaultMetric = entitle.Metric(t.DefaultMetric)
			break
		}
	}
	if len(f.lines) == 0 && len(f.holdings) == 0 {
		return nil
	}
	return position.Compute(in)
}

// figure brings a position to the form that is stored.
func (e *estate) figure(f *productFacts, p *position.Position) store.Figure {
	out := store.Figure{Product: f.id, Metric: string(p.Metric), Counted: p.Counted, Owned: p.Owned, Needed: p.Needed, Covered: p.Covered, Short: p.Short, Surplus: p.Surplus, Low: p.Low, High: p.High, Currency: f.currency, AsOf: e.asOf, Gaps: map[string]int{}}
	out.Exposure = decimal.New(p.Exposure, -4).String()
	spare := decimal.Zero
	for _, l := range p.Lines {
		if out.Currency == "" {
			out.Currency = l.Line.Currency
		}
		if l.Spare > 0 && l.Line.UnitPrice.Valid && p.Counted {
			if amount, err := e.rates.Convert(l.Line.UnitPrice.Decimal, l.Line.Currency, out.Currency, e.asOf); err == nil {
				spare = spare.Add(amount.Mul(decimal.NewFromInt(l.Spare)))
			}
		}
	}
	out.SpareValue = spare.String()
	out.ExposureBase, out.SpareBase = e.inBase(decimal.New(p.Exposure, -4), out.Currency), e.inBase(spare, out.Currency)
	for _, u := range p.Units {
		if u.Line < 0 {
			out.Gaps[u.Gap.String()]++
		}
	}
	return out
}

// inBase is an amount in the currency that positions are ordered by; where there is no rate, the bare amount.
func (e *estate) inBase(amount decimal.Decimal, currency string) float64 {
	if c, err := e.rates.Convert(amount, currency, money.Base, e.asOf); err == nil {
		amount = c
	}
	return amount.InexactFloat64()
}
