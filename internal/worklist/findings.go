package worklist

import (
	"cmp"
	"fmt"
	"maps"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/lifecycle"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// finding is a fact that wants a case: about a product on a device, a seat that a person holds, a pool, or a product
// as a whole.
type finding struct {
	kind                          casework.Kind
	device, product, person, pool int64
	quantity                      int64 // licences
	worth                         reclaim.Worth
	amount                        decimal.Decimal
	currency                      string
	moneyOn                       civil.Day
	removes                       bool // done, the product is gone from the device, or the seat from the person
	proof                         []string
	ground                        casework.Ground // what it rests on
}

// Scope is of what cases are looked at: of some products, and of what some devices lack. Nil is all of them.
type Scope struct {
	Products []int64 // in order
	Devices  []int64 // in order
	Keys     Keys
	keys     bool // those about licence keys, too
}

// Keys says when cases about licence keys are looked at, which are judged all together.
type Keys int

const (
	KeysWhereTouched Keys = iota // where one is on the devices or of the products
	KeysApart                    // not here
	KeysToo
)

// Findings is what a computation found, and what shows that cases are done.
type Findings struct {
	*snapshot.Positions
	Scope   *Scope
	Sizes   PoolSizes // how many licences pools need
	found   []finding
	keys    []worklistdb.KeyFact         // how licence keys stand
	arrived map[snapshot.DevicePair]bool // devices that have what is required, by the product that its cases name
	here    map[snapshot.DevicePair]bool // of the products that cases were about, whether they are on the device
	hereOf  map[int64]bool               // those products
	// releases whose support ends and that it is planned to move off, by device and product
	ended map[snapshot.DevicePair]bool
}

// about reports whether what is found about a product is looked for.
func (s *Scope) about(product int64) bool {
	if s == nil {
		return true
	}
	_, is := slices.BinarySearch(s.Products, product)
	return is
}

// lacking reports whether it is looked for what a device lacks.
func (s *Scope) lacking(device int64) bool {
	if s == nil {
		return true
	}
	_, is := slices.BinarySearch(s.Devices, device)
	return is
}

// of reports whether a case is looked at.
func (s *Scope) of(c *casework.Case) bool {
	switch {
	case s == nil:
		return true
	case c.Kind == casework.Missing:
		return s.lacking(c.Device)
	case c.Kind == casework.OverusedKey, c.Kind == casework.UnboughtKey:
		return s.keys
	}
	return s.about(c.Product)
}

// Of is what was found of some products, and of what some devices lack, of those that were looked at.
func (d *Findings) Of(products, devices []int64) *Findings {
	out := *d
	out.Scope = &Scope{Products: products, Devices: devices, Keys: d.Scope.Keys, keys: d.Scope.keys}
	out.Positions, out.found = d.Positions.Of(products), nil
	for _, f := range d.found {
		c := casework.Case{Kind: f.kind, Device: f.device, Product: f.product}
		if out.Scope.of(&c) {
			out.found = append(out.found, f)
		}
	}
	return &out
}

// Find gathers the findings of a computation. A title that is restricted on a device is found for that alone.
func (d *Findings) Find(
	tx *sqlite.Tx,
	uses map[snapshot.DevicePair]*snapshot.Use,
	open map[int64]int64,
	lines map[snapshot.DevicePair]*position.LineResult,
) error {
	if err := d.prepare(tx); err != nil {
		return err
	}
	if d.Scope != nil && len(d.Scope.Products) == 0 {
		if err := d.findMissing(tx); err != nil || !d.Scope.keys {
			return err
		}
		return d.findKeys(tx)
	}
	taken, err := d.findRestricted(tx)
	if err != nil {
		return err
	}
	if err := d.findHours(tx); err != nil {
		return err
	}
	if err := d.findMissing(tx); err != nil {
		return err
	}
	d.findUncovered()
	if d.Scope == nil || d.Scope.keys {
		if err := d.findKeys(tx); err != nil {
			return err
		}
	}
	if err := d.findLeavers(tx); err != nil {
		return err
	}
	rules, err := loadReclaim(tx, d.Snapshot)
	if err != nil {
		return err
	}
	for _, f := range d.Snapshot.Ordered() {
		if !d.Scope.about(f.Id) {
			continue
		}
		if err := d.findIdle(tx, f, rules, uses, lines, taken); err != nil {
			return err
		}
	}
	if err := d.findIdlePools(tx, rules); err != nil {
		return err
	}
	if err := d.findDenied(tx); err != nil {
		return err
	}
	if err := d.findEnded(tx, taken); err != nil {
		return err
	}
	if err := d.findPlanned(tx); err != nil {
		return err
	}
	return d.worth(tx.Ctx, open, lines)
}

// findRestricted finds titles on devices on which they must not be.
func (d *Findings) findRestricted(tx *sqlite.Tx) (map[snapshot.DevicePair]bool, error) {
	e := d.Snapshot
	taken := map[snapshot.DevicePair]bool{}
	type restricted struct {
		p  *snapshot.Present
		by *policy.Policy
	}
	var list []restricted
	wanted := map[int64]map[int64][]int64{} // by record, since each is told apart
	for i := range e.Findings {
		p := &e.Findings[i]
		dev := &e.Devices[p.Device]
		key := snapshot.DevicePair{Device: dev.ID, Product: p.Product.Id}
		if taken[key] || dev.Status == evidence.Retired || !d.Scope.about(p.Product.Id) {
			continue
		}
		by := stance(e, p.Product, dev)
		if by == nil || by.Stance != policy.Restricted {
			continue
		}
		taken[key] = true
		list = append(list, restricted{p, by})
		if wanted[p.Record] == nil {
			wanted[p.Record] = map[int64][]int64{}
		}
		wanted[p.Record][dev.ID] = []int64{p.Record}
	}
	installs := map[int64]map[int64]snapshot.Installed{}
	for record, devices := range wanted {
		var err error
		if installs[record], err = snapshot.InstalledSince(tx, devices, e.At); err != nil {
			return nil, err
		}
	}
	for _, r := range list {
		p, by := r.p, r.by
		dev := &e.Devices[p.Device]
		since := installs[p.Record][dev.ID].Since
		proof := []string{
			fmt.Sprintf(
				"Record %d is on %s since %s; the newest scan was on %s.",
				p.Record,
				dev.Name,
				stored.Day(since),
				stored.Day(dev.LastScan),
			),
			fmt.Sprintf(
				"%s is restricted on %s: %s",
				p.Product.Product.Name,
				snapshot.GroupWords(by),
				cmp.Or(by.Reason, "no reason was given"),
			),
		}
		d.found = append(
			d.found,
			finding{
				kind:    casework.RestrictedTitle,
				device:  dev.ID,
				product: p.Product.Id,
				removes: true,
				proof:   proof,
				ground:  casework.Ground{Kind: casework.OnStance, ID: by.ID},
			},
		)
	}
	return taken, nil
}

// stance is the policy that says whether a product may be on a device.
func stance(e *snapshot.Snapshot, f *snapshot.ProductFacts, dev *snapshot.DeviceFacts) *policy.Policy {
	return policy.Fit(e.Policies, f.PolicyTitle, e.Conditions.Of(dev)).Presence()
}

// hoursWindow is how many days back a use in restricted hours is a finding.
const hoursWindow = 30

// findHours finds use at times at which a title must not be used, in the zone of the device, where no newer scan says
// that the title is no longer there.
func (d *Findings) findHours(tx *sqlite.Tx) error {
	found, err := d.breaches(tx, d.hourNames())
	if err != nil {
		return err
	}
	byDevice := func(a, b snapshot.DevicePair) int {
		return cmp.Or(cmp.Compare(a.Device, b.Device), cmp.Compare(a.Product, b.Product))
	}
	for _, key := range slices.SortedFunc(maps.Keys(found), byDevice) {
		f, dev := d.Snapshot.Products[key.Product], &d.Snapshot.Devices[d.Snapshot.DeviceAt[key.Device]]
		if dev.Status == evidence.Retired {
			continue
		}
		if dev.LastScan > found[key].last { // it may have been removed since
			has, err := snapshot.DevicesWith(tx, key.Product, d.Snapshot.At, []int64{key.Device})
			if err != nil {
				return err
			}
			if !has[key.Device] {
				continue
			}
		}
		d.found = append(d.found, finding{
			kind:     casework.ForbiddenHours,
			device:   key.Device,
			product:  key.Product,
			worth:    reclaim.Reuse,
			currency: f.Currency,
			proof:    found[key].proof(f.Product.Name),
			ground:   casework.Ground{Kind: casework.OnStance, ID: found[key].by.ID},
		})
	}
	return nil
}

// breach is the use of a title on a device in hours that restrict it.
type breach struct {
	seconds int64
	times   int
	last    int64    // when the latest ended, in seconds since 1970
	when    []string // in words, the latest last
	by      *policy.Policy
	person  string // whose use was the latest
}

// hourNames are the names of use of titles of which some policy speaks by the hour, in order.
func (d *Findings) hourNames() (names []int64) {
	e := d.Snapshot
	for name, product := range e.UseNames {
		if f := e.Products[product]; f != nil && d.Scope.about(product) &&
			slices.ContainsFunc(e.Policies, func(p policy.Policy) bool {
				return !p.Hours.Always() && p.SpeaksOf(f.PolicyTitle)
			}) {
			names = append(names, name)
		}
	}
	slices.Sort(names)
	return names
}

// hoursFrom is from when on use in restricted hours is a finding, in seconds since 1970.
func (d *Findings) hoursFrom() int64 { return (d.Snapshot.AsOf - hoursWindow).EndUnix() }

// usedAtHours lists the devices on which something was used of which some policy speaks by the hour.
func (d *Findings) usedAtHours(tx *sqlite.Tx) (out []int64, err error) {
	err = used.EachSession(tx, d.hourNames(), d.hoursFrom(), d.Snapshot.AsOf.EndUnix(),
		func(s used.Session) error {
			if len(out) == 0 || out[len(out)-1] != s.Device {
				out = append(out, s.Device)
			}
			return nil
		})
	return out, err
}

// breaches gathers use in restricted hours, of the days that hoursWindow says.
func (d *Findings) breaches(tx *sqlite.Tx, names []int64) (map[snapshot.DevicePair]*breach, error) {
	e := d.Snapshot
	found := map[snapshot.DevicePair]*breach{}
	if len(names) == 0 {
		return found, nil
	}
	weeks := map[snapshot.DevicePair]policy.Week{}
	from, to := d.hoursFrom(), e.AsOf.EndUnix()
	err := used.EachSession(tx, names, from, to, func(s used.Session) error {
		i, known := e.DeviceAt[s.Device]
		if !known || s.Start > e.At {
			return nil
		}
		dev := &e.Devices[i]
		key := snapshot.DevicePair{Device: s.Device, Product: e.UseNames[s.Name]}
		w, seen := weeks[key]
		if !seen {
			w = policy.Fit(e.Policies, e.Products[key.Product].PolicyTitle, e.Conditions.Of(dev))
			weeks[key] = w
		}
		end := min(s.End, e.At)
		if s.Cut {
			end = s.Start // nobody knows how long it ran
		}
		zone := e.Settings.ZoneOf(dev.Site)
		for _, b := range w.Breaches(s.Start, end, zone) {
			if found[key] == nil {
				found[key] = &breach{}
			}
			v := found[key]
			v.seconds += b.End - b.Start
			v.times++
			v.last = max(v.last, b.End)
			v.by, v.person = b.By, s.Person
			v.when = append(
				v.when,
				fmt.Sprintf("%s for %s", civilMoment(b.Start, zone), lengthWords(b.End-b.Start)),
			)
		}
		return nil
	})
	return found, err
}

// proof says in words what the use was, and shows the latest of it.
func (v *breach) proof(product string) []string {
	out := []string{
		fmt.Sprintf(
			"Used in restricted hours %d times in %d days, %s in all, last by %s.",
			v.times,
			hoursWindow,
			lengthWords(v.seconds),
			cmp.Or(v.person, "nobody known"),
		),
		fmt.Sprintf(
			"%s is restricted on %s at these times (%s): %s",
			product,
			snapshot.GroupWords(v.by),
			cmp.Or(v.by.Hours.String(), "outside of the hours that allow it"),
			cmp.Or(v.by.Reason, "no reason was given"),
		),
	}
	slices.Reverse(v.when)
	for _, s := range v.when[:min(5, len(v.when))] {
		out = append(out, "It ran on "+s+".")
	}
	return out
}

// findMissing finds devices that lack a title which is required on them. Of a category or a publisher any title will
// do. A device that nobody has ever looked at lacks nothing that anybody knows of.
func (d *Findings) findMissing(tx *sqlite.Tx) error {
	e := d.Snapshot
	d.arrived = map[snapshot.DevicePair]bool{}
	for i := range e.Policies {
		p := &e.Policies[i]
		if p.Stance != policy.Required || !p.Hours.Always() {
			continue
		}
		var fits []*snapshot.ProductFacts
		var ids []int64
		for _, f := range e.Ordered() {
			if p.SpeaksOf(f.PolicyTitle) {
				fits = append(fits, f)
				ids = append(ids, f.Id)
			}
		}
		if len(fits) == 0 {
			continue
		}
		has, err := d.having(tx, ids)
		if err != nil {
			return err
		}
		for device := range has {
			d.arrived[snapshot.DevicePair{Device: device, Product: fits[0].Id}] = true
		}
		what := fits[0].Product.Name
		if p.Product == 0 {
			what = "a title of " + cmp.Or(p.Category, p.Publisher)
		}
		for _, k := range d.lookedAt() {
			dev := &e.Devices[k]
			if dev.Status != evidence.InService || dev.LastScan == 0 || has[dev.ID] ||
				!p.Group.Holds(e.Conditions.Of(dev)) {
				continue
			}
			if by := stance(e, fits[0], dev); by == nil || by.ID != p.ID {
				continue // something more specific says otherwise
			}
			d.found = append(
				d.found,
				finding{
					kind:     casework.Missing,
					device:   dev.ID,
					product:  fits[0].Id,
					worth:    reclaim.Reuse,
					currency: fits[0].Currency,
					ground:   casework.Ground{Kind: casework.OnStance, ID: p.ID},
					proof: []string{
						fmt.Sprintf(
							"The scan of %s on %s does not have %s.",
							dev.Name,
							stored.Day(dev.LastScan),
							what,
						),
						fmt.Sprintf("It is required on %s: %s", snapshot.GroupWords(p),
							cmp.Or(p.Reason, "no reason was given")),
					},
				},
			)
		}
	}
	// several policies may ask for one title on one device
	seen := map[caseKey]bool{}
	d.found = slices.DeleteFunc(d.found, func(f finding) bool {
		k := f.key()
		was := seen[k]
		seen[k] = true
		return was
	})
	return nil
}

// lookedAt are the places of the devices of which it is looked for what they lack.
func (d *Findings) lookedAt() []int {
	e := d.Snapshot
	if d.Scope == nil {
		out := make([]int, len(e.Devices))
		for i := range out {
			out[i] = i
		}
		return out
	}
	var out []int
	for _, id := range d.Scope.Devices {
		if at, known := e.DeviceAt[id]; known {
			out = append(out, at)
		}
	}
	return out
}

// having lists the devices that it is looked at of what they lack, and that have one of some products.
func (d *Findings) having(tx *sqlite.Tx, products []int64) (map[int64]bool, error) {
	has := map[int64]bool{}
	if d.Scope == nil {
		here, err := d.presentOf(tx, products)
		for pair := range here {
			has[pair.Device] = true
		}
		return has, err
	}
	for _, id := range products {
		list, err := snapshot.DevicesWith(tx, id, d.Snapshot.At, d.Scope.Devices)
		if err != nil {
			return nil, err
		}
		maps.Copy(has, list)
	}
	return has, nil
}

// findUncovered finds products that are short.
func (d *Findings) findUncovered() {
	e := d.Snapshot
	at := map[int64]int{}
	for i := range d.Figures {
		p := &d.Figures[i]
		if p.Short == 0 || !p.Counted {
			continue
		}
		metric := strings.ReplaceAll(p.Metric, "_", " ")
		line := fmt.Sprintf("By %s: needed %d, owned %d, short %d.", metric, p.Needed, p.Owned, p.Short)
		amount := amountOf(p.Exposure)
		if k, known := at[p.Product]; known {
			f := &d.found[k]
			f.quantity, f.amount, f.proof = f.quantity+p.Short, f.amount.Add(amount), append(f.proof, line)
			continue
		}
		at[p.Product] = len(d.found)
		d.found = append(
			d.found,
			finding{
				kind:     casework.Uncovered,
				product:  p.Product,
				quantity: p.Short,
				worth:    reclaim.Exposure,
				amount:   amount,
				currency: cmp.Or(p.Currency, e.Products[p.Product].Currency),
				proof:    []string{line},
			},
		)
	}
}

// findLeavers finds seats of people who have left.
func (d *Findings) findLeavers(tx *sqlite.Tx) error {
	e := d.Snapshot
	seats, err := stored.AssignmentsOf(tx, e.Only, e.AsOf)
	if err != nil {
		return err
	}
	lines := map[int64]*entitle.Line{}
	for _, f := range e.Products {
		for i := range f.Lines {
			lines[f.Lines[i].ID] = &f.Lines[i]
		}
	}
	at := map[caseKey]int{}
	for _, s := range seats {
		p, l := e.PersonByID(s.Person), lines[s.Line]
		if s.Person <= 0 || p == nil || l == nil || p.Status != evidence.Left || !d.Scope.about(l.Product) {
			continue
		}
		f := finding{kind: casework.Leaver, product: l.Product, person: p.ID, quantity: 1, currency: l.Currency}
		f.worth, f.amount, f.moneyOn = reclaim.Value(decimal.Zero, l, e.AsOf)
		f.removes = true
		line := fmt.Sprintf("%s has left and holds a seat of %s since %s.", p.Name, l.Code, s.From)
		if k, known := at[f.key()]; known {
			d.found[k].quantity++
			d.found[k].amount = d.found[k].amount.Add(f.amount)
			d.found[k].proof = append(d.found[k].proof, line)
			continue
		}
		at[f.key()] = len(d.found)
		f.proof = []string{line}
		d.found = append(d.found, f)
	}
	return nil
}

// findEnded finds the releases that it was planned to move off or to remove. Only a plan makes work of an end of
// support.
func (d *Findings) findEnded(tx *sqlite.Tx, taken map[snapshot.DevicePair]bool) error {
	e := d.Snapshot
	d.ended = map[snapshot.DevicePair]bool{}
	plans, err := worklistdb.OpenPlans(tx)
	if err != nil {
		return err
	}
	for _, plan := range plans {
		p := e.Catalogue.Product(plan.Product)
		if p == nil || plan.What != "move" && plan.What != "remove" || !d.Scope.about(plan.Product) {
			continue
		}
		t := stored.TitleOf(p, plan.Edition, plan.Version)
		if t == nil {
			continue
		}
		devices, err := worklistdb.DevicesOfTitle(tx, t.ID, e.At)
		if err != nil {
			return err
		}
		_, last := snapshot.DatesOf(t).Bounds()
		words := "Nobody knows when its support ends."
		if last.Known() {
			words = fmt.Sprintf("Its last support ends on %s.", last)
			if snapshot.DatesOf(t).Phase(e.AsOf) == lifecycle.Ended {
				words = fmt.Sprintf("Its last support ended on %s.", last)
			}
		}
		do := "to remove it"
		if to := e.Catalogue.Product(plan.ToProduct); to != nil && plan.What == "move" {
			do = "to move to " + to.Name + " " + plan.ToVersion
		}
		for _, device := range devices {
			key := snapshot.DevicePair{Device: device, Product: p.ID}
			i, known := e.DeviceAt[device]
			if !known || e.Devices[i].Status == evidence.Retired {
				continue
			}
			if d.ended[key] {
				continue
			}
			d.ended[key] = true
			if taken[key] {
				continue
			}
			d.found = append(
				d.found,
				finding{
					kind:     casework.EndOfLife,
					device:   device,
					product:  p.ID,
					worth:    reclaim.Reuse,
					currency: e.Products[p.ID].Currency,
					moneyOn:  plan.Due,
					removes:  plan.What == "remove",
					ground:   casework.Ground{Kind: casework.OnPlan, ID: plan.ID},
					proof: []string{
						fmt.Sprintf(
							"%s has version %s. %s",
							e.Devices[i].Name,
							cmp.Or(t.Version, "of any kind"),
							words,
						),
						fmt.Sprintf("It was planned %s by %s; %s sees to it.", do, plan.Due, plan.Owner),
					},
				},
			)
		}
	}
	return nil
}

// sortFindings puts findings into the order of products, devices, people and pools.
func sortFindings(list []*finding) {
	slices.SortFunc(list, func(a, b *finding) int {
		return cmp.Or(
			cmp.Compare(a.product, b.product),
			cmp.Compare(a.device, b.device),
			cmp.Compare(a.person, b.person),
			cmp.Compare(a.pool, b.pool),
			cmp.Compare(a.kind, b.kind),
		)
	})
}

// lengthWords writes a length of time as people say it.
func lengthWords(seconds int64) string {
	switch {
	case seconds < 60:
		return fmt.Sprintf("%d s", seconds)
	case seconds < 3600:
		return fmt.Sprintf("%d min", seconds/60)
	}
	return fmt.Sprintf("%d h %02d min", seconds/3600, seconds%3600/60)
}

// civilMoment writes a moment by the clock of a zone.
func civilMoment(unix int64, zone *time.Location) string {
	return time.Unix(unix, 0).In(zone).Format("Mon 2006-01-02 15:04")
}
