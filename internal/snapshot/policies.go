package snapshot

import (
	"database/sql"
	"encoding/json"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/used"
)

// PoliciesInForce reads the policies that hold on a day.
func PoliciesInForce(tx *sqlite.Tx, day civil.Day) ([]policy.Policy, error) {
	list, err := stored.Policies(tx)
	var out []policy.Policy
	for _, p := range list {
		if !p.Until.Known() || p.Until >= day {
			out = append(out, p.Policy)
		}
	}
	return out, err
}

// ReclaimRule says when licences of titles are proposed for reclaim. Its stance is policy.Proposed or
// policy.NotProposed.
type ReclaimRule struct {
	policy.Policy
	PublisherName string
	Window, Grace int     // days
	LeastShare    float64 // of the window that must be measured
	PoolShare     float64 // a pool whose peak lies below this share of its quantity is proposed
	Author        string
	At            int64
}

// ReclaimRules reads the rules in force.
func ReclaimRules(tx *sqlite.Tx) ([]ReclaimRule, error) {
	return sqlite.Query(tx, func(r *sql.Rows, m *ReclaimRule) error {
		var cond string
		if err := r.Scan(&m.ID, &m.Product, &m.PublisherName, &m.Category, &m.GroupName, &cond, &m.Stance, &m.Window,
			&m.Grace, &m.LeastShare, &m.PoolShare, &m.Reason, &m.Author, &m.At); err != nil {
			return err
		}
		m.Publisher = recognise.CleanPublisher(m.PublisherName)
		return json.Unmarshal([]byte(cond), &m.Group)
	}, "SELECT id, product_id, publisher, category, group_name, condition, stance, window_days, grace_days, "+
		"least_share, pool_share, note, author, at FROM reclaim_rule WHERE ended_at = 0 ORDER BY id")
}

// Mentioned lists the products that a device's having them decides what holds on it: those that conditions of groups,
// policies, rules of reclaim and of metering mention.
func (e *Snapshot) Mentioned(tx *sqlite.Tx) ([]int64, error) {
	out := e.Conditions.Titles()
	reclaim, err := ReclaimRules(tx)
	if err != nil {
		return nil, err
	}
	for i := range reclaim {
		out = append(out, reclaim[i].Group.Titles()...)
	}
	metering, err := used.MeteringsEver(tx)
	for i := range metering {
		out = append(out, metering[i].Group.Titles()...)
	}
	return stored.Distinct(out), err
}

// MostOfScope is how many products a stance or a rule may speak of, so that they are worked out one by one where it
// changes; where it speaks of more, everything is.
const MostOfScope = 200

// ProductsOfScopes lists the products that some policies speak of, and those whose rights go with theirs. few is false
// where they are more than MostOfScope, or where one speaks of every product.
func ProductsOfScopes(c *recognise.Catalogue, policies ...*policy.Policy) (ids []int64, few bool) {
	for _, p := range policies {
		if p.Product == 0 && p.Category == "" && p.Publisher == "" {
			return nil, false
		}
	}
	for _, product := range c.Products() {
		title := PolicyTitle(product)
		if slices.ContainsFunc(policies, func(p *policy.Policy) bool { return p.SpeaksOf(title) }) {
			if ids = append(ids, product.ID); len(ids) > MostOfScope {
				return nil, false
			}
		}
	}
	return ids, true
}
