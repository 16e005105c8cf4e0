package app

import (
	"cmp"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/money"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
	"slices"

	"github.com/shopspring/decimal"
)

// estate is everything that figures of one day are computed from, loaded for all products or for some.
type estate struct {
	asOf      civil.Day
	settings  Settings
	rates     money.Rates
	catalogue *recognise.Catalogue
	products  map[int64]*productFacts
	recs      []recFacts      // by record number
	releases  map[int64]*seen // by title
	keys      []keyFacts
	*machines
	persons   []store.PersonFacts // those of machines, and strangers behind them
	strangers map[string]int
	sets      demand.Sets
	useNames  map[int64]int64 // by name of a session, its product
	policies  []policy.Policy
	// what conditions on devices are asked of
	conditions *conditionFacts
	leaving    leaving
	facts      []deviceCount  // by place in devices
	bearer     *demand.Bearer // of the device that is being counted
	findings   []present
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
	leave   []int32     // rules that leave it out on some devices
	version *seen       // of its product
	release *seen       // of its line of the catalogue, nil where it has none
}

// seen counts the installs of one version or release.
type seen struct {
	edition, version         string
	title                    int64
	installs, devices, stale int64
	lastDevice               int64
}

func (s *seen) count(device int64, stale bool) {
	s.installs++
	if s.lastDevice != device {
		s.lastDevice = device
		s.devices++
		if stale {
			s.stale++
		}
	}
}

