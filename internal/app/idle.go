package app

import (
	"cmp"
	"fmt"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/core/usage"
	"ensomet/internal/store"

	"github.com/shopspring/decimal"
)

// reclaimRules says by which rule a title on a device is proposed for reclaim.
type reclaimRules struct {
	usual      reclaim.Rule
	list       []store.ReclaimRule
	policies   []policy.Policy
	conditions *conditionFacts
}

func usualRule(s *Settings) reclaim.Rule {
	return reclaim.Rule{Window: s.UseWindow, LeastShare: s.LeastShare, GraceDays: s.GraceDays, PoolShare: usage.IdleShare}
}

func loadReclaim(tx *store.Tx, e *estate) (*reclaimRules, error) {
	list, err := tx.ReclaimRules()
	if err != nil {
		return nil, err
	}
	return newReclaimRules(tx, e, list)
}

func newReclaimRules(tx *store.Tx, e *estate, list []store.ReclaimRule) (*reclaimRules, error) {
	r := &reclaimRules{usual: usualRule(&e.settings), list: list}
	var conditions []condition.Condition
	for i := range list {
		r.policies = append(r.policies, list[i].Policy)
		conditions = append(conditions, list[i].Group)
	}
	if len(list) == 0 {
		return r, nil
	}
	var err error
	r.conditions, err = loadConditions(tx, &e.settings, e.at, conditions)
	return r, err
}

// of is the rule for a title on a device; the most specific goes first. Without a device only rules for all devices speak.
func (r *reclaimRules) of(t policy.Title, d *store.DeviceFacts) reclaim.Rule {
	if len(r.list) == 0 {
		return r.usual
	}
	var facts condition.Facts
	policies := r.policies
	if d != nil {
		facts = r.conditions.of(d)
	} else {
		policies = slices.DeleteFunc(slices.Clone(policies), func(p policy.Policy) bool { return p.GroupName != "" })
	}
	p := policy.Decide(policies, t, facts)
	if p == nil {
		return r.usual
	}
	i := slices.IndexFunc(r.list, func(x store.ReclaimRule) bool { return x.ID == p.ID })
	m := &r.list[i]
	return reclaim.Rule{Window: m.Window, LeastShare: m.LeastShare, GraceDays: m.Grace, PoolShare: m.PoolShare, Never: m.Stance == policy.NotProposed}
}

// findIdle proposes the licences of a product that nobody uses.
func (d *findings) findIdle(tx *store.Tx, f *productFacts, rules *reclaimRules, uses map[devicePair]*use, open map[int64]int64, lines map[devicePair]*position.LineResult, taken map[devicePair]bool) error {
	e := d.estate
	for i, h := range f.holdings {
		key := devicePair{h.Device, f.id}
		u := uses[key]
		if taken[key] || u == nil { // restricted anyway, or nothing was measured
			continue
		}
		dev := &e.devices[e.deviceAt[h.Device]]
		rule := rules.of(f.policyTitle, dev)
		w := usage.Window{AsOf: e.asOf, Days: rule.Window, LeastShare: rule.LeastShare}
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
				in.SuiteUsed = in.SuiteUsed || usage.Classify(pu.Facts, w).Used > 0
			}
		}
		if ok, _ := reclaim.Propose(in, rule, e.asOf); !ok {
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
			fmt.Sprintf("%s: %s; %d of the %d days up to %s were measured.", capital(string(c.Class)), last, c.Measured, rule.Window, e.asOf),
			fmt.Sprintf("Installed on %s, longer ago than the grace of %d days; %s.", in.InstalledOn, rule.GraceDays, covered),
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

// poolWindow is how many days the peak of a pool is looked for in: the last month.
const poolWindow = 30

// findIdlePools proposes the licences of pools that nobody ever had out. A pool that reported less than the rule asks for says nothing.
func (d *findings) findIdlePools(tx *store.Tx, rules *reclaimRules) error {
	e := d.estate
	pools, err := tx.AllPools()
	if err != nil {
		return err
	}
	for _, p := range pools {
		f := e.products[p.Product]
		if f == nil {
			continue
		}
		rule := rules.of(f.policyTitle, nil)
		seen, err := tx.PoolSeen(p.ID, e.asOf-poolWindow+1, e.asOf)
		if err != nil {
			return err
		}
		if rule.Never || float64(seen.Measured) < rule.LeastShare*poolWindow {
			continue
		}
		spare := usage.Spare(p.Quantity, seen.Peak, rule.PoolShare)
		if spare == 0 {
			continue
		}
		v := finding{kind: casework.IdlePool, product: p.Product, pool: p.ID, quantity: spare, worth: reclaim.Reuse, currency: f.currency}
		for i := range f.lines {
			l := &f.lines[i]
			if l.Metric != entitle.Concurrent {
				continue
			}
			if worth, amount, on := reclaim.Value(0, decimal.NullDecimal{}, l, e.asOf); worth == reclaim.AtRenewal {
				v.worth, v.amount, v.moneyOn, v.currency = worth, amount.Mul(decimal.NewFromInt(spare)), on, cmp.Or(l.Currency, f.currency)
				break
			}
		}
		denied := "nobody was denied"
		if seen.Denials > 0 {
			denied = fmt.Sprintf("%d requests were denied", seen.Denials)
		}
		v.proof = []string{
			fmt.Sprintf("At most %d of %d licences were out at once in the %d days up to %s, of which %d were measured; %s.", seen.Peak, p.Quantity, poolWindow, e.asOf, seen.Measured, denied),
			fmt.Sprintf("That is below %.0f %%; %d licences can be given back, and %d stay.", rule.PoolShare*100, spare, p.Quantity-spare),
		}
		d.found = append(d.found, v)
	}
	return nil
}
