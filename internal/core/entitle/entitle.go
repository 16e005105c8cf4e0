// Package entitle has the rights that were acquired: how many are in force on a day, and what each may cover.
package entitle

import (
	"cmp"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/version"

	"github.com/shopspring/decimal"
)

// Metric is what one licence is counted by.
type Metric string

// The metrics.
const (
	Site           Metric = "site"
	NamedUser      Metric = "named_user"
	Device         Metric = "device"
	Installation   Metric = "installation"
	VirtualMachine Metric = "virtual_machine"
	Processor      Metric = "processor"
	Core           Metric = "core"
	Concurrent     Metric = "concurrent"
	Token          Metric = "token"
)

// Metrics lists all metrics in the order in which a product owned under several is covered.
var Metrics = []Metric{Site, NamedUser, Device, Installation, VirtualMachine, Processor, Core, Concurrent, Token}

// Kind says how a right was acquired.
type Kind string

// The kinds.
const (
	Perpetual    Kind = "perpetual"
	Subscription Kind = "subscription"
	Maintenance  Kind = "maintenance"
	Upgrade      Kind = "upgrade"
	Trial        Kind = "trial"
)

// Kinds lists all kinds.
var Kinds = []Kind{Perpetual, Subscription, Maintenance, Upgrade, Trial}

// Right is a use that a line allows beyond its own edition and version.
type Right string

// The rights.
const (
	OlderVersions Right = "older_versions"
	LowerEditions Right = "lower_editions"
	SecondDevice  Right = "second_device"
	TestUse       Right = "test_use"
	StandbyUse    Right = "standby_use"
	VirtualUse    Right = "virtual_use"
)

// Rights lists all rights.
var Rights = []Right{OlderVersions, LowerEditions, SecondDevice, TestUse, StandbyUse, VirtualUse}

// VersionsCounted says how several versions of a product on one device count.
type VersionsCounted string

// How several versions on one device count; nothing said is once.
const (
	Once VersionsCounted = "once"
	Each VersionsCounted = "each"
)

// Line is one entitlement.
type Line struct {
	ID                                    int64
	Code                                  string // entitlement_id
	Product                               int64
	Edition                               string
	EditionRank                           int
	Version                               string // the highest that it covers without maintenance; empty is any
	Metric                                Metric
	Quantity                              int64 // as bought; packs where PackSize is set
	PackSize                              int64
	Kind                                  Kind
	Start, End, MaintenanceEnd, Purchased civil.Day
	UnitPrice                             decimal.NullDecimal
	Currency                              string
	ScopeUnit, ScopeCountry               string
	Rights                                []Right
	MinPerProcessor, MinPerServer         int64           // cores
	Capacity                              string          // full, sub; empty is full
	VersionsCounted                       VersionsCounted // of one device, where installations are counted
	Contract, Order                       string
	Base                                  string // Code of the line that an upgrade upgrades
	Transactions                          []Transaction
}

// Has reports whether the line lists a right.
func (l *Line) Has(r Right) bool { return slices.Contains(l.Rights, r) }

// from is the first day on which the line can count.
func (l *Line) from() civil.Day {
	if l.Start.Known() {
		return l.Start
	}
	return l.Purchased
}

// Effect is what a line comes to on a day. Quantity counts rights in force; Unmatched are upgrades without a free
// base, Consumed are base rights that upgrades used up. Why says, in words, why a line that was bought counts
// nothing; it is empty where Quantity is not 0.
type Effect struct {
	Quantity, Unmatched, Consumed int64
	Expired                       bool
	Why                           string
}

