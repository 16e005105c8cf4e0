// Package demand counts what a metric says is needed for the installs and the use found.
package demand

import (
	"cmp"
	"slices"
	"strconv"
	"strings"

	"ensomet/internal/core/entitle"
)

// Set is a distinct set of needs, shared by all units that have it. Value is the highest list price among them in ten-thousandths of the
// position's currency, 0 where there is none.
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
		return cmp.Or(cmp.Compare(a.Edition, b.Edition), cmp.Compare(a.Version, b.Version), cmp.Compare(a.Value, b.Value), cmp.Compare(a.Released, b.Released))
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

// Holding is one in-service device that has the product counted on it.
type Holding struct {
	Device   int64
	Kind     string // of the device
	Fresh    bool   // its evidence is within the limit of age
	User     int64  // its main user, 0 where nobody is known
	Place    entitle.Place
	UserAt   entitle.Place // where the main user belongs
	Set      *Set
	Editions []*Set // its needs split by edition, for the installation metric; nil where there is one edition alone
}

// Person is a user who needs the product for another reason than being a main user: it is assigned to him, or he used it in the window.
type Person struct {
	User  int64
	Place entitle.Place
	Set   *Set
	Why   string // assigned, used
}

// Unit is one unit of demand. Device is 0 for a user without device; User is 0 where the unit is a device or an install.
type Unit struct {
	Device, User int64
	Kind         string
	Fresh        bool
	Place        entitle.Place
	Set          *Set
	Why          string
}

// Units lists the demand of a metric: for device one unit for each holding; for installation one for each edition on a device, versions counting
// once; for named_user one for each distinct main user, assigned user or user in the window, and one for each device without known
// user. A user counts as fresh where any device, assignment or use that makes him count is. Other metrics have no units here.
func Units(m entitle.Metric, holdings []Holding, persons []Person, sets Sets) []Unit {
	switch m {
	case entitle.Device:
		out := make([]Unit, 0, len(holdings))
		for _, h := range holdings {
			out = append(out, Unit{Device: h.Device, Kind: h.Kind, Fresh: h.Fresh, Place: h.Place, Set: h.Set})
		}
		return out
	case entitle.Installation:
		var out []Unit
		for _, h := range holdings {
			parts := h.Editions
			if parts == nil {
				parts = []*Set{h.Set}
			}
			for _, set := range parts {
				out = append(out, Unit{Device: h.Device, Kind: h.Kind, Fresh: h.Fresh, Place: h.Place, Set: set})
			}
		}
		return out
	case entitle.NamedUser:
		return users(holdings, persons, sets)
	}
	return nil
}

func users(holdings []Holding, persons []Person, sets Sets) []Unit {
	var out []Unit
	at := map[int64]int{}
	needs := map[int64][]*Set{}
	for _, h := range holdings {
		if h.User == 0 {
			out = append(out, Unit{Device: h.Device, Kind: h.Kind, Fresh: h.Fresh, Place: h.Place, Set: h.Set, Why: "no known user"})
			continue
		}
		i, known := at[h.User]
		if !known {
			i = len(out)
			at[h.User] = i
			out = append(out, Unit{Device: h.Device, User: h.User, Kind: h.Kind, Place: h.UserAt, Set: h.Set, Why: "main user"})
		}
		out[i].Fresh = out[i].Fresh || h.Fresh
		needs[h.User] = append(needs[h.User], h.Set)
	}
	for _, p := range persons {
		i, known := at[p.User]
		if !known {
			i = len(out)
			at[p.User] = i
			out = append(out, Unit{User: p.User, Place: p.Place, Set: p.Set, Why: p.Why})
		}
		out[i].Fresh = true
		needs[p.User] = append(needs[p.User], p.Set)
	}
	for user, list := range needs {
		slices.SortFunc(list, func(a, b *Set) int { return cmp.Compare(a.Key, b.Key) })
		if list = slices.Compact(list); len(list) < 2 {
			continue
		}
		var all []Priced
		for _, set := range list {
			for _, n := range set.Needs {
				all = append(all, Priced{n, set.Value})
			}
		}
		out[at[user]].Set = sets.Of(all)
	}
	return out
}
