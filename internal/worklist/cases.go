package worklist

import (
	"fmt"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

type caseKey struct {
	kind                          casework.Kind
	device, product, person, pool int64
}

func keyOf(c *worklistdb.Case) caseKey { return caseKey{c.Kind, c.Device, c.Product, c.Person, c.Pool} }

func (f *finding) key() caseKey { return caseKey{f.kind, f.device, f.product, f.person, f.pool} }

// UpdateCases opens cases for new findings and lets evidence move the others. No case ends here but by evidence or
// because its finding fell away.
func (svc *Service) UpdateCases(tx *sqlite.Tx, d *Findings) error {
	cases, err := worklistdb.Cases(tx)
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
		id, err := worklistdb.PutCase(
			tx,
			f.into(
				worklistdb.Case{
					Kind:      f.kind,
					Device:    f.device,
					Product:   f.product,
					Person:    f.person,
					Pool:      f.pool,
					State:     casework.Open,
					OpenedAt:  now,
					ChangedAt: now,
				},
			),
		)
		if err != nil {
			return err
		}
		if err := worklistdb.AddStep(tx, id,
			worklistdb.CaseStep{At: now, Who: "evidence", To: string(casework.Open), Note: f.proof[0]}); err != nil {
			return err
		}
	}
	for i := range cases {
		c := &cases[i]
		if err := svc.seeCase(tx, d, c, found[keyOf(c)], here[c.ID], now); err != nil {
			return err
		}
	}
	return nil
}

func (f *finding) into(c worklistdb.Case) worklistdb.Case {
	c.Worth, c.Amount, c.Currency, c.MoneyOn, c.Proof, c.Quantity = string(f.worth),
		f.amount.String(), f.currency, f.moneyOn, f.proof, max(1, f.quantity)
	return c
}

// gone says in words what evidence shows once the work of a kind is done.
func gone(c *worklistdb.Case, scan int64) string {
	switch c.Kind {
	case casework.Missing:
		return fmt.Sprintf("The scan of %s has it.", snapshot.Day(scan))
	case casework.Leaver:
		return "Nobody who left holds it any more."
	case casework.IdlePool:
		return "The pool has fewer licences now."
	case casework.Uncovered:
		return "The position is no longer short."
	}
	return fmt.Sprintf("The scan of %s no longer has it.", snapshot.Day(scan))
}

// seeCase lets the newest evidence move one case and keeps a step of it.
func (svc *Service) seeCase(tx *sqlite.Tx, d *Findings, c *worklistdb.Case, f *finding, present bool,
	now int64) error {
	e := d.Estate
	if c.Kind == casework.Planned && present { // a decision stands by itself as long as it is there
		f = &finding{
			kind:     c.Kind,
			device:   c.Device,
			product:  c.Product,
			worth:    reclaim.Worth(c.Worth),
			currency: c.Currency,
			moneyOn:  c.MoneyOn,
			proof:    c.Proof,
		}
	}
	scan := int64(0)
	if i, ok := e.DeviceAt[c.Device]; ok {
		scan = e.Devices[i].LastScan
	}
	before := *c
	state := c.State
	if state == casework.Kept && c.KeepUntil.Known() && c.KeepUntil < e.AsOf {
		state = casework.Open // the exception has ended
		if f == nil {
			state = casework.Lapsed
		}
	} else {
		state = casework.See(c.State, c.SentAt,
			casework.Evidence{Found: f != nil, Present: present, ScanAt: scan, GoneAt: c.ChangedAt})
	}
	if f != nil && !state.Ended() {
		*c = f.into(*c)
	}
	c.State = state
	if state == before.State {
		if slices.Equal(before.Proof, c.Proof) && before.Amount == c.Amount && before.Worth == c.Worth &&
			before.MoneyOn == c.MoneyOn &&
			before.Quantity == c.Quantity {
			return nil
		}
		_, err := worklistdb.PutCase(tx, *c)
		return err
	}
	note := ""
	switch {
	case state == casework.Gone:
		note = gone(c, scan)
	case state == casework.Lapsed && before.State == casework.Gone:
		c.CameBack++
		note = "It is there again. Nothing speaks against it today; what was saved is booked out."
	case state == casework.Lapsed:
		note = "What the case rested on no longer holds."
	case state == casework.Open && before.State == casework.Gone:
		c.CameBack++
		c.OpenedAt = now
		note = "It is back: " + f.proof[0]
	case state == casework.Open:
		note = "Found again: " + f.proof[0]
		c.OpenedAt = now
	}
	c.ChangedAt = now
	if state == casework.Open {
		c.Answer, c.AnswerBy, c.AgreedBy, c.Owner, c.KeepUntil, c.SentAt = "", 0, "", "", 0, 0
	}
	if _, err := worklistdb.PutCase(tx, *c); err != nil {
		return err
	}
	if err := worklistdb.AddStep(tx, c.ID,
		worklistdb.CaseStep{
			At:   now,
			Who:  "evidence",
			From: string(before.State),
			To:   string(state),
			Note: note,
		}); err != nil {
		return err
	}
	if state.Ended() {
		if err := svc.closeUp(tx, c); err != nil {
			return err
		}
	}
	return svc.bookEvidence(tx, c, before.State, scan, now)
}

