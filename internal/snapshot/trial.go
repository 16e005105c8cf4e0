package snapshot

import (
	"cmp"
	"encoding/json"
	"maps"
	"slices"
	"sort"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/position"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// Trial is a snapshot of today in which measures are tried, one after another, from the installs on: what is removed
// no longer folds anything under it, a line that counts use at one time asks what is measured, a machine that moves
// makes demand where it goes. What evidence does not change by being acted on stays: who used a product in the window
// used it. So what is tried is what the figures say once it is really done (TestTriedIsDone). Nothing is written.
type Trial struct {
	*Snapshot
	tx        *sqlite.Tx
	yesterday map[int64]map[position.Way]int64
	gone      map[DevicePair]bool
	becomes   map[DevicePair]int64 // the record that a trial puts in the place of a product's
	taken     int
}

// BeginTrial loads what some measures may touch.
func (svc *Loader) BeginTrial(tx *sqlite.Tx, measures []Measure) (*Trial, error) {
	var products []int64
	var machines []string
	for i := range measures {
		m := &measures[i]
		products = append(products, m.Product)
		switch position.MeasureKind(m.Kind) {
		case position.Pin, position.Host:
			machines = append(machines, m.Devices...)
		}
	}
	at := svc.Clock.Now().Unix()
	there, err := productsOn(tx, at, machines)
	if err != nil {
		return nil, err
	}
	e, err := svc.Load(tx, svc.Today(), at, stored.Distinct(slices.Concat(products, there)))
	if err != nil {
		return nil, err
	}
	for _, id := range products {
		if e.Products[id] == nil {
			return nil, sqlite.ErrNotFound
		}
	}
	return &Trial{
		Snapshot:  e,
		tx:        tx,
		yesterday: map[int64]map[position.Way]int64{},
		gone:      map[DevicePair]bool{},
		becomes:   map[DevicePair]int64{},
	}, nil
}

// productsOn lists the products that are on machines at a time.
func productsOn(tx *sqlite.Tx, at int64, codes []string) ([]int64, error) {
	if len(codes) == 0 {
		return nil, nil
	}
	list, err := json.Marshal(codes)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, `SELECT DISTINCT r.product_id FROM device d JOIN install i ON i.device_id = d.id
		JOIN recognition r ON r.record_id = i.record_id WHERE d.code IN (SELECT value FROM json_each(?2))
		AND i.since <= ?1 AND (i.until IS NULL OR i.until > ?1) AND r.product_id > 0 ORDER BY 1`,
		at, string(list))
}

// Mark is a trial at one moment, to come back to.
type Mark struct {
	products  map[int64]ProductFacts
	gone      map[DevicePair]bool
	becomes   map[DevicePair]int64
	takenBack map[seat]bool
	byHand    map[DevicePair]string
	inventory *Inventory
	taken     int
}

// Mark keeps how some products stand; Back comes back to it.
func (t *Trial) Mark(products []int64) Mark {
	m := Mark{
		products:  map[int64]ProductFacts{},
		gone:      maps.Clone(t.gone),
		becomes:   maps.Clone(t.becomes),
		takenBack: maps.Clone(t.takenBack),
		byHand:    t.Exclusions.byHand, // never changed in its place
		inventory: t.Inventory,
		taken:     t.taken,
	}
	for _, id := range products {
		f := *t.Products[id]
		f.Trace = maps.Clone(f.Trace)
		m.products[id] = f
	}
	return m
}

// Back takes everything back that was taken since a mark. Measures may have touched the products of the mark alone.
func (t *Trial) Back(m Mark) {
	for id, f := range m.products {
		f.Trace = maps.Clone(f.Trace)
		*t.Products[id] = f
	}
	t.gone, t.becomes, t.takenBack = maps.Clone(m.gone), maps.Clone(m.becomes), maps.Clone(m.takenBack)
	t.Exclusions.byHand, t.Inventory, t.taken = m.byHand, m.inventory, m.taken
}

// Positions are those of a product as it stands in the trial.
func (t *Trial) Positions(product int64) ([]position.Position, error) {
	f := t.Products[product]
	if f == nil {
		return nil, sqlite.ErrNotFound
	}
	if t.yesterday[product] == nil {
		ways, err := Ways(t.tx, product)
		if err != nil {
			return nil, err
		}
		if t.yesterday[product] = ways[product]; ways[product] == nil {
			t.yesterday[product] = map[position.Way]int64{}
		}
	}
	return t.Compute(f, t.yesterday[product]), nil
}

