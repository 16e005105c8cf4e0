package snapshot

import (
	"strings"

	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

// Scope is what a stance, a rule for reclaim or a choice of metering speaks of: a title, or all of a publisher or a
// category, on the devices of a group. Without a group it is all devices.
type Scope struct {
	Product                    int64
	Publisher, Category, Group string
}

// Policy makes of a scope, a stance and a reason what is asked for each device. One that speaks of nothing is refused.
func (s Scope) Policy(tx *sqlite.Tx, stance policy.Stance, reason string) (policy.Policy, error) {
	p := policy.Policy{
		Product:   s.Product,
		Publisher: recognise.CleanPublisher(s.Publisher),
		Category:  s.Category,
		GroupName: s.Group,
		Stance:    stance,
		Reason:    reason,
	}
	if s.Product == 0 && s.Publisher == "" && s.Category == "" {
		return p, refuse.New("say what it is about: a title, a category or a publisher")
	}
	var err error
	if s.Group != "" {
		p.Group, err = GroupByName(tx, s.Group)
	}
	return p, err
}

// ScopeOf is what a stance, a rule or a choice speaks of; publisher is its name as it was written.
func ScopeOf(p *policy.Policy, publisher string) Scope {
	return Scope{Product: p.Product, Publisher: publisher, Category: p.Category, Group: p.GroupName}
}

// ScopeWords says in words what a stance, a rule or a choice speaks of; publisher is its name as it was written.
func ScopeWords(c *recognise.Catalogue, p *policy.Policy, publisher string) (what, group string) {
	what = strings.TrimSpace(publisher + " " + p.Category)
	if p.Category != "" && publisher == "" {
		what = "category " + p.Category
	}
	if pr := c.Product(p.Product); pr != nil {
		what = pr.Publisher + " " + pr.Name
	}
	return what, GroupWords(p)
}

// GroupWords names the devices that it speaks of.
func GroupWords(p *policy.Policy) string {
	if p.GroupName == "" {
		return "all devices"
	}
	return p.GroupName
}
