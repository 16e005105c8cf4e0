package condition

import (
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
)

// Set is a named group: a condition, and the devices that somebody put in or took out by hand, which goes before the
// condition.
type Set struct {
	Name      string
	Condition Condition
	ByHand    bool // devices come in by hand alone; the condition is not asked
	Picked    map[int64]bool
}

// CheckGroups reports a group that asks for itself, directly or through others, or for one that is not there.
func CheckGroups(sets []Set) error {
	at := map[string]*Set{}
	for i := range sets {
		at[sets[i].Name] = &sets[i]
	}
	state := map[string]int{} // 1 being looked at, 2 done
	var visit func(name string, way []string) error
	visit = func(name string, way []string) error {
		set := at[name]
		if set == nil {
			return refuse.Errorf("there is no group %q", name)
		}
		switch state[name] {
		case 1:
			return refuse.Errorf(
				"the group %q would ask for itself (%s)",
				name,
				strings.Join(append(way, name), " asks for "),
			)
		case 2:
			return nil
		}
		state[name] = 1
		for _, other := range set.Condition.Groups() {
			if err := visit(other, append(slices.Clone(way), name)); err != nil {
				return err
			}
		}
		state[name] = 2
		return nil
	}
	for _, s := range sets {
		if err := visit(s.Name, nil); err != nil {
			return err
		}
	}
	return nil
}

// member is a device's facts joined with its groups, which are worked out when they are asked for.
type member struct {
	Facts
	device int64
	sets   map[string]*Set
	known  map[string]bool
}

func (m *member) In(group string) bool {
	if v, done := m.known[group]; done {
		return v
	}
	set := m.sets[group]
	if set == nil {
		return false
	}
	m.known[group] = false // a group that asks for itself, which CheckGroups refuses, ends here
	v := set.holds(m.device, m)
	m.known[group] = v
	return v
}

func (s *Set) holds(device int64, f Facts) bool {
	if in, picked := s.Picked[device]; picked {
		return in
	}
	return !s.ByHand && s.Condition.Holds(f)
}

// WithGroups adds to a device's facts the groups that it is in.
func WithGroups(device int64, f Facts, sets map[string]*Set) Facts {
	return &member{f, device, sets, map[string]bool{}}
}

// Why reports whether a device is in the group, and why. f must know its groups.
func (s *Set) Why(device int64, f Facts, names Names) (bool, []string) {
	if in, picked := s.Picked[device]; picked {
		return in, []string{map[bool]string{true: "put in by hand", false: "taken out by hand"}[in]}
	}
	if s.ByHand {
		return false, []string{"not put in by hand"}
	}
	return s.Condition.Why(f, names)
}