// Touches lists the products whose positions a measure may change.
func (t *Trial) Touches(m *Measure) ([]int64, error) {
	kind := position.MeasureKind(m.Kind)
	switch {
	case kind == position.Pin || kind == position.Host:
		there, err := productsOn(t.tx, t.At, m.Devices)
		return stored.Distinct(append(there, m.Product)), err
	case kind.OfLines() || kind == position.Reclaim:
		return []int64{m.Product}, nil
	}
	return t.Catalogue.Kin(m.Product), nil
}

// Take takes one measure after those before it, and returns it in numbers. An error that is a refusal says why it
// cannot be; then nothing of it is taken.
func (t *Trial) Take(m *Measure) (position.Measure, error) {
	f := t.Products[m.Product]
	if f == nil {
		return position.Measure{}, sqlite.ErrNotFound
	}
	core, err := t.Measure(f, m)
	if err != nil {
		return core, err
	}
	touched, err := t.Touches(m)
	if err != nil {
		return core, err
	}
	var devices []int64 // to be counted anew
	switch core.Kind {
	case position.Remove:
		devices, err = core.Devices, t.remove(f, core.Devices)
	case position.Reversion:
		devices, err = core.Devices, t.reversion(f, &core)
	case position.LeaveOut:
		devices, err = core.Devices, t.leaveOut(f, &core)
	case position.Reclaim:
		err = t.takeBack(f, core.Users)
	case position.Pin, position.Host:
		err = t.rehost(&core)
	default:
		var lines []entitle.Line
		if lines, err = position.ApplyToLines(f.Lines, core, t.AsOf, t.taken); err == nil {
			f.Lines = lines
		}
	}
	if err != nil {
		return core, err
	}
	t.taken++
	return core, t.recount(touched, devices)
}

// remove takes a product off devices. Where it is there by its parts alone, its parts go.
func (t *Trial) remove(f *ProductFacts, devices []int64) error {
	if len(devices) == 0 {
		return refuse.New("say from which devices it is removed")
	}
	for _, device := range devices {
		t.gone[DevicePair{device, f.Id}] = true
		i, held := t.holding(f, device)
		if !held || len(f.Units[i].Records) == 0 {
			continue
		}
		if own := func(id int64) bool { return t.Recs[id].Product == f }; !slices.ContainsFunc(
			f.Units[i].Records,
			own,
		) {
			for _, id := range f.Units[i].Records {
				t.gone[DevicePair{device, t.Recs[id].Product.Id}] = true
			}
		}
	}
	return nil
}

// holding finds a device's holding of a product.
func (t *Trial) holding(f *ProductFacts, device int64) (int, bool) {
	return sort.Find(len(f.Holdings), func(i int) int { return cmp.Compare(device, f.Holdings[i].Device) })
}

// reversion brings a product on devices to another version, in the edition that it has there.
func (t *Trial) reversion(f *ProductFacts, m *position.Measure) error {
	var on []int64
	for _, device := range m.Devices {
		if _, held := t.holding(f, device); held {
			on = append(on, device)
		}
	}
	if len(on) == 0 {
		return refuse.New("none of these devices has it")
	}
	if m.Version == "" {
		return refuse.New("say which version they get")
	}
	made := map[string]int64{} // by edition
	for _, device := range on {
		i, _ := t.holding(f, device)
		edition := f.Holdings[i].Set.Needs[0].Edition
		id, known := made[edition]
		if !known {
			as := t.Catalogue.As(f.Id, edition, m.Version)
			id = int64(len(t.Recs))
			need := entitle.Need{
				Edition:     edition,
				EditionRank: as.EditionRank,
				Version:     m.Version,
				Released:    as.Released,
			}
			t.Recs = append(t.Recs, recFacts{
				Product: f,
				Key:     -1,
				Whole:   true,
				counts:  as.WhyNot() == "",
				need:    demand.Priced{Need: need, Value: t.price(f, as.Line)},
				version: &seen{Edition: edition, Version: m.Version},
				leave:   t.leftOutBy(f.Units[i].Records),
			})
			made[edition] = id
		}
		t.becomes[DevicePair{device, f.Id}] = id
	}
	return nil
}

// leftOutBy are the rules that leave one of some records out on some devices.
func (t *Trial) leftOutBy(records []int64) (rules []int32) {
	for _, id := range records {
		rules = append(rules, t.Recs[id].leave...)
	}
	slices.Sort(rules)
	return slices.Compact(rules)
}

func (t *Trial) leaveOut(f *ProductFacts, m *position.Measure) error {
	if len(m.Devices) == 0 || m.Reason == "" {
		return refuse.New("say on which devices it is left out, and why")
	}
	t.Exclusions.byHand = maps.Clone(t.Exclusions.byHand)
	for _, device := range m.Devices {
		t.Exclusions.byHand[DevicePair{device, f.Id}] = m.Reason
	}
	return nil
}

