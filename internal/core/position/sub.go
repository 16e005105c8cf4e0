package position

import (
	"cmp"
	"slices"

	"ensomet/internal/core/entitle"
)

// Sub is the part of a position that belongs to a unit, a country or a contract. Its owned are the rights used there
// and the spare ones that are kept for it alone, so Owned = Used + Surplus, and the parts of a position sum up to it.
type Sub struct {
	Name                                         string // empty is everyone's, or no contract
	Owned, Used, Needed, Covered, Short, Surplus int64
	Exposure                                     int64
}

// By splits a position by unit, country or contract (unit, country, contract). By unit and country demand belongs
// where it stands, and spare rights to the scope that they are limited to; by contract demand belongs to the contract
// that covers it, and what nothing covers to none.
func (p *Position) By(what string) []Sub {
	switch what {
	case "country":
		return p.split(func(u *UnitResult) string { return u.Place.Country },
			func(l *LineResult) string { return l.Line.ScopeCountry }, false)
	case "contract":
		return p.split(func(u *UnitResult) string {
			if u.Line < 0 {
				return ""
			}
			return p.Lines[u.Line].Line.Contract
		}, func(l *LineResult) string { return l.Line.Contract }, true)
	}
	return p.split(func(u *UnitResult) string { return u.Place.Unit },
		func(l *LineResult) string { return l.Line.ScopeUnit }, false)
}

// ByDevice splits a position by what is said of the device that each unit of demand stands on. Spare rights, and
// demand that stands on no device, belong to none.
func (p *Position) ByDevice(label func(device int64) string) []Sub {
	return p.split(func(u *UnitResult) string {
		if u.Device == 0 {
			return ""
		}
		return label(u.Device)
	}, func(*LineResult) string { return "" }, false)
}

// split splits a position by where demand and lines belong. Where every line is named, those without spare rights are.
func (p *Position) split(demand func(*UnitResult) string, right func(*LineResult) string, every bool) []Sub {
	at := map[string]*Sub{}
	row := func(name string) *Sub {
		if at[name] == nil {
			at[name] = &Sub{Name: name}
		}
		return at[name]
	}
	for i := range p.Units {
		u := &p.Units[i]
		s := row(demand(u))
		s.Needed += u.Part
		if u.Line < 0 {
			s.Short += u.Part
			s.Exposure += u.Part * u.Set.Value
			continue
		}
		s.Covered += u.Part
		if !u.Free {
			s.Used += u.Part
		}
	}
	for i := range p.Lines {
		l := &p.Lines[i]
		if l.Spare > 0 || every && l.Effect.Quantity > 0 {
			row(right(l)).Surplus += l.Spare
		}
	}
	// A right on a host that has none of it itself serves free units alone: it is used where they are.
	var used int64
	for _, s := range at {
		used += s.Used
	}
	if hidden := p.Owned - p.Surplus - used; hidden > 0 {
		for i := range p.Units {
			u := &p.Units[i]
			if hidden == 0 {
				break
			}
			if u.Free && u.With != 0 && !p.sits(u.With) && p.first(i) {
				row(demand(u)).Used++
				hidden--
			}
		}
	}
	out := make([]Sub, 0, len(at))
	for _, s := range at {
		s.Owned = s.Used + s.Surplus
		out = append(out, *s)
	}
	slices.SortFunc(out, func(a, b Sub) int { return cmp.Compare(a.Name, b.Name) })
	return out
}

// sits reports whether a device has a right of its own.
func (p *Position) sits(device int64) bool {
	i, _ := slices.BinarySearchFunc(
		p.Units,
		device,
		func(u UnitResult, d int64) int { return cmp.Compare(u.Device, d) },
	)
	for ; i < len(p.Units) && p.Units[i].Device == device; i++ {
		if p.Units[i].Line >= 0 && !p.Units[i].Free {
			return true
		}
	}
	return false
}

// first reports whether no earlier unit is served by the same right.
func (p *Position) first(i int) bool {
	for k := range p.Units[:i] {
		if u := &p.Units[k]; u.Free && u.With == p.Units[i].With {
			return false
		}
	}
	return true
}

// Transfer is so many spare rights of a line that could cover what is short in another scope.
type Transfer struct {
	Line          string
	Unit, Country string // the scope that they would move to
	Quantity      int64
}

// Transfers proposes moves of spare rights that are limited to a unit or country, to where demand is out of their
// scope and nothing else stands against them. Where most is short comes first.
func (p *Position) Transfers() []Transfer {
	type need struct {
		at    unitKind
		short int64
	}
	by := map[unitKind]int64{}
	for i := range p.Units {
		if u := &p.Units[i]; u.Line < 0 {
			by[unitKind{u.Set, u.Place}] += u.Part
		}
	}
	var needs []need
	for k, n := range by {
		needs = append(needs, need{k, n})
	}
	slices.SortFunc(needs, func(a, b need) int {
		return cmp.Or(
			cmp.Compare(b.short, a.short),
			cmp.Compare(a.at.place.Unit, b.at.place.Unit),
			cmp.Compare(a.at.place.Country, b.at.place.Country),
			cmp.Compare(a.at.set.Key, b.at.set.Key),
		)
	})
	var out []Transfer
	for i := range p.Lines {
		l := p.Lines[i].Line
		spare := p.Lines[i].Spare
		if spare == 0 || l.ScopeUnit == "" && l.ScopeCountry == "" {
			continue
		}
		for k := range needs {
			n := &needs[k]
			_, gaps := l.Covers(n.at.set.Needs, n.at.place)
			if n.short == 0 || spare == 0 || len(gaps) != 1 || gaps[0] != entitle.OutOfScope {
				continue
			}
			t := Transfer{Line: l.Code, Quantity: min(spare, n.short)}
			if l.ScopeUnit != "" {
				t.Unit = n.at.place.Unit
			}
			if l.ScopeCountry != "" {
				t.Country = n.at.place.Country
			}
			spare -= t.Quantity
			n.short -= t.Quantity
			if last := len(out) - 1; last >= 0 && out[last].Line == t.Line && out[last].Unit == t.Unit &&
				out[last].Country == t.Country {
				out[last].Quantity += t.Quantity
				continue
			}
			out = append(out, t)
		}
	}
	return out
}
