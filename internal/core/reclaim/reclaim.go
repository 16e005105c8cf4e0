// Package reclaim proposes which idle installs to take back, and says what that is worth and when it becomes money.
package reclaim

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/usage"

	"github.com/shopspring/decimal"
)

// Worth says when a reclaimed right becomes money.
type Worth string

// The kinds of worth; each proposal has exactly one.
const (
	PurchaseAvoided Worth = "purchase avoided"
	AtRenewal       Worth = "at renewal"
	Reuse           Worth = "reuse"
)

// Exposure is what a shortfall is worth at list price: nothing that is saved, but what it would cost.
const Exposure Worth = "exposure"

// Install is what a proposal looks at: one licensable product on one device.
type Install struct {
	InstalledOn civil.Day // the first day it is known of, where no date was reported
	Use         usage.Finding
	Stance      policy.Stance
	SuiteUsed   bool // part of a suite whose other parts are used
	Excepted    bool
}

// Rule sets when licences are proposed.
type Rule struct {
	ID         int64   // its number; 0 is the usual one
	Window     int     // days that are looked at
	LeastShare float64 // of them that must be measured
	GraceDays  int     // least age of an install in days before it may be proposed
	PoolShare  float64 // a pool whose peak lies below this share of its quantity is proposed
	Never      bool    // nothing is proposed at all
}

// Propose reports whether an install may be proposed on a day, or why not.
func Propose(in Install, r Rule, day civil.Day) (bool, string) {
	switch {
	case r.Never:
		return false, "a rule leaves it alone"
	case in.Use.Class != usage.NeverUsed && in.Use.Class != usage.Unused:
		return false, string(in.Use.Class)
	case in.Stance == policy.Required:
		return false, "required by policy"
	case in.Excepted:
		return false, "excepted"
	case in.SuiteUsed:
		return false, "part of a suite that is used"
	case !in.InstalledOn.Known() || int(day-in.InstalledOn) <= r.GraceDays:
		return false, "installed within the grace"
	}
	return true, ""
}

// Value says what taking back one unit is worth: what it avoids of a present shortfall at list price, the price of the
// covering line at its end where that line is a subscription, else nothing that could be claimed.
func Value(avoided decimal.Decimal, line *entitle.Line, day civil.Day) (Worth, decimal.Decimal, civil.Day) {
	if avoided.IsPositive() {
		return PurchaseAvoided, avoided, day
	}
	if line != nil && line.UnitPrice.Valid {
		if last := line.LastDay(); line.Kind == entitle.Subscription && last.Known() && last >= day {
			return AtRenewal, line.UnitPrice.Decimal, last
		}
	}
	return Reuse, decimal.Zero, 0
}
