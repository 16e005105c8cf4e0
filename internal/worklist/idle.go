package worklist

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
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// reclaimRules says by which rule a title on a device is proposed for reclaim.
type reclaimRules struct {
	usual      reclaim.Rule
	list       []snapshot.ReclaimRule
	policies   []policy.Policy
	conditions *snapshot.ConditionFacts
}

func usualRule(s *snapshot.Settings) reclaim.Rule {
	return reclaim.Rule{
		Window:     s.UseWindow,
		LeastShare: s.LeastShare,
		GraceDays:  s.GraceDays,
		PoolShare:  usage.IdleShare,
	}
}

func loadReclaim(tx *sqlite.Tx, e *snapshot.Snapshot) (*reclaimRules, error) {
	list, err := snapshot.ReclaimRules(tx)
	if err != nil {
		return nil, err
	}
	return newReclaimRules(tx, e, list)
}

func newReclaimRules(tx *sqlite.Tx, e *snapshot.Snapshot, list []snapshot.ReclaimRule) (*reclaimRules, error) {
	r := &reclaimRules{usual: usualRule(&e.Settings), list: list}
	var conditions []condition.Condition
	for i := range list {
		r.policies = append(r.policies, list[i].Policy)
		conditions = append(conditions, list[i].Group)
	}
	if len(list) == 0 {
		return r, nil
	}
	var err error
	r.conditions, err = e.Asked(tx, conditions)
	return r, err
}

// of is the rule for a title on a device; the most specific goes first. Without a device only rules for all devices
// speak.
func (r *reclaimRules) of(t policy.Title, d *snapshot.DeviceFacts) reclaim.Rule {
	if len(r.list) == 0 {
		return r.usual
	}
	var facts condition.Facts
	policies := r.policies
	if d != nil {
		facts = r.conditions.Of(d)
	} else {
		policies = slices.DeleteFunc(slices.Clone(policies), func(p policy.Policy) bool { return p.GroupName != "" })
	}
	p := policy.Decide(policies, t, facts)
	if p == nil {
		return r.usual
	}
	i := slices.IndexFunc(r.list, func(x snapshot.ReclaimRule) bool { return x.ID == p.ID })
	m := &r.list[i]
	return reclaim.Rule{
		ID:         m.ID,
		Window:     m.Window,
		LeastShare: m.LeastShare,
		GraceDays:  m.Grace,
		PoolShare:  m.PoolShare,
		Never:      m.Stance == policy.NotProposed,
	}
}

// findIdle proposes the licences of a product that nobody uses.
func (d *Findings) findIdle(
	tx *sqlite.Tx,
	f *snapshot.ProductFacts,
	rules *reclaimRules,
	uses map[snapshot.DevicePair]*snapshot.Use,
	lines map[snapshot.DevicePair]*position.LineResult,
	taken map[snapshot.DevicePair]bool,
) error {
	e := d.Snapshot
	unused := map[int]usage.Finding{}
	wanted := map[int64][]int64{}
	for i, h := range f.Holdings {
		key := snapshot.DevicePair{Device: h.Device, Product: f.Id}
		u := uses[key]
		if taken[key] || u == nil { // restricted anyway, or nothing was measured
			continue
		}
		rule := rules.of(f.PolicyTitle, &e.Devices[e.DeviceAt[h.Device]])
		c := usage.Classify(u.Facts, usage.Window{AsOf: e.AsOf, Days: rule.Window, LeastShare: rule.LeastShare})
		if c.Class == usage.Unused || c.Class == usage.NeverUsed {
			unused[i], wanted[h.Device] = c, f.Units[i].Records
		}
	}
	installs, err := snapshot.InstalledSince(tx, wanted, e.At)
	if err != nil {
		return err
	}
	for i, h := range f.Holdings {
		c, is := unused[i]
		if !is {
			continue
		}
		dev := &e.Devices[e.DeviceAt[h.Device]]
		rule := rules.of(f.PolicyTitle, dev)
		in := reclaim.Install{InstalledOn: installs[h.Device].On, Use: c}
		if !in.InstalledOn.Known() {
			in.InstalledOn = civil.OfUnix(installs[h.Device].Since)
		}
		if by := stance(e, f, dev); by != nil {
			in.Stance = by.Stance
		}
		w := usage.Window{AsOf: e.AsOf, Days: rule.Window, LeastShare: rule.LeastShare}
		for _, part := range f.Units[i].Parts {
			if pu := uses[snapshot.DevicePair{Device: h.Device, Product: part}]; pu != nil {
				in.SuiteUsed = in.SuiteUsed || usage.Classify(pu.Facts, w).Used > 0
			}
		}
		if ok, _ := reclaim.Propose(in, rule, e.AsOf); !ok {
			continue
		}
		v := finding{kind: casework.IdleLicence, device: h.Device, product: f.Id, removes: true,
			ground: casework.Ground{Kind: casework.OnReclaim, ID: rule.ID}}
		covered := "no right covers it"
		if l := lines[snapshot.DevicePair{Device: h.Device, Product: f.Id}]; l != nil {
			covered = "entitlement " + l.Line.Code + " covers it"
		}
		v.proof = idleProof(in, rule, e.AsOf, covered)
		d.found = append(d.found, v)
	}
	return nil
}