// Effective computes what each line comes to on a day, by its code. An upgrade counts for as many as there are base
// rights that are still free to be upgraded, in the order of codes, and uses them up.
func Effective(lines []Line, day civil.Day) map[string]Effect {
	out := make(map[string]Effect, len(lines))
	free := map[string]int64{}
	ordered := make([]*Line, 0, len(lines))
	for i := range lines {
		ordered = append(ordered, &lines[i])
	}
	slices.SortFunc(ordered, func(a, b *Line) int { return cmp.Compare(a.Code, b.Code) })
	for _, l := range ordered {
		var e Effect
		switch {
		case l.from().Known() && day < l.from():
			e.Why = "starts on " + l.from().String()
		case !l.InTerm(day):
			e.Expired, e.Why = true, "ended on "+l.endedOn(day).String()
		case l.Kind == Maintenance:
			e.Why = "maintenance is no right by itself"
		default:
			e.Quantity = l.gross(day)
			if e.Quantity == 0 {
				e.Why = "nothing is left of it on this day"
			}
		}
		if l.Kind != Upgrade {
			free[l.Code] = e.Quantity
		}
		out[l.Code] = e
	}
	// Upgrades of upgrades resolve once their own base has: as many rounds as there are upgrades are enough.
	resolved := map[string]bool{}
	for range ordered {
		moved := false
		for _, l := range ordered {
			if l.Kind != Upgrade || resolved[l.Code] {
				continue
			}
			base, known := out[l.Base]
			if isUpgrade(ordered, l.Base) && !resolved[l.Base] {
				continue
			}
			e := out[l.Code]
			n := min(e.Quantity, free[l.Base])
			e.Unmatched = e.Quantity - n
			e.Quantity = n
			if n == 0 && e.Why == "" {
				e.Why = "its base " + l.Base + " has no free right"
				if l.Base == "" || !known {
					e.Why = "an upgrade without its base"
				}
			}
			free[l.Base] -= n
			base.Quantity -= n
			base.Consumed += n
			if base.Quantity == 0 && base.Consumed > 0 && base.Why == "" {
				base.Why = "used up by upgrades"
			}
			if known {
				out[l.Base] = base
			}
			free[l.Code] = n
			out[l.Code] = e
			resolved[l.Code], moved = true, true
		}
		if !moved {
			break
		}
	}
	for _, l := range ordered { // a cycle of upgrades has no base to stand on
		if l.Kind == Upgrade && !resolved[l.Code] {
			e := out[l.Code]
			e.Unmatched, e.Quantity, e.Why = e.Quantity, 0, "its base is an upgrade of itself"
			out[l.Code] = e
		}
	}
	return out
}

func isUpgrade(lines []*Line, code string) bool {
	for _, l := range lines {
		if l.Code == code {
			return l.Kind == Upgrade
		}
	}
	return false
}

// Need is one thing that a demand unit needs a right for.
type Need struct {
	Edition     string
	EditionRank int
	Version     string
	Released    civil.Day
}

// Place is where a demand unit stands.
type Place struct {
	Unit    string // path with /
	Country string
}

// Reason says why a line covers a unit. The reasons are ordered: the earlier, the more flexible rights stay.
type Reason int

// The reasons for a pairing, in the order of preference.
const (
	Exact Reason = iota
	OlderVersion
	NewerVersion
	LowerEdition
	SuitePart
	SecondDeviceUse
	OtherUse
)

var reasonWords = [...]string{
	"exact",
	"older version",
	"newer version under maintenance",
	"lower edition",
	"suite part",
	"second device of the same user",
	"test, standby or virtual use",
}

func (r Reason) String() string { return reasonWords[r] }

// Gap says why a line does not cover a unit. Greater is further from covering.
type Gap int

// The reasons why nothing covers a unit, nearest first. OldVersion, UnknownVersion, LowerEditionAlone, UnknownEdition
// and OtherEdition complete the list: a line without the right to older versions or lower editions does not cover one,
// and saying "too new" or "too high" of it would be false.
const (
	AllUsed Gap = iota + 1
	VersionTooNew
	OldVersion
	UnknownVersion
	LowerEditionAlone
	UnknownEdition
	OtherEdition
	EditionTooHigh
	OutOfScope
	Expired
	MetricDiffers
	NoneOwned
)

var gapWords = [...]string{
	"",
	"all used",
	"version too new",
	"older version without the right to it",
	"version not known",
	"lower edition without the right to it",
	"edition not known",
	"another edition",
	"edition too high",
	"out of scope",
	"expired",
	"metric differs",
	"none owned",
}

func (g Gap) String() string { return gapWords[g] }

// OfEdition reports whether it is the edition that stands against covering.
func (g Gap) OfEdition() bool {
	return g == LowerEditionAlone || g == UnknownEdition || g == OtherEdition || g == EditionTooHigh
}

