package worklist

import (
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/usage"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

type caseKey struct {
	kind                          casework.Kind
	device, product, person, pool int64
	request                       int64
}

func keyOf(c *casework.Case) caseKey {
	return caseKey{c.Kind, c.Device, c.Product, c.Person, c.Pool, c.Request}
}

func (f *finding) key() caseKey {
	return caseKey{f.kind, f.device, f.product, f.person, f.pool, 0}
}

// UpdateCases opens cases for new findings and lets evidence move the others. No case ends here but by evidence or
// because its finding fell away.
func (svc *Service) UpdateCases(tx *sqlite.Tx, d *Findings) error {
	if d.Scope == nil || d.Scope.keys {
		if err := worklistdb.PutKeyFacts(tx, d.keys); err != nil {
			return err
		}
	}
	cases, err := d.casesInScope(tx)
	if err != nil {
		return err
	}
	now := svc.Clock.Now().Unix()
	known := map[caseKey]bool{}
	for i := range cases {
		known[keyOf(&cases[i])] = true
	}
	here, err := d.unchanged(tx, cases)
	if err != nil {
		return err
	}
	found := map[caseKey]*finding{}
	for i := range d.found {
		f := &d.found[i]
		found[f.key()] = f
		if known[f.key()] {
			continue
		}
		about := casework.Case{
			Kind:    f.kind,
			Device:  f.device,
			Product: f.product,
			Person:  f.person,
			Pool:    f.pool,
		}
		c, step := casework.Find(about, f.says(), now)
		if err := worklistdb.Move(tx, &c, step); err != nil {
			return err
		}
	}
	since, err := casesSeen(tx)
	if err != nil {
		return err
	}
	for i := range cases {
		c := &cases[i]
		if c.Kind.Requested() {
			if err := seeRequest(tx, d, c, now); err != nil {
				return err
			}
			continue
		}
		if err := svc.seeCase(tx, d, c, found[keyOf(c)], here[c.ID], since, now); err != nil {
			return err
		}
	}
	return nil
}

// casesInScope reads the cases that are looked at. One about a device that was not read, since somebody opened it in
// this moment, is looked at the next time.
func (d *Findings) casesInScope(tx *sqlite.Tx) ([]casework.Case, error) {
	if d.Scope == nil {
		return worklistdb.Cases(tx)
	}
	list, err := worklistdb.CasesAbout(tx, d.Scope.Products, d.Scope.Devices, d.Scope.keys)
	return slices.DeleteFunc(list, func(c casework.Case) bool {
		return !d.Scope.of(&c) || c.Device != 0 && d.Snapshot.LacksDevice(c.Device)
	}), err
}

// prepare reads what looking at cases in a scope needs besides what their products need.
func (d *Findings) prepare(tx *sqlite.Tx) error {
	if d.Scope == nil {
		return nil
	}
	var err error
	switch d.Scope.Keys {
	case KeysToo:
		d.Scope.keys = true
	case KeysWhereTouched:
		if d.Scope.keys, err = worklistdb.KeysTouch(tx, d.Scope.Devices, d.Scope.Products); err != nil {
			return err
		}
	}
	list, err := worklistdb.CasesAbout(tx, d.Scope.Products, d.Scope.Devices, d.Scope.keys)
	if err != nil {
		return err
	}
	used, err := d.usedAtHours(tx)
	if err != nil {
		return err
	}
	devices, codes := slices.Concat(d.Scope.Devices, used), []string{}
	for i := range list {
		c := &list[i]
		if c.Device != 0 {
			devices = append(devices, c.Device)
		}
		if c.Kind.Requested() {
			r, err := worklistdb.RequestByID(tx, c.Request)
			if err != nil {
				return err
			}
			var m snapshot.Measure
			if err := json.Unmarshal([]byte(r.Measure), &m); err != nil {
				return err
			}
			codes = append(codes, m.Devices...)
		}
	}
	return d.Snapshot.Need(tx, devices, codes)
}

// says is what is found in the form that a case keeps.
func (f *finding) says() casework.Finding {
	return casework.Finding{
		Worth:    string(f.worth),
		Amount:   f.amount.String(),
		Currency: f.currency,
		MoneyOn:  f.moneyOn,
		Proof:    f.proof,
		Quantity: max(1, f.quantity),
		Ground:   f.ground,
	}
}

// seeCase lets the newest evidence move one case and keeps a step of it. since is when cases were last looked at.
func (svc *Service) seeCase(tx *sqlite.Tx, d *Findings, c *casework.Case, f *finding, present bool,
	since, now int64) error {
	e := d.Snapshot
	scan := int64(0)
	if i, ok := e.DeviceAt[c.Device]; ok {
		scan = e.Devices[i].LastScan
	}
	before := c.State
	var says *casework.Finding
	if f != nil {
		v := f.says()
		says = &v
	}
	ev := casework.Evidence{Present: present, ScanAt: scan}
	if f == nil && !c.State.Ended() && (present || c.Kind == casework.Uncovered) {
		if err := because(tx, e, c, since, &ev); err != nil {
			return err
		}
	}
	step, moved, changed := c.See(says, ev, e.AsOf, now)
	if !changed {
		return nil
	}
	if !moved {
		return worklistdb.Renew(tx, c)
	}
	if err := worklistdb.Move(tx, c, step); err != nil {
		return err
	}
	if c.State.Ended() {
		if err := svc.closeUp(tx, c); err != nil {
			return err
		}
	}
	return svc.bookEvidence(tx, c, before, scan, now)
}

// casesSeenAt is the setting of when cases were last looked at: only what changed since can have ended one.
const casesSeenAt = "cases_seen_at"

func casesSeen(tx *sqlite.Tx) (int64, error) {
	text, err := tx.Setting(casesSeenAt)
	last, _ := strconv.ParseInt(text, 10, 64) // empty is never
	return last, err
}

// CasesSeen notes that all cases that anything touched were looked at, as of a second since 1970.
func CasesSeen(tx *sqlite.Tx, at int64) error { return tx.SetSetting(casesSeenAt, sqlite.Itoa(at)) }

// because says who changed what a case rested on, where nothing is found any more and no evidence ended it.
func because(tx *sqlite.Tx, e *snapshot.Snapshot, c *casework.Case, since int64, out *casework.Evidence) error {
	f := e.Products[c.Product]
	if f == nil {
		return nil
	}
	cause, err := worklistdb.CauseSince(
		tx,
		c.Kind,
		c.Product,
		max(since, c.ChangedAt),
		f.PolicyTitle.Publisher,
		f.PolicyTitle.Category,
	)
	if err == nil && cause.Who != "" {
		out.By = cause.Who
		out.Because = fmt.Sprintf("%s %s on %s.", cause.Who, cause.What, stored.Day(cause.At))
	}
	return err
}

// closeUp takes back what is still on its way about a case that has ended: an order that has not left, a question
// that has not been answered.
func (svc *Service) closeUp(tx *sqlite.Tx, c *casework.Case) error {
	order, err := worklistdb.DeploymentOf(tx, c.ID)
	if err != nil {
		return err
	}
	if order.State == "waiting" {
		order.State = "withdrawn"
		if err := worklistdb.PutDeployment(tx, order); err != nil {
			return err
		}
	}
	return svc.endAsking(tx, c.ID)
}

// unchanged says of each case whether what its work is to change is still as it was.
func (d *Findings) unchanged(tx *sqlite.Tx, cases []casework.Case) (map[int64]bool, error) {
	here, err := d.presentProducts(tx, cases)
	if err != nil {
		return nil, err
	}
	pools, err := used.Pools(tx)
	if err != nil {
		return nil, err
	}
	quantity, told := map[int64]int64{}, map[int64]bool{}
	for _, p := range pools {
		quantity[p.ID] = p.Quantity
		seen, err := worklistdb.PoolSeenIn(tx, p.ID, d.Snapshot.AsOf-usage.SilentDays, d.Snapshot.AsOf)
		if err != nil {
			return nil, err
		}
		told[p.ID] = seen.Measured > 0
	}
	found := map[caseKey]bool{}
	for i := range d.found {
		found[d.found[i].key()] = true
	}
	out := map[int64]bool{}
	for i := range cases {
		c := &cases[i]
		pair := snapshot.DevicePair{Device: c.Device, Product: c.Product}
		switch c.Kind {
		case casework.Missing:
			out[c.ID] = found[keyOf(c)] || !here[pair] && !d.arrived[pair]
		case casework.ForbiddenHours: // its use may be known where no scan is
			out[c.ID] = found[keyOf(c)] || here[pair]
		case casework.Leaver, casework.Uncovered, casework.OverusedKey, casework.UnboughtKey:
			out[c.ID] = found[keyOf(c)]
		case casework.DeniedPool: // one that reports nothing proves nothing
			out[c.ID] = found[keyOf(c)] || !told[c.Pool]
		case casework.EndOfLife:
			out[c.ID] = d.ended[pair]
		case casework.IdlePool:
			was, err := used.PoolQuantityAt(tx, c.Pool, c.OpenedAt)
			if err != nil {
				return nil, err
			}
			out[c.ID] = quantity[c.Pool] >= was
		default:
			out[c.ID] = here[pair]
		}
	}
	return out, nil
}

// presentProducts says for the pairs of the cases whether the product is on the device by the newest evidence.
func (d *Findings) presentProducts(tx *sqlite.Tx, cases []casework.Case) (map[snapshot.DevicePair]bool, error) {
	var products, lacked []int64
	for _, c := range cases {
		if c.Kind == casework.Missing && d.Scope != nil {
			lacked = append(lacked, c.Product)
		} else if c.Device != 0 && !d.hereOf[c.Product] { // of a case that was made meanwhile
			products = append(products, c.Product)
		}
	}
	out, err := d.presentOf(tx, stored.Distinct(products))
	if err != nil {
		return nil, err
	}
	for _, id := range stored.Distinct(lacked) {
		has, err := snapshot.DevicesWith(tx, id, d.Snapshot.At, d.Scope.Devices)
		if err != nil {
			return nil, err
		}
		for device := range has {
			out[snapshot.DevicePair{Device: device, Product: id}] = true
		}
	}
	maps.Copy(out, d.here)
	return out, nil
}

// LookAt notes on which devices the products are that cases are about, so that nothing of it is read while others
// wait to write.
func (d *Findings) LookAt(tx *sqlite.Tx) (err error) {
	products, err := worklistdb.ProductsOfCases(tx)
	if err != nil {
		return err
	}
	products = slices.DeleteFunc(products, func(id int64) bool { return !d.Scope.about(id) })
	d.hereOf = map[int64]bool{}
	for _, id := range products {
		d.hereOf[id] = true
	}
	d.here, err = d.presentOf(tx, products)
	return err
}

// presentOf says on which devices some products are by the newest evidence.
func (d *Findings) presentOf(tx *sqlite.Tx, products []int64) (map[snapshot.DevicePair]bool, error) {
	out := map[snapshot.DevicePair]bool{}
	if len(products) == 0 {
		return out, nil
	}
	e := d.Snapshot
	err := snapshot.EachDevice(tx, e.At, products, func(device int64, records []int64) error {
		for _, id := range records {
			if id < int64(len(e.Recs)) && e.Recs[id].Product != nil && e.Recs[id].Whole {
				out[snapshot.DevicePair{Device: device, Product: e.Recs[id].Product.Id}] = true
			}
		}
		return nil
	})
	return out, err
}

// bookEvidence books what evidence has shown of a case: a saving that became real, or one that came back; and the
// seat that has become free goes to whoever waits first.
func (svc *Service) bookEvidence(tx *sqlite.Tx, c *casework.Case, before casework.State, scan, now int64) error {
	booked, err := worklistdb.BookedOf(tx, c.ID)
	if err != nil {
		return err
	}
	amount, real := amountOf(c.Amount), amountOf(booked.Amount)
	switch {
	case c.State == casework.Gone && amount.IsPositive() && c.Kind.Saves() && !real.IsPositive():
		b := worklistdb.Booked{
			Case:     c.ID,
			Product:  c.Product,
			At:       now,
			Worth:    c.Worth,
			Amount:   c.Amount,
			Currency: c.Currency,
			MoneyOn:  c.MoneyOn,
			ScanAt:   scan,
			Note:     c.Done(scan),
		}
		if err := worklistdb.BookSaving(tx, b); err != nil {
			return err
		}
	case (c.State == casework.Open || before == casework.Gone) && real.IsPositive():
		booked.Amount, booked.At, booked.ScanAt, booked.Note = real.Neg().
			String(),
			now, scan, "It came back, so nothing was saved."
		if err := worklistdb.BookSaving(tx, booked); err != nil {
			return err
		}
	}
	if c.State != casework.Gone || !c.Kind.Removes() || c.Kind == casework.RestrictedTitle {
		return nil
	}
	return svc.freeSeat(tx, c, now)
}

// freeSeat takes back the seats of a product that was taken off a device, the device's own and that of its user where
// he has it nowhere else, and gives them to whoever waits first.
func (svc *Service) freeSeat(tx *sqlite.Tx, c *casework.Case, now int64) error {
	seats, err := worklistdb.SeatsFreedBy(tx, c.Device, c.Product, svc.Snapshots.Today())
	if err != nil || len(seats) == 0 {
		return err
	}
	gotOne, err := svc.Entitlements.FreeSeats(tx, c.Product, seats, "evidence")
	if err != nil {
		return err
	}
	note := fmt.Sprintf("Seats that went back for reuse: %d.", len(seats))
	for _, name := range gotOne {
		note = fmt.Sprintf("The seat went to %s, who waited for one.", name)
	}
	if err := worklistdb.AddStep(tx, c.ID, c.Said(casework.Deed{At: now, Who: "evidence", Note: note})); err != nil {
		return err
	}
	return renewal.MarkProducts(tx, c.Product)
}

// amountOf reads an amount as it is stored; empty is nothing.
func amountOf(text string) decimal.Decimal {
	d, err := decimal.NewFromString(text)
	if err != nil {
		return decimal.Zero
	}
	return d
}
