// Package demand counts what a metric says is needed for the installs and the use found.
package demand

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// Set is a distinct set of needs, shared by all units that have it. Value is the highest list price among them in
// ten-thousandths of the position's currency, 0 where there is none.
type Set struct {
	Key   string
	Needs []entitle.Need
	Value int64
}

// Priced is a need with its list price in ten-thousandths of the position's currency.
type Priced struct {
	entitle.Need
	Value int64
}

// Sets makes each distinct set of needs once.
type Sets map[string]*Set

// Of returns the set of these needs, in any order and with repeats.
func (s Sets) Of(needs []Priced) *Set {
	needs = slices.Clone(needs)
	slices.SortFunc(needs, func(a, b Priced) int {
		return cmp.Or(
			cmp.Compare(a.Edition, b.Edition),
			cmp.Compare(a.Version, b.Version),
			cmp.Compare(a.Value, b.Value),
			cmp.Compare(a.Released, b.Released),
		)
	})
	needs = slices.Compact(needs)
	var key strings.Builder
	for _, n := range needs {
		key.WriteString(n.Edition + "\x1f" + n.Version + "\x1f" + strconv.FormatInt(n.Value, 10) + "\x1e")
	}
	if known, ok := s[key.String()]; ok {
		return known
	}
	set := &Set{Key: key.String()}
	for _, n := range needs {
		set.Needs = append(set.Needs, n.Need)
		set.Value = max(set.Value, n.Value)
	}
	s[set.Key] = set
	return set
}

// Union returns the set of all needs of several sets.
func (s Sets) Union(list []*Set) *Set {
	slices.SortFunc(list, func(a, b *Set) int { return cmp.Compare(a.Key, b.Key) })
	if list = slices.Compact(list); len(list) == 1 {
		return list[0]
	}
	var all []Priced
	for _, set := range list {
		for _, n := range set.Needs {
			all = append(all, Priced{n, set.Value})
		}
	}
	return s.Of(all)
}

// Bearer is an in-service device that products are on. It is shared by the holdings of all of them.
type Bearer struct {
	Device      int64
	Kind        evidence.DeviceKind
	Environment evidence.Environment
	Portable    bool
	Fresh       bool  // its evidence is within the limit of age
	User        int64 // its main user, 0 where nobody is known
	Place       entitle.Place
	UserAt      entitle.Place // where the main user belongs
}

// Holding is a device that has the product counted on it.
type Holding struct {
	*Bearer
	Set      *Set
	Editions []*Set // its needs split by edition, for the installation metric; nil where there is one edition alone
}

// Person is a user who needs the product for another reason than being a main user: it is assigned to him, or he used
// it in the window. Where nobody knows who used it, User is 0 and Device is where that was: it counts as one.
type Person struct {
	User   int64
	Device int64
	Kind   evidence.DeviceKind // of Device
	Place  entitle.Place
	Set    *Set
	Why    string // assigned, used
}

// Found is what demand is counted from: who and what has a product, and how it is used.
type Found struct {
	Holdings []Holding
	Persons  []Person
	Sessions []Session // in the window, for the metrics that count use at one time
	Measured bool      // whether its use is measured at all
	Pooled   bool      // whether a licence server shares it, so that its sessions are what it gave out
	Hardware *Hardware
	Sets     Sets
}

// Unit is one unit of demand: so many licences for one device, user, machine or session. Device is 0 for a user
// without device; User is 0 where the unit is a device or an install. Holdings are the places in Found.Holdings that
// make the demand.
type Unit struct {
	Device, User int64
	Kind         evidence.DeviceKind
	Fresh        bool
	Count        int64
	Place        entitle.Place
	Set          *Set
	Why          string
	Holdings     []int32
	Cores        *Cores   // how the count of a machine came about, for processors and cores
	Session      *Session // for the metrics that count use at one time
}

// Demand is what a metric asks for. Outside are holdings that the metric does not count, such as a physical machine
// where virtual ones are counted.
type Demand struct {
	Units   []Unit
	Outside []int32
}

// Of lists the demand of a metric for what was found. Lines are the lines of the metric that are in force: their
// terms, and for sites their scopes, shape the demand.
//
// Device: one unit for each holding. Installation: one for each edition on a device, versions counting once unless a
// line says each. Named
// user: one for each distinct main user, assigned user or user in the window, and one for each device without known
// user; a user counts as fresh where any device, assignment or use that makes him count is. Virtual machine: one for
// each virtual machine. Processor and core: see machines. Concurrent and token: the sessions that were out at the
// busiest moment. Site: one for each line that is needed, and one for what no line reaches.
func Of(m entitle.Metric, f *Found, lines []*entitle.Line) Demand {
	switch m {
	case entitle.Device, entitle.VirtualMachine:
		return f.devices(m == entitle.VirtualMachine)
	case entitle.Installation:
		return f.installations(entitle.TermsOf(lines).Each)
	case entitle.NamedUser:
		return f.users()
	case entitle.Processor, entitle.Core:
		return f.machines(m, entitle.TermsOf(lines))
	case entitle.Concurrent, entitle.Token:
		return f.peak(m)
	case entitle.Site:
		return f.sites(lines)
	}
	return Demand{}
}

// places is a list of 0, 1, 2 ..., of which each unit takes its part.
func places(n int) []int32 {
	out := make([]int32, n)
	for i := range out {
		out[i] = int32(i)
	}
	return out
}

