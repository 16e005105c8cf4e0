// Package policy decides which stance holds for a title on a device.
package policy

import (
	"cmp"
	"slices"

	"ensomet/internal/core/condition"
)

// Stance is what policy says of a title on a group.
type Stance string

// The stances.
const (
	Allowed    Stance = "allowed"
	Restricted Stance = "restricted"
	Required   Stance = "required"
)

// Policy is one rule. It speaks of one product, or of a category, or of a publisher (what it does not speak of is 0 or empty), on the devices of a group.
type Policy struct {
	ID        int64
	Product   int64
	Category  string
	Publisher string // cleaned
	GroupName string
	Group     condition.Condition
	Stance    Stance
	Reason    string
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

func (p *Policy) speaksOf(t Title) bool {
	return (p.Product != 0 || p.Category != "" || p.Publisher != "") &&
		(p.Product == 0 || p.Product == t.Product) && (p.Category == "" || p.Category == t.Category) && (p.Publisher == "" || p.Publisher == t.Publisher)
}

var strictness = map[Stance]int{Restricted: 2, Required: 1, Allowed: 0}

// Decide returns the policy that holds for a title on a device, or nil where none speaks of it. The most specific wins; among equals the stricter, then
// the older.
func Decide(policies []Policy, t Title, f condition.Facts) *Policy {
	var fit []*Policy
	for i := range policies {
		if p := &policies[i]; p.speaksOf(t) && p.Group.Holds(f) {
			fit = append(fit, p)
		}
	}
	if len(fit) == 0 {
		return nil
	}
	return slices.MinFunc(fit, func(a, b *Policy) int {
		return cmp.Or(cmp.Compare(b.specific(), a.specific()), cmp.Compare(strictness[b.Stance], strictness[a.Stance]), cmp.Compare(a.ID, b.ID))
	})
}