// keyFacts counts the installs of one raw name.
type keyFacts struct {
	sample                     int64 // the first record
	key, state                 string
	records, installs, devices int64
	stale                      int64
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
	sessions                           []demand.Session
	order                              []entitle.Metric
	units                              []deviceUse // one for each holding, in the same order
	installs, devices, counted, folded int64
	leftOut                            int64
	leftOutBy                          map[string]int64 // by reason
	stale                              int64            // devices
	lastDevice, holder                 int64
	versions                           map[[2]string]*seen // by edition and version
	restricting                        bool                // some policy restricts it somewhere
	policyTitle                        policy.Title
	metered                            bool
	trace                              map[int64]presence // by device, where asked for
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

// presence is in what way a product is on a device; the greater says more.
type presence int8

const (
	presentNot    presence = iota
	presentOther           // as a piece, or on a machine that is not in service
	presentFolded          // under a suite
	presentLeft            // left out of the count
	presentHeld            // counted
)

// loadEstateTraced also keeps in what way each product is on each device.
func (a *App) loadEstateTraced(tx *store.Tx, asOf civil.Day, now int64, only []int64) (*estate, error) {
	return a.loadEstateOf(tx, asOf, now, only, true, nil)
}

// loadEstate loads what the figures of a day rest on. only limits installs to some products and the suites they are parts of; nil is everything.
func (a *App) loadEstate(tx *store.Tx, asOf civil.Day, now int64, only []int64) (*estate, error) {
	return a.loadEstateOf(tx, asOf, now, only, false, nil)
}

// loadEstateBy loads everything under other policies than those in force.
func (a *App) loadEstateBy(tx *store.Tx, asOf civil.Day, now int64, policies []policy.Policy) (*estate, error) {
	if policies == nil {
		policies = []policy.Policy{}
	}
	return a.loadEstateOf(tx, asOf, now, nil, false, policies)
}

func (a *App) loadEstateOf(tx *store.Tx, asOf civil.Day, now int64, only []int64, traced bool, policies []policy.Policy) (*estate, error) {
	e := &estate{asOf: asOf, strangers: map[string]int{}, sets: demand.Sets{}, releases: map[int64]*seen{}, products: map[int64]*productFacts{}}
	var err error
	if e.settings, err = loadSettings(tx); err != nil {
		return nil, err
	}
	if e.machines, err = a.machinesOf(tx, &e.settings, asOf, now); err != nil {
		return nil, err
	}
	e.persons, e.facts = e.machines.persons, make([]deviceCount, len(e.devices))
	rates, err := tx.Rates()
	if err != nil {
		return nil, err
	}
	var list []money.Rate
	for _, r := range rates {
		list = append(list, money.Rate(r))
	}
	e.rates = money.NewRates(list)
	if e.catalogue, err = a.catalogueOf(tx); err != nil {
		return nil, err
	}
	if e.policies = policies; policies == nil {
		if e.policies, err = policiesInForce(tx, a); err != nil {
			return nil, err
		}
	}
	for _, p := range e.catalogue.Products() {
		e.addProduct(p)
		if traced {
			e.products[p.ID].trace = map[int64]presence{}
		}
	}
	if only != nil {
		var wanted []int64
		for _, id := range only {
			wanted = append(wanted, e.catalogue.Kin(id)...)
		}
		only = distinct(wanted)
	}
	if err := e.loadRights(tx, only); err != nil {
		return nil, err
	}
	var asked []condition.Condition
	for _, p := range e.policies {
		asked = append(asked, p.Group)
	}
	if err := e.leaving.load(tx, e.asOf); err != nil {
		return nil, err
	}
	for i := range e.leaving.rules {
		asked = append(asked, e.leaving.rules[i].Devices)
	}
	if e.conditions, err = loadConditions(tx, &e.settings, e.at, asked); err != nil {
		return nil, err
	}
	if err := e.loadRecords(tx, only); err != nil {
		return nil, err
	}
	if err := e.count(tx, only); err != nil {
		return nil, err
	}
	if err := e.loadPersonsOfDemand(tx, only); err != nil {
		return nil, err
	}
	return e, e.loadDemandOfUse(tx, only)
}

// policyTitle is what policy looks at in a product. Its category is the first that one of its titles has.
func policyTitle(p *recognise.Product) policy.Title {
	t := policy.Title{Product: p.ID, Publisher: recognise.CleanPublisher(p.Publisher)}
	for i := range p.Titles {
		if t.Category == "" {
			t.Category = p.Titles[i].Category
		}
	}
	return t
}

func (e *estate) addProduct(p *recognise.Product) {
	f := &productFacts{id: p.ID, product: p, suites: e.catalogue.SuitesOf(p.ID), versions: map[[2]string]*seen{}}
	f.policyTitle = policyTitle(p)
	same := true
	for _, t := range p.Titles {
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
		q := &e.policies[i]
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

func (e *estate) loadRights(tx *store.Tx, only []int64) error {
	lines, err := tx.EntitlementsOf(only)
	if err != nil {
		return err
	}
	for _, l := range lines {
		f := e.products[l.Line.Product]
		l.EditionRank = rankOf(f.product, l.Edition)
		f.lines = append(f.lines, l.Line)
	}
	orders, err := tx.MetricOrders()
	for id, order := range orders {
		if f := e.products[id]; f != nil {
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

func (e *estate) loadRecords(tx *store.Tx, only []int64) error {
	var recognitions []store.Recognition
	var err error
	if only == nil {
		recognitions, err = tx.Recognitions()
	} else {
		recognitions, err = tx.RecognitionsAs(only)
	}
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
			} else if n.Step == recognise.ByRule {
				state = "rule"
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
		r.key, r.whole, r.counts = at, n.Whole, n.WhyNot == ""
		r.unknown = n.Product == 0 && !n.NotSoftware
		if n.Product == 0 {
			continue
		}
		f := e.products[n.Product]
		if f == nil {
			continue
		}
		r.product = f
		r.version = f.versions[[2]string{n.Edition, n.TitleVersion}]
		if r.version == nil {
			r.version = &seen{edition: n.Edition, version: n.TitleVersion}
			f.versions[[2]string{n.Edition, n.TitleVersion}] = r.version
		}
		if n.Title != 0 {
			r.version.title = n.Title
			if r.release = e.releases[n.Title]; r.release == nil {
				r.release = &seen{title: n.Title}
				e.releases[n.Title] = r.release
			}
		}
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
	return e.matchLeaving(tx, only)
}

// ordered lists the products by their numbers.
func (e *estate) ordered() []*productFacts {
	out := make([]*productFacts, 0, len(e.products))
	for _, f := range e.products {
		out = append(out, f)
	}
	slices.SortFunc(out, func(a, b *productFacts) int { return cmp.Compare(a.id, b.id) })
	return out
}