func (f *Found) devices(virtualOnly bool) Demand {
	d := Demand{Units: make([]Unit, 0, len(f.Holdings))}
	at := places(len(f.Holdings))
	for i := range f.Holdings {
		h := &f.Holdings[i]
		if virtualOnly && !f.Hardware.Virtual(h.Device, h.Kind) {
			d.Outside = append(d.Outside, int32(i))
			continue
		}
		d.Units = append(
			d.Units,
			Unit{
				Device:   h.Device,
				Kind:     h.Kind,
				Fresh:    h.Fresh,
				Count:    1,
				Place:    h.Place,
				Set:      h.Set,
				Holdings: at[i : i+1],
			},
		)
	}
	return d
}

// byVersion splits sets of needs into those of one version each.
func (f *Found) byVersion(parts []*Set) []*Set {
	var out []*Set
	for _, set := range parts {
		for i, n := range set.Needs {
			if i > 0 && n.Edition == set.Needs[i-1].Edition && n.Version == set.Needs[i-1].Version {
				continue
			}
			out = append(out, f.Sets.Of([]Priced{{n, set.Value}}))
		}
	}
	return out
}

func (f *Found) installations(each bool) Demand {
	var d Demand
	at := places(len(f.Holdings))
	for i := range f.Holdings {
		h := &f.Holdings[i]
		parts := h.Editions
		if parts == nil {
			parts = []*Set{h.Set}
		}
		if each {
			parts = f.byVersion(parts)
		}
		for _, set := range parts {
			d.Units = append(
				d.Units,
				Unit{
					Device:   h.Device,
					Kind:     h.Kind,
					Fresh:    h.Fresh,
					Count:    1,
					Place:    h.Place,
					Set:      set,
					Holdings: at[i : i+1],
				},
			)
		}
	}
	return d
}

func (f *Found) users() Demand {
	var out []Unit
	at := map[int64]int{}
	needs := map[int64][]*Set{}
	for k := range f.Holdings {
		h := &f.Holdings[k]
		if h.User == 0 {
			out = append(
				out,
				Unit{
					Device:   h.Device,
					Kind:     h.Kind,
					Fresh:    h.Fresh,
					Count:    1,
					Place:    h.Place,
					Set:      h.Set,
					Why:      "no known user",
					Holdings: []int32{int32(k)},
				},
			)
			continue
		}
		i, known := at[h.User]
		if !known {
			i = len(out)
			at[h.User] = i
			out = append(
				out,
				Unit{
					Device: h.Device,
					User:   h.User,
					Kind:   h.Kind,
					Count:  1,
					Place:  h.UserAt,
					Set:    h.Set,
					Why:    "main user",
				},
			)
		}
		out[i].Fresh = out[i].Fresh || h.Fresh
		out[i].Holdings = append(out[i].Holdings, int32(k))
		needs[h.User] = append(needs[h.User], h.Set)
	}
	for _, p := range f.Persons {
		if p.User == 0 {
			out = append(out, Unit{Device: p.Device, Kind: p.Kind, Fresh: true, Count: 1, Place: p.Place, Set: p.Set,
				Why: p.Why + ", by nobody known"})
			continue
		}
		i, known := at[p.User]
		if !known {
			i = len(out)
			at[p.User] = i
			out = append(out, Unit{User: p.User, Count: 1, Place: p.Place, Set: p.Set, Why: p.Why})
		}
		out[i].Fresh = true
		needs[p.User] = append(needs[p.User], p.Set)
	}
	for user, list := range needs {
		out[at[user]].Set = f.Sets.Union(list)
	}
	return Demand{Units: out}
}

// sites gives each holding to a line that may cover it, lines that cover the most first, so that few are needed. Each
// line that got any is one unit; what no line may cover is one more.
func (f *Found) sites(lines []*entitle.Line) Demand {
	if len(f.Holdings) == 0 {
		return Demand{}
	}
	lines = slices.Clone(lines)
	slices.SortFunc(lines, func(a, b *entitle.Line) int { return cmp.Compare(a.Code, b.Code) })
	open := places(len(f.Holdings))
	var d Demand
	for len(open) > 0 {
		var best *entitle.Line
		var reached []int32
		for _, l := range lines {
			var got []int32
			for _, i := range open {
				if _, gaps := l.Covers(f.Holdings[i].Set.Needs, f.Holdings[i].Place); len(gaps) == 0 {
					got = append(got, i)
				}
			}
			if len(got) > len(reached) {
				best, reached = l, got
			}
		}
		u := Unit{Count: 1, Why: "what no site right reaches"}
		if best == nil {
			reached = open
		} else {
			u.Place, u.Why = entitle.Place{Unit: best.ScopeUnit, Country: best.ScopeCountry}, ""
		}
		var sets []*Set
		for _, i := range reached {
			h := &f.Holdings[i]
			u.Fresh = u.Fresh || h.Fresh
			sets = append(sets, h.Set)
		}
		u.Holdings, u.Set, u.Kind, u.Device = reached, f.Sets.Union(sets),
			f.Holdings[reached[0]].Kind, f.Holdings[reached[0]].Device
		if best == nil && len(lines) > 0 {
			u.Place = f.Holdings[reached[0]].Place
		}
		d.Units = append(d.Units, u)
		taken := map[int32]bool{}
		for _, i := range reached {
			taken[i] = true
		}
		open = slices.DeleteFunc(slices.Clone(open), func(i int32) bool { return taken[i] })
	}
	return d
}
