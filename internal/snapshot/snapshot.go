package snapshot

import (
	"cmp"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/past"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"

	"github.com/shopspring/decimal"
)

// Snapshot is everything that figures of one day are computed from, loaded for all products or for some.
type Snapshot struct {
	AsOf      civil.Day
	Settings  Settings
	Rates     money.Rates
	Catalogue *recognise.Catalogue
	Products  map[int64]*ProductFacts
	Recs      []recFacts      // by record number
	Releases  map[int64]*seen // by title
	Keys      []keyFacts
	*Inventory
	persons    []PersonFacts  // those of machines, and strangers behind them
	strangers  map[string]int // people that are not in the inventory, by name
	strangerID map[int64]int
	sets       demand.Sets
	UseNames   map[int64]int64 // by name of a session, its product
	pools      []used.Pool
	Policies   []policy.Policy
	// what conditions on devices are asked of
	Conditions *ConditionFacts
	Exclusions exclusions
	Facts      []deviceCount // by place in devices
	Findings   []Present
	takenBack  map[seat]bool // seats that a trial takes back
	Only       []int64       // the products that are loaded, in order; nil is all
	Tallies    []Tally       // by place in devices, where they are asked for
	pieces     *pieces       // where installs are counted in pieces
	meter      *Meter        // nil until it is asked for
}

// recFacts is a record's recognition in the form that counting needs.
type recFacts struct {
	Product *ProductFacts
	Key     int32 // into keys, -1 where the record has no recognition
	Whole   bool
	counts  bool
	unknown bool
	need    demand.Priced
	single  *demand.Set // of this need alone
	leave   []int32     // rules that leave it out on some devices
	version *seen       // of its product
	release *seen       // of its line of the catalogue, nil where it has none
}

// seen counts the installs of one version or release.
type seen struct {
	Edition, Version         string
	Title                    int64
	Installs, Devices, Stale int64
	lastDevice               int64
}

func (s *seen) count(device int64, stale bool) {
	s.Installs++
	if s.lastDevice != device {
		s.lastDevice = device
		s.Devices++
		if stale {
			s.Stale++
		}
	}
}

// keyFacts counts the installs of one raw name.
type keyFacts struct {
	Sample                     int64 // the first record
	Key, State                 string
	Records, Installs, Devices int64
	Stale                      int64
	lastDevice                 int64
	Versions                   map[string]bool
}

// ProductFacts gathers what one product's position and lists need.
type ProductFacts struct {
	Id                                 int64
	Product                            *recognise.Product
	Currency                           string
	suites                             map[int64]bool
	Lines                              []entitle.Line
	Holdings                           []demand.Holding
	persons                            []demand.Person
	sessions                           []demand.Session
	order                              []entitle.Metric
	Units                              []deviceUse // one for each holding, in the same order
	installs, devices, counted, Folded int64
	leftOut                            int64
	LeftOutBy                          map[string]int64 // by reason
	IncludedOn                         map[int64]bool   // devices that need no right, since it comes with the place
	stale                              int64            // devices
	lastDevice, holder                 int64
	Versions                           map[[2]string]*seen // by edition and version
	Restricting                        bool                // some policy restricts it somewhere
	PolicyTitle                        policy.Title
	metered                            bool
	pooled                             bool               // a licence server shares it
	Trace                              map[int64]Presence // by device, where asked for
}

// deviceUse is what the worklist needs of a holding.
type deviceUse struct {
	Records []int64
	Parts   []int64 // products folded under it on this device
}

type deviceCount struct{ Installs, Unrecognised, Counted int64 }

// Present is a product found on a device, whether it counts or not.
type Present struct {
	Device  int
	Product *ProductFacts
	Record  int64
}

const tenThousandth = 10_000

// Presence is in what way a product is on a device; the greater says more.
type Presence int8

const (
	PresentNot    Presence = iota
	PresentOther           // as a piece, or on a machine that is not in service
	PresentFolded          // under a suite
	PresentLeft            // left out of the count
	PresentHeld            // counted
)