// idleProof says in words why an install is idle.
func idleProof(in reclaim.Install, rule reclaim.Rule, asOf civil.Day, covered string) []string {
	last := "no use of it is on record"
	if in.Use.Last.Known() {
		last = "it was last used on " + in.Use.Last.String()
	}
	return []string{
		fmt.Sprintf(
			"%s: %s; %d of the %d days up to %s were measured.",
			capital(string(in.Use.Class)),
			last,
			in.Use.Measured,
			rule.Window,
			asOf,
		),
		fmt.Sprintf(
			"Installed on %s, longer ago than the grace of %d days; %s.",
			in.InstalledOn,
			rule.GraceDays,
			covered,
		),
	}
}

func capital(s string) string {
	if s == "" {
		return s
	}
	return string(s[0]-'a'+'A') + s[1:]
}

// poolWindow is how many days the peak of a pool is looked for in: the last month.
const poolWindow = 30

// findIdlePools proposes the licences of pools that nobody ever had out. A pool that reported less than the rule asks
// for says nothing.
func (d *Findings) findIdlePools(tx *sqlite.Tx, rules *reclaimRules) error {
	e := d.Snapshot
	pools, err := used.Pools(tx)
	if err != nil {
		return err
	}
	for _, p := range pools {
		f := e.Products[p.Product]
		if f == nil || !d.Scope.about(p.Product) {
			continue
		}
		rule := rules.of(f.PolicyTitle, nil)
		seen, err := worklistdb.PoolSeenIn(tx, p.ID, e.AsOf-poolWindow+1, e.AsOf)
		if err != nil {
			return err
		}
		if rule.Never || float64(seen.Measured) < rule.LeastShare*poolWindow {
			continue
		}
		spare := usage.Spare(p.Quantity, seen.Peak, rule.PoolShare)
		if spare == 0 || seen.Denials > 0 { // whoever is denied would be denied more often
			continue
		}
		v := finding{
			kind:     casework.IdlePool,
			product:  p.Product,
			pool:     p.ID,
			quantity: spare,
			worth:    reclaim.Reuse,
			currency: f.Currency,
			ground:   casework.Ground{Kind: casework.OnReclaim, ID: rule.ID},
		}
		for i := range f.Lines {
			l := &f.Lines[i]
			if l.Metric != entitle.Concurrent {
				continue
			}
			if worth, amount, on := reclaim.Value(decimal.Zero, l, e.AsOf); worth == reclaim.AtRenewal {
				v.worth, v.amount, v.moneyOn, v.currency = worth, amount.Mul(decimal.NewFromInt(spare)), on, cmp.Or(
					l.Currency,
					f.Currency,
				)
				break
			}
		}
		v.proof = []string{
			fmt.Sprintf(
				"At most %d of %d licences were out at once in the %d days up to %s, of which %d were measured; "+
					"nobody was denied.",
				seen.Peak,
				p.Quantity,
				poolWindow,
				e.AsOf,
				seen.Measured,
			),
			fmt.Sprintf(
				"That is below %.0f %%; %d licences can be given back, and %d stay.",
				rule.PoolShare*100,
				spare,
				p.Quantity-spare,
			),
		}
		d.found = append(d.found, v)
	}
	return nil
}

// deniedShare is the share of requests that a pool of the right size may deny: one in a hundred, as the page of a pool
// proposes it.
const deniedShare = 0.01

// findDenied finds pools that denied licences in the last month, with the size that would have served, and what that
// costs.
func (d *Findings) findDenied(tx *sqlite.Tx) error {
	e := d.Snapshot
	pools, err := used.Pools(tx)
	if err != nil || d.Sizes == nil {
		return err
	}
	for _, p := range pools {
		f := e.Products[p.Product]
		if f == nil || !d.Scope.about(p.Product) {
			continue
		}
		seen, err := worklistdb.PoolSeenIn(tx, p.ID, e.AsOf-poolWindow+1, e.AsOf)
		if err != nil {
			return err
		}
		if seen.Denials == 0 {
			continue
		}
		size, err := d.Sizes.SizeThatServes(tx, p.ID, poolWindow, deniedShare)
		if err != nil {
			return err
		}
		more := size.Licences - p.Quantity
		if more <= 0 { // its size is right: a few were denied all the same
			continue
		}
		v := finding{
			kind:     casework.DeniedPool,
			product:  p.Product,
			pool:     p.ID,
			quantity: more,
			worth:    reclaim.Exposure,
			amount:   size.Price.Mul(decimal.NewFromInt(more)),
			currency: cmp.Or(size.Currency, f.Currency),
		}
		v.proof = []string{
			fmt.Sprintf(
				"It denied %d times in the %d days up to %s, at a peak of %d of %d licences; %d requests were made.",
				seen.Denials,
				poolWindow,
				e.AsOf,
				seen.Peak,
				p.Quantity,
				size.Requests,
			),
			fmt.Sprintf(
				"Replayed, %d licences would deny at most one request in a hundred: %d more than there are. For "+
					"nobody to be denied it takes %d.",
				size.Licences,
				more,
				size.All,
			),
		}
		if size.Price.IsPositive() {
			v.proof = append(
				v.proof,
				fmt.Sprintf("One licence costs %s %s, paid %s.", size.Price, v.currency, size.Paid),
			)
		}
		d.found = append(d.found, v)
	}
	return nil
}