// Covers says whether the rights of a line, apart from quantity and term, allow all needs of a unit at a place: with
// the highest reason among the needs, or with the gaps that stand against it.
func (l *Line) Covers(needs []Need, at Place) (Reason, []Gap) {
	var gaps []Gap
	if !InUnit(at.Unit, l.ScopeUnit) || l.ScopeCountry != "" && at.Country != l.ScopeCountry {
		gaps = append(gaps, OutOfScope)
	}
	worst := Exact
	for _, n := range needs {
		if n.Edition != l.Edition {
			if l.Has(LowerEditions) && n.EditionRank < l.EditionRank && n.Edition != "" {
				worst = max(worst, LowerEdition)
			} else {
				gaps = append(gaps, l.editionGap(&n))
			}
		}
		r, g := l.coversVersion(n)
		if g != 0 {
			gaps = append(gaps, g)
		}
		worst = max(worst, r)
	}
	slices.Sort(gaps)
	return worst, slices.Compact(gaps)
}

// editionGap says in which way the edition of a need is another than that of a line which does not cover it.
func (l *Line) editionGap(n *Need) Gap {
	switch {
	case n.Edition == "":
		return UnknownEdition
	case n.EditionRank > l.EditionRank:
		return EditionTooHigh
	case n.EditionRank < l.EditionRank:
		return LowerEditionAlone
	}
	return OtherEdition
}

func (l *Line) coversVersion(n Need) (Reason, Gap) {
	switch {
	case l.Version == "" || version.Begins(n.Version, l.Version):
		return Exact, 0
	case n.Version == "":
		return 0, UnknownVersion
	case version.Compare(version.Dotted, n.Version, l.Version) < 0:
		if l.Has(OlderVersions) {
			return OlderVersion, 0
		}
		return 0, OldVersion
	case n.Released.Known() && l.Maintained(n.Released):
		return NewerVersion, 0
	}
	return 0, VersionTooNew
}

// Terms are the parameters of a metric that lines carry. Lines of a product that disagree are named, and the
// strictest counts.
type Terms struct {
	PerProcessor, PerServer int64 // least cores
	Pack                    int64 // what one is bought in; at least 1
	Sub                     bool  // virtual cores count, not those of the host
	Each                    bool  // several versions on one device count one by one
	Disagree                []string
}

// TermsOf gathers the terms of the lines of a metric: the greatest minimums and pack, full capacity unless every line
// says sub, and versions one by one where any line says so.
func TermsOf(lines []*Line) Terms {
	t := Terms{Pack: 1, Sub: len(lines) > 0}
	differ := func(what string, differs func(a, b *Line) bool) {
		for _, l := range lines {
			if differs(l, lines[0]) {
				t.Disagree = append(t.Disagree, what)
				return
			}
		}
	}
	for _, l := range lines {
		t.PerProcessor, t.PerServer, t.Pack = max(t.PerProcessor, l.MinPerProcessor), max(
			t.PerServer,
			l.MinPerServer,
		), max(t.Pack, l.PackSize)
		t.Sub = t.Sub && l.Capacity == "sub"
		t.Each = t.Each || l.VersionsCounted == Each
	}
	differ("least cores for a processor", func(a, b *Line) bool { return a.MinPerProcessor != b.MinPerProcessor })
	differ("least cores for a server", func(a, b *Line) bool { return a.MinPerServer != b.MinPerServer })
	differ("size of a pack", func(a, b *Line) bool { return max(1, a.PackSize) != max(1, b.PackSize) })
	differ("capacity", func(a, b *Line) bool { return (a.Capacity == "sub") != (b.Capacity == "sub") })
	differ("how versions count",
		func(a, b *Line) bool { return (a.VersionsCounted == Each) != (b.VersionsCounted == Each) })
	return t
}

// InUnit reports whether unit is scope or lies below it. The empty scope holds everything.
func InUnit(unit, scope string) bool {
	if scope == "" || unit == scope {
		return true
	}
	return len(unit) > len(scope) && unit[:len(scope)] == scope && unit[len(scope)] == '/'
}