// loading says what of an estate is loaded, and how.
type loading struct {
	only     []int64 // installs of these products, and of the suites they are parts of; nil is all
	devices  []int64 // installs on these devices; nil is all
	part     bool    // of devices and people only those that the installs and the use need
	traced   bool    // in what way each product is on each device is kept
	tallied  bool    // what each device adds to the sums is kept
	later    bool    // installs are counted later, in pieces
	few      bool    // part, unless all devices are kept, or most of them have these products
	policies []policy.Policy
}

// LoadTraced also keeps in what way each product is on each device.
func (svc *Loader) LoadTraced(tx *sqlite.Tx, asOf civil.Day, now int64, only []int64) (*Snapshot, error) {
	return svc.load(tx, asOf, now, loading{only: only, traced: true})
}

// Load loads what the figures of a day rest on. only limits installs to some products and the suites they are parts
// of; nil is everything.
func (svc *Loader) Load(tx *sqlite.Tx, asOf civil.Day, now int64, only []int64) (*Snapshot, error) {
	return svc.load(tx, asOf, now, loading{only: only})
}

// Moment is the second that figures of today are computed for.
func (svc *Loader) Moment() int64 { return moment(svc.Today(), svc.Clock.Now().Unix()) }

// moment is the last second of a day, or now where that is not over.
func moment(day civil.Day, now int64) int64 { return min(day.EndUnix()-1, now) }

// LoadProducts loads what the figures of some products of today rest on, and of devices and people only those that
// these need: what it costs follows how much there is of these products.
func (svc *Loader) LoadProducts(tx *sqlite.Tx, products []int64) (*Snapshot, error) {
	return svc.load(tx, svc.Today(), svc.Clock.Now().Unix(), loading{only: products, part: true})
}

// LoadToday is LoadProducts for who asks again and again: where what is known of all devices and people is kept, or
// most devices have these products, it is of all of them.
func (svc *Loader) LoadToday(tx *sqlite.Tx, products []int64) (*Snapshot, error) {
	return svc.load(tx, svc.Today(), svc.Clock.Now().Unix(), loading{only: products, few: true})
}

// LoadDevices loads what is on some devices today, without rights and without the demand of use, with what each device
// adds to the sums.
func (svc *Loader) LoadDevices(tx *sqlite.Tx, devices []int64) (*Snapshot, error) {
	return svc.load(tx, svc.Today(), svc.Clock.Now().Unix(), loading{devices: devices, part: true, tallied: true})
}

// LoadUnder loads everything under other policies than those in force.
func (svc *Loader) LoadUnder(tx *sqlite.Tx, asOf civil.Day, now int64, policies []policy.Policy) (*Snapshot, error) {
	if policies == nil {
		policies = []policy.Policy{}
	}
	return svc.load(tx, asOf, now, loading{policies: policies})
}

func (svc *Loader) load(tx *sqlite.Tx, asOf civil.Day, now int64, how loading) (*Snapshot, error) {
	e := &Snapshot{
		AsOf:       asOf,
		strangers:  map[string]int{},
		strangerID: map[int64]int{},
		sets:       demand.Sets{},
		Releases:   map[int64]*seen{},
		Products:   map[int64]*ProductFacts{},
	}
	if err := past.Answerable(tx, asOf); err != nil {
		return nil, err
	}
	var err error
	if e.Settings, err = LoadSettings(tx); err != nil {
		return nil, err
	}
	if e.Catalogue, err = svc.Catalogue(tx); err != nil {
		return nil, err
	}
	if how.only != nil {
		var wanted []int64
		for _, id := range how.only {
			wanted = append(wanted, e.Catalogue.Kin(id)...)
		}
		how.only = append([]int64{}, stored.Distinct(wanted)...)
		e.Only = how.only
	}
	if err := svc.loadInventory(tx, e, now, how); err != nil {
		return nil, err
	}
	e.persons, e.Facts = e.Inventory.persons, make([]deviceCount, len(e.Devices))
	if how.tallied {
		e.Tallies = make([]Tally, len(e.Devices))
	}
	if e.Rates, err = LoadRates(tx); err != nil {
		return nil, err
	}
	if e.Policies = how.policies; how.policies == nil {
		if e.Policies, err = PoliciesInForce(tx, svc.Today()); err != nil {
			return nil, err
		}
	}
	for _, p := range e.Catalogue.Products() {
		e.addProduct(p)
		if how.traced {
			e.Products[p.ID].Trace = map[int64]Presence{}
		}
	}
	if how.devices == nil {
		if err := e.loadRights(tx, how.only); err != nil {
			return nil, err
		}
	}
	if err := e.loadUseNames(tx); err != nil {
		return nil, err
	}
	var asked []condition.Condition
	for _, p := range e.Policies {
		asked = append(asked, p.Group)
	}
	if err := e.Exclusions.Load(tx, e.AsOf); err != nil {
		return nil, err
	}
	for i := range e.Exclusions.Rules {
		asked = append(asked, e.Exclusions.Rules[i].Devices)
	}
	if e.Conditions, err = LoadConditionsOn(tx, &e.Settings, e.At, asked, how.devices); err != nil {
		return nil, err
	}
	if err := e.loadRecords(tx, how); err != nil {
		return nil, err
	}
	if how.later {
		return e, nil
	}
	if err := e.count(tx, how); err != nil || how.devices != nil {
		return e, err
	}
	return e, e.loadDemand(tx, how.only)
}

