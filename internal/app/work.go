package app

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// finding is a fact that wants a case.
type finding struct {
	kind            casework.Kind
	device, product int64
	worth           reclaim.Worth
	amount          decimal.Decimal
	currency        string
	moneyOn         civil.Day
	proof           []string
}

type caseKey struct {
	kind            casework.Kind
	device, product int64
}

// find gathers the findings of a computation: restricted titles first, then idle licences that are not restricted anyway.
func (d *derived) find(tx *store.Tx, uses map[devicePair]*use, open map[int64]int64, lines map[devicePair]*position.LineResult) error {
	e := d.estate
	taken := map[devicePair]bool{}
	for _, p := range e.findings {
		dev := &e.devices[p.device]
		key := devicePair{dev.ID, p.product.id}
		if taken[key] || dev.Status == "retired" {
			continue
		}
		by := e.stance(p.product, dev)
		if by == nil || by.Stance != policy.Restricted {
			continue
		}
		taken[key] = true
		since, _, err := tx.InstalledSince(dev.ID, []int64{p.record}, e.at)
		if err != nil {
			return err
		}
		group := by.GroupName
		if group == "" {
			group = "all devices"
		}
		proof := []string{
			fmt.Sprintf("Record %d is on %s since %s; the newest scan was on %s.", p.record, dev.Name, day(since), day(dev.LastScan)),
			fmt.Sprintf("%s is restricted on %s: %s", p.product.product.Name, group, cmp.Or(by.Reason, "no reason was given")),
		}
		d.found = append(d.found, finding{kind: casework.RestrictedTitle, device: dev.ID, product: p.product.id, worth: reclaim.Reuse, currency: p.product.currency, proof: proof})
	}
	for _, f := range e.ordered() {
		if err := d.findIdle(tx, f, uses, open, lines, taken); err != nil {
			return err
		}
	}
	return nil
}

func day(unix int64) string {
	if unix == 0 {
		return "never"
	}
	return civil.OfUnix(unix).String()
}

func (e *estate) stance(f *productFacts, dev *store.DeviceFacts) *policy.Policy {
	return policy.Decide(e.policies, f.policyTitle, e.conditions.of(dev))
}

func (d *derived) findIdle(tx *store.Tx, f *productFacts, uses map[devicePair]*use, open map[int64]int64, lines map[devicePair]*position.LineResult, taken map[devicePair]bool) error {
	e := d.estate
	w := usage.Window{AsOf: e.asOf, Days: e.settings.UseWindow, LeastShare: e.settings.LeastShare}
	for i, h := range f.holdings {
		key := devicePair{h.Device, f.id}
		if taken[key] {
			continue
		}
		u := uses[key]
		if u == nil {
			continue // nothing was measured
		}
		dev := &e.devices[e.deviceAt[h.Device]]
		c := usage.Classify(u.Facts, w)
		if c.Class != usage.Unused && c.Class != usage.NeverUsed {
			continue
		}
		since, installed, err := tx.InstalledSince(h.Device, f.units[i].records, e.at)
		if err != nil {
			return err
		}
		in := reclaim.Install{InstalledOn: installed, Use: c}
		if !installed.Known() {
			in.InstalledOn = civil.OfUnix(since)
		}
		if by := e.stance(f, dev); by != nil {
			in.Stance = by.Stance
		}
		for _, part := range f.units[i].parts {
			if pu := uses[devicePair{h.Device, part}]; pu != nil {
				p := usage.Classify(pu.Facts, w)
				in.SuiteUsed = in.SuiteUsed || p.Used > 0
			}
		}
		ok, _ := reclaim.Propose(in, reclaim.Rule{GraceDays: e.settings.GraceDays}, e.asOf)
		if !ok {
			continue
		}
		var line *entitle.Line
		covered := "no right covers it"
		if l := lines[key]; l != nil {
			line = l.Line
			covered = "entitlement " + l.Line.Code + " covers it"
		}
		var list decimal.NullDecimal
		if h.Set.Value > 0 {
			list = decimal.NewNullDecimal(decimal.New(h.Set.Value, -4))
		}
		worth, amount, on := reclaim.Value(open[f.id], list, line, e.asOf)
		currency := f.currency
		switch worth {
		case reclaim.PurchaseAvoided:
			open[f.id]--
		case reclaim.AtRenewal:
			currency = line.Currency
		}
		last := "no use of it is on record"
		if c.Last.Known() {
			last = "it was last used on " + c.Last.String()
		}
		d.found = append(d.found, finding{kind: casework.IdleLicence, device: h.Device, product: f.id, worth: worth, amount: amount, currency: currency, moneyOn: on, proof: []string{
			fmt.Sprintf("%s: %s; %d of the %d days up to %s were measured.", capital(string(c.Class)), last, c.Measured, e.settings.UseWindow, e.asOf),
			fmt.Sprintf("Installed on %s, longer ago than the grace of %d days; %s.", in.InstalledOn, e.settings.GraceDays, covered),
		}})
	}
	return nil
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]-'a'+'A') + s[1:]
}