// closeUp takes back what is still on its way about a case that has ended: an order that has not left, a question
// that has not been answered.
func (svc *Service) closeUp(tx *sqlite.Tx, c *worklistdb.Case) error {
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
func (d *Findings) unchanged(tx *sqlite.Tx, cases []worklistdb.Case) (map[int64]bool, error) {
	here, err := d.presentProducts(tx, cases)
	if err != nil {
		return nil, err
	}
	pools, err := snapshot.AllPools(tx)
	if err != nil {
		return nil, err
	}
	quantity := map[int64]int64{}
	for _, p := range pools {
		quantity[p.ID] = p.Quantity
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
		case casework.Leaver, casework.Uncovered:
			out[c.ID] = found[keyOf(c)]
		case casework.EndOfLife:
			out[c.ID] = d.ended[pair]
		case casework.IdlePool:
			was, err := snapshot.PoolQuantityAt(tx, c.Pool, c.OpenedAt)
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
func (d *Findings) presentProducts(tx *sqlite.Tx, cases []worklistdb.Case) (map[snapshot.DevicePair]bool, error) {
	var products []int64
	for _, c := range cases {
		if c.Device != 0 {
			products = append(products, c.Product)
		}
	}
	return d.presentOf(tx, snapshot.Distinct(products))
}

// presentOf says on which devices some products are by the newest evidence.
func (d *Findings) presentOf(tx *sqlite.Tx, products []int64) (map[snapshot.DevicePair]bool, error) {
	out := map[snapshot.DevicePair]bool{}
	if len(products) == 0 {
		return out, nil
	}
	e := d.Estate
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
func (svc *Service) bookEvidence(tx *sqlite.Tx, c *worklistdb.Case, before casework.State, scan, now int64) error {
	booked, err := worklistdb.BookedOf(tx, c.ID)
	if err != nil {
		return err
	}
	amount, real := amountOf(c.Amount), amountOf(booked.Amount)
	switch {
	case c.State == casework.Gone && amount.IsPositive() && saves(c.Kind) && !real.IsPositive():
		b := worklistdb.Booked{
			Case:     c.ID,
			Product:  c.Product,
			At:       now,
			Worth:    c.Worth,
			Amount:   c.Amount,
			Currency: c.Currency,
			MoneyOn:  c.MoneyOn,
			ScanAt:   scan,
			Note:     gone(c, scan),
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

// saves reports whether a case of a kind is worth money once it is done.
func saves(k casework.Kind) bool {
	return k == casework.IdleLicence || k == casework.IdlePool || k == casework.Planned || k == casework.Leaver
}

// freeSeat takes back the seats of a product that was taken off a device, the device's own and that of its user where
// he has it nowhere else, and gives them to whoever waits first.
func (svc *Service) freeSeat(tx *sqlite.Tx, c *worklistdb.Case, now int64) error {
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
	if err := worklistdb.AddStep(tx, c.ID,
		worklistdb.CaseStep{
			At:   now,
			Who:  "evidence",
			From: string(c.State),
			To:   string(c.State),
			Note: note,
		}); err != nil {
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