// loadDemand adds the demand of seats and of use to what is counted of some products; nil is all.
func (e *Snapshot) loadDemand(tx *sqlite.Tx, only []int64) error {
	if err := e.loadPersonsOfDemand(tx, only); err != nil {
		return err
	}
	return e.loadDemandOfUse(tx, only)
}

// loadInventory loads what is known of devices and people: of all, or of those that installs need.
func (svc *Loader) loadInventory(tx *sqlite.Tx, e *Snapshot, now int64, how loading) (err error) {
	var devices []int64
	if how.few {
		if how.part, devices, err = svc.someHave(tx, e.AsOf, now, how.only); err != nil {
			return err
		}
	}
	if !how.part {
		e.Inventory, err = svc.inventoryOf(tx, &e.Settings, e.AsOf, now)
		return err
	}
	if e.Inventory, err = partOfEstate(tx, &e.Settings, e.AsOf, moment(e.AsOf, now), how.devices != nil); err != nil {
		return err
	}
	if how.devices != nil {
		devices = how.devices
	}
	if devices == nil {
		if devices, err = devicesHaving(tx, e.At, how.only); err != nil {
			return err
		}
	}
	return e.needDevices(tx, devices)
}

// grow makes room for what was read of devices and people since, before anybody else is known.
func (e *Snapshot) grow() {
	if e.part == nil {
		return
	}
	e.persons = slices.Clip(e.Inventory.persons)
	e.growDevices()
}

// growDevices makes room for what was read of devices since.
func (e *Snapshot) growDevices() {
	more := len(e.Devices) - len(e.Facts)
	e.Facts = append(e.Facts, make([]deviceCount, more)...)
	for i := range e.Exclusions.On {
		e.Exclusions.On[i] = append(e.Exclusions.On[i], make([]int8, more)...)
	}
}

// PolicyTitle is what policy looks at in a product. Its category is the first that one of its titles has.
func PolicyTitle(p *recognise.Product) policy.Title {
	t := policy.Title{Product: p.ID, Publisher: recognise.CleanPublisher(p.Publisher)}
	for i := range p.Titles {
		if t.Category == "" {
			t.Category = p.Titles[i].Category
		}
	}
	return t
}

func (e *Snapshot) addProduct(p *recognise.Product) {
	f := &ProductFacts{Id: p.ID, Product: p, suites: e.Catalogue.SuitesOf(p.ID), Versions: map[[2]string]*seen{}}
	f.PolicyTitle = PolicyTitle(p)
	same := true
	for _, t := range p.Titles {
		if t.ListPrice.Valid {
			if f.Currency == "" {
				f.Currency = t.Currency
			}
			same = same && f.Currency == t.Currency
		}
	}
	if !same {
		f.Currency = e.Rates.House()
	}
	for i := range e.Policies {
		q := &e.Policies[i]
		if q.Stance == policy.Restricted &&
			(q.Product == p.ID ||
				q.Product == 0 && (q.Category == "" || q.Category == f.PolicyTitle.Category) &&
					(q.Publisher == "" || q.Publisher == f.PolicyTitle.Publisher)) {
			f.Restricting = true
		}
	}
	e.Products[p.ID] = f
}

