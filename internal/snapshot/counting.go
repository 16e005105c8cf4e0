package snapshot

import (
	"database/sql"
	"encoding/json"
	"slices"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// count walks the installs once, device by device, and makes holdings of what counts.
func (e *Snapshot) count(tx *sqlite.Tx, how loading) error {
	return eachOfDevices(tx, e.At, how.only, how.devices, func(device int64, records, included []int64) error {
		e.countDevice(device, e.loaded(records), included)
		return nil
	})
}

// loaded keeps the records that were there when recognitions were read: others came in since. Where some products are
// counted, those alone that were recognised as one of them then.
func (e *Snapshot) loaded(records []int64) []int64 {
	return slices.DeleteFunc(records, func(id int64) bool {
		if id >= int64(len(e.Recs)) {
			return true
		}
		if e.pieces == nil || e.Only == nil {
			return false
		}
		p := e.Recs[id].Product
		if p == nil {
			return true
		}
		_, of := slices.BinarySearch(e.Only, p.Id)
		return !of
	})
}

// onDevice is one device while its installs are counted.
type onDevice struct {
	e       *Snapshot
	at      int // in devices
	d       *DeviceFacts
	stale   bool
	folded  map[int64]*recognise.Suite // by record
	with    []int64                    // records whose right comes with the place, in order
	bearer  *demand.Bearer             // shared by its holdings, nil until there is one
	touched []*ProductFacts            // those that hold something here
}

// countDevice counts the installs of one device: which products are there, which of them fold under a suite, and
// which make a holding. included are those records whose right comes with the place, in order.
func (e *Snapshot) countDevice(device int64, records, included []int64) {
	at, known := e.DeviceAt[device]
	if !known {
		return
	}
	o := onDevice{e: e, at: at, d: &e.Devices[at], with: included}
	o.stale = e.age(o.d) == evidence.Stale
	var inferred []*recognise.Suite
	o.folded, inferred = e.foldedHere(records)
	for _, id := range records {
		o.see(&e.Recs[id])
		as := NotCounted
		if e.Recs[id].Product != nil {
			as = o.count(id)
		}
		o.tally(id, as)
	}
	for _, f := range o.touched {
		e.settle(f)
		delete(f.IncludedOn, device) // another copy here needs a right
	}
	for _, s := range inferred {
		o.holdByParts(s)
	}
	for id, s := range o.folded {
		if f := e.Products[s.Product]; f.holder == device {
			u := &f.Units[len(f.Units)-1]
			if part := e.Recs[id].Product.Id; !slices.Contains(u.Parts, part) {
				u.Parts = append(u.Parts, part)
			}
		}
	}
}

// see counts that a record is there, for lists: its name, its product, its version and its release.
func (o *onDevice) see(r *recFacts) {
	fact := &o.e.Facts[o.at]
	fact.Installs++
	if r.Key >= 0 {
		k := &o.e.Keys[r.Key]
		k.Installs++
		if o.stale {
			k.Stale++
		}
		if k.lastDevice != o.d.ID {
			k.lastDevice = o.d.ID
			k.Devices++
		}
	}
	if r.unknown {
		fact.Unrecognised++
	}
	f := r.Product
	if f == nil {
		return
	}
	f.installs++
	r.version.count(o.d.ID, o.stale)
	if r.release != nil {
		r.release.count(o.d.ID, o.stale)
	}
	if f.lastDevice != o.d.ID {
		f.lastDevice = o.d.ID
		f.devices++
		if o.stale {
			f.stale++
		}
	}
}

// count decides whether a record of a product makes a holding, and says what became of it.
func (o *onDevice) count(id int64) Outcome {
	r := &o.e.Recs[id]
	f := r.Product
	if f.Restricting && r.Whole {
		o.e.Findings = append(o.e.Findings, Present{o.at, f, id})
	}
	if !r.counts || o.d.Status != evidence.InService {
		f.note(o.d.ID, PresentOther)
		return NotCounted
	}
	if o.folded[id] != nil {
		f.Folded++
		f.note(o.d.ID, PresentFolded)
		return Folded
	}
	left := o.e.WhyExcluded(o.at, f.Id, r.leave)
	if _, with := slices.BinarySearch(o.with, id); with && !left.Is() {
		left = Left{Included: true}
	}
	if left.Is() {
		f.leaveOut(left, o.d.ID)
		f.note(o.d.ID, PresentLeft)
		return left.outcome()
	}
	f.note(o.d.ID, PresentHeld)
	o.e.Facts[o.at].Counted++
	f.counted++
	if f.holder != o.d.ID {
		f.holder = o.d.ID
		o.touched = append(o.touched, f)
		o.hold(f)
	}
	u := &f.Units[len(f.Units)-1]
	u.Records = append(u.Records, id)
	return Counted
}

// note keeps in what way the product is on a device, where that is asked for.
func (f *ProductFacts) note(device int64, p Presence) {
	if f.Trace != nil {
		f.Trace[device] = max(f.Trace[device], p)
	}
}

// holdByParts makes the holding of a suite of which only parts were seen on a device.
func (o *onDevice) holdByParts(s *recognise.Suite) {
	e, d, f := o.e, o.d, o.e.Products[s.Product]
	as := e.Catalogue.As(s.Product, s.Edition, s.Version)
	if d.Status != evidence.InService || f.holder == d.ID || as.WhyNot() != "" {
		return
	}
	if left := e.WhyExcluded(o.at, f.Id, nil); left.Is() {
		f.leaveOut(left, d.ID)
		o.tallySuite(f.Id, left.outcome())
		return
	}
	o.tallySuite(f.Id, Counted)
	f.holder = d.ID
	f.note(d.ID, PresentHeld)
	e.Facts[o.at].Counted++
	f.counted++
	o.hold(f)
	u := &f.Units[len(f.Units)-1]
	for id, under := range o.folded {
		if under.Product == s.Product {
			u.Records = append(u.Records, id)
		}
	}
	slices.Sort(u.Records)
	need := demand.Priced{
		Need: entitle.Need{
			Edition:     as.Edition,
			EditionRank: as.EditionRank,
			Version:     as.Version,
			Released:    as.Released,
		},
		Value: e.price(f, as.Line),
	}
	f.Holdings[len(f.Holdings)-1].Set = e.sets.Of([]demand.Priced{need})
}

// foldedHere says which records on a device fold under which suite there, and which suites are there by their parts
// alone.
func (e *Snapshot) foldedHere(records []int64) (map[int64]*recognise.Suite, []*recognise.Suite) {
	suites := false
	for _, id := range records {
		if r := &e.Recs[id]; r.Product != nil && r.Whole && len(r.Product.suites) > 0 {
			suites = true
			break
		}
	}
	if !suites {
		return nil, nil
	}
	here, of := make([]recognise.Present, 0, len(records)), make([]int64, 0, len(records))
	for _, id := range records {
		if r := &e.Recs[id]; r.Product != nil && r.Whole {
			here, of = append(
				here,
				recognise.Present{Product: r.Product.Id, Edition: r.need.Edition, Version: r.need.Version},
			), append(of, id)
		}
	}
	folds := e.Catalogue.Fold(here)
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

// hold begins the holding of a product on the device.
func (o *onDevice) hold(f *ProductFacts) {
	e, d := o.e, o.d
	if o.bearer == nil {
		o.bearer = &demand.Bearer{
			Device:      d.ID,
			Kind:        d.Kind,
			Environment: d.Environment,
			Portable:    d.Portable == evidence.Yes,
			Fresh:       e.age(d) == evidence.Fresh,
			Place:       entitle.Place{Unit: d.OrgUnit, Country: d.Country},
		}
		if p := e.mainUser(d); p >= 0 {
			o.bearer.User, o.bearer.UserAt = e.persons[p].ID, e.userPlace(&e.persons[p])
		}
	}
	f.Holdings = append(f.Holdings, demand.Holding{Bearer: o.bearer})
	f.Units = append(f.Units, deviceUse{})
}

// settle gives the newest holding of a product the set of what its records need.
func (e *Snapshot) settle(f *ProductFacts) {
	h, u := &f.Holdings[len(f.Holdings)-1], &f.Units[len(f.Units)-1]
	if len(u.Records) == 1 {
		r := &e.Recs[u.Records[0]]
		if r.single == nil {
			r.single = e.sets.Of([]demand.Priced{r.need})
		}
		h.Set = r.single
		return
	}
	needs := make([]demand.Priced, 0, len(u.Records))
	for _, id := range u.Records {
		needs = append(needs, e.Recs[id].need)
	}
	h.Set, h.Editions = e.sets.Of(needs), e.editions(needs)
}

// editions splits needs by edition; nil where there is one alone.
func (e *Snapshot) editions(needs []demand.Priced) []*demand.Set {
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

// Exclusion is a product on a device that somebody left out of the count by hand.
type Exclusion struct {
	ID, Device, Product int64
	Reason, Author      string
	At                  int64
	State               string
	Batch               int64
}

// Exclusions reads what is left out by hand and not ended.
func Exclusions(tx *sqlite.Tx) ([]Exclusion, error) {
	return sqlite.Select[Exclusion](tx, `SELECT id, device_id AS device, product_id AS
		product, reason, author, at, state, batch FROM left_out WHERE ended_at = 0 ORDER BY id`)
}

// Suites reads the suites that users have defined.
func Suites(tx *sqlite.Tx) ([]recognise.Suite, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *recognise.Suite) error {
		var parts string
		if err := r.Scan(&v.ID, &v.Product, &v.Edition, &v.Version, &v.Need, &parts); err != nil {
			return err
		}
		return json.Unmarshal([]byte(parts), &v.Parts)
	}, "SELECT id, product_id, edition, version, need, parts FROM suite ORDER BY id")
}
