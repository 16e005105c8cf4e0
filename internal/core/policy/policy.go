// Package policy decides which stance holds for a title on a device.
package policy

import "ensomet/internal/core/condition"

// Stance is what policy says of a title on a group.
type Stance string

// The stances.
const (
	Allowed    Stance = "allowed"
	Restricted Stance = "restricted"
	Required   Stance = "required"
)

// What may be said of metering; a title is chosen for it in the same way.
const (
	Metered    Stance = "metered"
	NotMetered Stance = "not metered"
)

// What may be said of reclaiming; a title is chosen for it in the same way.
const (
	Proposed    Stance = "proposed"
	NotProposed Stance = "not proposed"
)

// Policy is one rule. It speaks of one product, or of a category, or of a publisher (what it does not speak of is 0
// or empty), on the devices of a group.
type Policy struct {
	ID        int64
	Product   int64
	Category  string
	Publisher string // cleaned
	GroupName string
	Group     condition.Condition
	Stance    Stance
	Hours     Hours // when it holds
	Reason    string
	Exception bool // somebody answers for it until a day: it holds against what is said of the same place without one
}

// contradicts reports whether two policies say of one place, at one time, that a title must not be there and that it
// may or must. An exception contradicts another exception alone.
func (p *Policy) contradicts(o *Policy) bool {
	return p.Product == o.Product && p.Category == o.Category && p.Publisher == o.Publisher &&
		p.GroupName == o.GroupName && p.Exception == o.Exception &&
		(p.Stance == Restricted) != (o.Stance == Restricted) &&
		p.Hours.Always() == o.Hours.Always() && p.Hours.overlaps(o.Hours)
}

// Contradicted finds the policy that another one contradicts, or nil. One under the same number is the other one as it
// was.
func Contradicted(policies []Policy, p *Policy) *Policy {
	for i := range policies {
		if o := &policies[i]; (o.ID != p.ID || p.ID == 0) && o.contradicts(p) {
			return o
		}
	}
	return nil
}

// Title is what policy looks at in a title.
type Title struct {
	Product   int64
	Category  string
	Publisher string // cleaned
}

// specific ranks a policy: product before category before publisher, a group before all devices.
func (p *Policy) specific() int {
	n := 0
	switch {
	case p.Product != 0:
		n = 6
	case p.Category != "":
		n = 4
	case p.Publisher != "":
		n = 2
	}
	if p.GroupName != "" {
		n++
	}
	return n
}

// SpeaksOf reports whether a policy speaks of a title, on whatever device.
func (p *Policy) SpeaksOf(t Title) bool {
	return (p.Product != 0 || p.Category != "" || p.Publisher != "") &&
		(p.Product == 0 || p.Product == t.Product) && (p.Category == "" || p.Category == t.Category) &&
		(p.Publisher == "" || p.Publisher == t.Publisher)
}

var strictness = map[Stance]int{
	Restricted:  2,
	Required:    1,
	Allowed:     0,
	NotMetered:  1,
	Metered:     0,
	NotProposed: 1,
	Proposed:    0,
}

// Decide returns the policy that holds for a title on a device, or nil where none speaks of it. The most specific
// wins; among equals an exception, then the stricter, then the older. Hours are not looked at: Fit does.
func Decide(policies []Policy, t Title, f condition.Facts) *Policy {
	for _, p := range Ranked(policies, t, f) {
		if p.Hours.Always() {
			return p
		}
	}
	return nil
}