// price is a list price in ten-thousandths of the product's currency, 0 where there is none or no rate.
func (e *Snapshot) price(f *ProductFacts, t *recognise.Title) int64 {
	if t == nil || !t.ListPrice.Valid {
		return 0
	}
	amount, err := e.Rates.Convert(t.ListPrice.Decimal, t.Currency, f.Currency, e.AsOf)
	if err != nil {
		return 0
	}
	return amount.Mul(decimal.NewFromInt(tenThousandth)).Round(0).IntPart()
}

func (e *Snapshot) loadRights(tx *sqlite.Tx, only []int64) error {
	lines, err := stored.EntitlementsOf(tx, only)
	if err != nil {
		return err
	}
	for _, l := range lines {
		f := e.Products[l.Line.Product]
		l.EditionRank = rankOf(f.Product, l.Edition)
		f.Lines = append(f.Lines, l.Line)
	}
	orders, err := stored.MetricOrders(tx)
	for id, order := range orders {
		if f := e.Products[id]; f != nil {
			f.order = order
		}
	}
	return err
}

func rankOf(p *recognise.Product, edition string) int {
	for _, t := range p.Titles {
		if t.Edition == edition {
			return t.EditionRank
		}
	}
	return 0
}

func (e *Snapshot) loadRecords(tx *sqlite.Tx, how loading) error {
	var recognitions []stored.Recognition
	var err error
	switch {
	case how.devices != nil:
		recognitions, err = stored.RecognitionsOn(tx, how.devices)
	case how.only != nil:
		recognitions, err = stored.RecognitionsAs(tx, how.only)
	default:
		recognitions, err = stored.Recognitions(tx)
	}
	if err != nil {
		return err
	}
	most := int64(0)
	for i := range recognitions {
		most = max(most, recognitions[i].Record)
	}
	e.Recs = make([]recFacts, most+1)
	for i := range e.Recs {
		e.Recs[i].Key = -1
	}
	keys := map[string]int32{}
	for i := range recognitions {
		n := &recognitions[i]
		r := &e.Recs[n.Record]
		at, known := keys[n.Key]
		if !known {
			at = int32(len(e.Keys))
			keys[n.Key] = at
			e.Keys = append(e.Keys, keyFacts{Sample: n.Record, Key: n.Key, Versions: map[string]bool{}})
		}
		k := &e.Keys[at]
		k.Records++
		k.Versions[n.TitleVersion] = true
		k.State = n.StateOfName(k.State)
		r.Key, r.Whole, r.counts = at, n.Whole, n.WhyNot == ""
		r.unknown = n.Product == 0 && !n.NotSoftware
		if n.Product == 0 {
			continue
		}
		f := e.Products[n.Product]
		if f == nil {
			continue
		}
		r.Product = f
		r.version = f.Versions[[2]string{n.Edition, n.TitleVersion}]
		if r.version == nil {
			r.version = &seen{Edition: n.Edition, Version: n.TitleVersion}
			f.Versions[[2]string{n.Edition, n.TitleVersion}] = r.version
		}
		if n.Title != 0 {
			r.version.Title = n.Title
			if r.release = e.Releases[n.Title]; r.release == nil {
				r.release = &seen{Title: n.Title}
				e.Releases[n.Title] = r.release
			}
		}
		var line *recognise.Title
		for j := range f.Product.Titles {
			if f.Product.Titles[j].ID == n.Line {
				line = &f.Product.Titles[j]
			}
		}
		r.need = demand.Priced{
			Need:  entitle.Need{Edition: n.Edition, EditionRank: n.EditionRank, Version: n.Version},
			Value: e.price(f, line),
		}
		if line != nil && line.ID == n.Title {
			r.need.Released = line.Released
		}
	}
	return e.matchExclusions(tx, how)
}

// Ordered lists the products by their numbers.
func (e *Snapshot) Ordered() []*ProductFacts {
	out := make([]*ProductFacts, 0, len(e.Products))
	for _, f := range e.Products {
		out = append(out, f)
	}
	slices.SortFunc(out, func(a, b *ProductFacts) int { return cmp.Compare(a.Id, b.Id) })
	return out
}