func (t *Trial) takeBack(f *ProductFacts, users []int64) error {
	if len(users) == 0 {
		return refuse.New("say whose seats are taken back")
	}
	if t.takenBack == nil {
		t.takenBack = map[seat]bool{}
	}
	for _, user := range users {
		t.takenBack[seat{f.Id, user}] = true
	}
	return nil
}

// rehost pins virtual machines to their hosts, or moves them to another, on which they are then seen beside the one
// before as long as the window of demand is.
func (t *Trial) rehost(m *position.Measure) error {
	if len(m.Devices) == 0 {
		return refuse.New("say which virtual machines")
	}
	hardware := *t.hardware
	hardware.Machines = maps.Clone(hardware.Machines)
	host := hardware.Machine(m.Host)
	if m.Kind == position.Host && (host == nil || host.Kind != evidence.VMHost) {
		return refuse.New("say to which host of virtual machines they move")
	}
	for _, device := range m.Devices {
		was := hardware.Machine(device)
		if was == nil || !was.Virtual() {
			return refuse.Errorf("%s is no virtual machine", t.Devices[t.DeviceAt[device]].Name)
		}
		is := *was
		switch {
		case m.Kind == position.Pin && was.Host == 0:
			return refuse.Errorf("nobody knows on which host %s is: then it cannot be pinned to it",
				t.Devices[t.DeviceAt[device]].Name)
		case m.Kind == position.Pin:
			is.Pinned = true
		case was.Host != host.Device:
			is.Host = host.Device
			if was.Cluster != "" {
				is.Cluster = host.Cluster
			}
			if is.SeenOn = slices.Clone(was.SeenOn); was.Host != 0 && !slices.Contains(is.SeenOn, was.Host) {
				is.SeenOn = append(is.SeenOn, was.Host)
			}
			if len(is.SeenOn) > 0 && !slices.Contains(is.SeenOn, is.Host) {
				is.SeenOn = append(is.SeenOn, is.Host)
			}
		}
		hardware.Machines[device] = &is
	}
	machines := *t.Inventory // it is shared with whoever else reads: this one is the trial's own
	machines.hardware = &hardware
	t.Inventory = &machines
	return nil
}

// recount counts some products anew, on these devices alone, and what is used of them.
func (t *Trial) recount(products, devices []int64) error {
	anew := make(map[int64]bool, len(devices))
	for _, device := range devices {
		anew[device] = true
	}
	for _, id := range products {
		f := t.Products[id]
		f.persons, f.sessions = nil, nil
		if devices == nil {
			continue
		}
		holdings, units := make([]demand.Holding, 0, len(f.Holdings)), make([]deviceUse, 0, len(f.Units))
		for i := range f.Holdings {
			if !anew[f.Holdings[i].Device] {
				holdings, units = append(holdings, f.Holdings[i]), append(units, f.Units[i])
			}
		}
		f.Holdings, f.Units, f.holder, f.lastDevice = holdings, units, 0, 0
		for _, device := range devices {
			delete(f.Trace, device)
			delete(f.IncludedOn, device)
		}
	}
	if devices != nil {
		err := eachOfDevices(t.tx, t.At, products, devices, func(device int64, records, included []int64) error {
			t.countDevice(device, t.supposed(device, t.loaded(records)), included)
			return nil
		})
		if err != nil {
			return err
		}
		for _, id := range products {
			sort.Sort(byDevice{t.Products[id]})
		}
	}
	if err := t.loadPersonsOfDemand(t.tx, products); err != nil {
		return err
	}
	return t.loadDemandOfUse(t.tx, products)
}

// supposed are the records on a device as the trial has them.
func (t *Trial) supposed(device int64, records []int64) []int64 {
	var out []int64
	for _, id := range records {
		r := &t.Recs[id]
		if r.Product == nil {
			out = append(out, id)
			continue
		}
		pair := DevicePair{device, r.Product.Id}
		if t.gone[pair] {
			continue
		}
		if other, ok := t.becomes[pair]; ok && r.Whole {
			id = other
		}
		out = append(out, id)
	}
	slices.Sort(out)
	return slices.Compact(out)
}

// byDevice puts a product's holdings in the order of their devices again.
type byDevice struct{ *ProductFacts }

func (f byDevice) Len() int           { return len(f.Holdings) }
func (f byDevice) Less(i, j int) bool { return f.Holdings[i].Device < f.Holdings[j].Device }
func (f byDevice) Swap(i, j int) {
	f.Holdings[i], f.Holdings[j] = f.Holdings[j], f.Holdings[i]
	f.Units[i], f.Units[j] = f.Units[j], f.Units[i]
}