// updateCases opens cases for new findings and lets evidence move the others. No case ends here but by evidence or because its finding fell away.
func (a *App) updateCases(tx *store.Tx, d *derived) error {
	cases, err := tx.Cases()
	if err != nil {
		return err
	}
	now := a.Clock.Now().Unix()
	known := map[caseKey]*store.Case{}
	for i := range cases {
		known[caseKey{cases[i].Kind, cases[i].Device, cases[i].Product}] = &cases[i]
	}
	here, err := d.presentProducts(tx, cases)
	if err != nil {
		return err
	}
	found := map[caseKey]*finding{}
	for i := range d.found {
		f := &d.found[i]
		key := caseKey{f.kind, f.device, f.product}
		found[key] = f
		if known[key] != nil {
			continue
		}
		id, err := tx.PutCase(f.into(store.Case{Kind: f.kind, Device: f.device, Product: f.product, State: casework.Open, OpenedAt: now, ChangedAt: now}))
		if err != nil {
			return err
		}
		if err := tx.AddStep(id, store.CaseStep{At: now, Who: "evidence", To: string(casework.Open), Note: f.proof[0]}); err != nil {
			return err
		}
	}
	for i := range cases {
		c := &cases[i]
		f := found[caseKey{c.Kind, c.Device, c.Product}]
		if err := a.seeCase(tx, d, c, f, here[devicePair{c.Device, c.Product}], now); err != nil {
			return err
		}
	}
	return nil
}

func (f *finding) into(c store.Case) store.Case {
	c.Worth, c.Amount, c.Currency, c.MoneyOn, c.Proof = string(f.worth), f.amount.String(), f.currency, f.moneyOn, f.proof
	return c
}

// seeCase lets the newest evidence move one case and keeps a step of it.
func (a *App) seeCase(tx *store.Tx, d *derived, c *store.Case, f *finding, present bool, now int64) error {
	e := d.estate
	if c.Kind == casework.Planned && present { // a decision stands by itself as long as it is there
		f = &finding{kind: c.Kind, device: c.Device, product: c.Product, worth: reclaim.Worth(c.Worth), currency: c.Currency, moneyOn: c.MoneyOn, proof: c.Proof}
	}
	scan := int64(0)
	if i, ok := e.deviceAt[c.Device]; ok {
		scan = e.devices[i].LastScan
	}
	before := *c
	state := c.State
	if state == casework.Kept && c.KeepUntil.Known() && c.KeepUntil < e.asOf {
		state = casework.Open // the exception has ended
		if f == nil {
			state = casework.Lapsed
		}
	} else {
		state = casework.See(c.State, c.SentAt, casework.Evidence{Found: f != nil, Present: present, ScanAt: scan})
	}
	if f != nil && !state.Ended() {
		*c = f.into(*c)
	}
	c.State = state
	if state == before.State {
		if slices.Equal(before.Proof, c.Proof) && before.Amount == c.Amount && before.Worth == c.Worth && before.MoneyOn == c.MoneyOn {
			return nil
		}
		_, err := tx.PutCase(*c)
		return err
	}
	note := ""
	switch {
	case state == casework.Gone:
		note = fmt.Sprintf("The scan of %s no longer has it.", day(scan))
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
	if _, err := tx.PutCase(*c); err != nil {
		return err
	}
	return tx.AddStep(c.ID, store.CaseStep{At: now, Who: "evidence", From: string(before.State), To: string(state), Note: note})
}

// presentProducts says for the pairs of the cases whether the product is on the device by the newest evidence.
func (d *derived) presentProducts(tx *store.Tx, cases []store.Case) (map[devicePair]bool, error) {
	out := map[devicePair]bool{}
	seen := map[int64]bool{}
	var products []int64
	for _, c := range cases {
		if !seen[c.Product] {
			seen[c.Product] = true
			products = append(products, c.Product)
		}
	}
	if products == nil {
		return out, nil
	}
	e := d.estate
	err := tx.EachDevice(e.at, products, func(device int64, records []int64) error {
		for _, id := range records {
			if id < int64(len(e.recs)) && e.recs[id].product != nil && e.recs[id].whole {
				out[devicePair{device, e.recs[id].product.id}] = true
			}
		}
		return nil
	})
	return out, err
}

// CaseAct does something with cases: agree, send, reopen, or keep with a reason and an end. Cases that cannot take the act are told in the error; the others are
// done.
func (a *App) CaseAct(ctx context.Context, ids []int64, act casework.Act, who, note string, keepUntil civil.Day) (done int, err error) {
	var refused []error
	for _, id := range ids {
		if err := a.caseAct(ctx, id, act, who, note, keepUntil); err != nil {
			refused = append(refused, fmt.Errorf("case %d: %w", id, err))
			continue
		}
		done++
	}
	return done, errors.Join(refused...)
}

func (a *App) caseAct(ctx context.Context, id int64, act casework.Act, who, note string, keepUntil civil.Day) error {
	if act == casework.Keep && (note == "" || !keepUntil.Known() || keepUntil <= a.Today()) {
		return errors.New("to leave it in place, give a reason and a day in the future on which the exception ends")
	}
	if act == casework.Send && a.Deploy == nil {
		return errors.New("no deployment tool is connected: remove it by hand; the next scan will close the case")
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		c, err := tx.Case(id)
		if err != nil {
			return err
		}
		from := c.State
		if c.State, err = casework.Do(from, act); err != nil {
			return err
		}
		now := a.Clock.Now().Unix()
		c.ChangedAt = now
		switch act {
		case casework.Send:
			c.SentAt = now
			order, err := removal(tx, &c, now)
			if err != nil {
				return err
			}
			if err := a.Deploy.Remove(ctx, order); err != nil {
				return fmt.Errorf("the deployment tool did not take the order, so nothing has changed: %w", err)
			}
		case casework.Keep:
			c.KeepUntil = keepUntil
		}
		if _, err := tx.PutCase(c); err != nil {
			return err
		}
		if err := tx.AddStep(id, store.CaseStep{At: now, Who: who, From: string(from), To: string(c.State), Note: note}); err != nil {
			return err
		}
		if err := tx.CountCases(); err != nil {
			return err
		}
		return tx.Note(time.Unix(now, 0), who, string(act), fmt.Sprintf("case %d", id), note)
	})
}

// removal is the order for a case: the raw names of the product on the device.
func removal(tx *store.Tx, c *store.Case, now int64) (Removal, error) {
	r := Removal{Case: c.ID, SentAt: now}
	var err error
	if r.Device, r.Product, r.Names, err = tx.NamesOnDevice(c.Device, c.Product); err != nil {
		return r, err
	}
	if len(r.Names) == 0 {
		return r, errors.New("the newest evidence has no install of it any more")
	}
	return r, nil
}
