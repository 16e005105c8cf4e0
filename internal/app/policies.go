package app

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// PolicyList is the policies in force, the groups and categories that one may name.
type PolicyList struct {
	Policies   []PolicyView `json:"policies"`
	Groups     []string     `json:"groups"`
	Categories []string     `json:"categories"`
}

// PolicyView is a policy in words.
type PolicyView struct {
	ID     int64  `json:"id"`
	What   string `json:"what"`
	Group  string `json:"group"`
	Stance string `json:"stance"`
	Hours  string `json:"hours" doc:"when it holds; empty is always"`
	Reason string `json:"reason"`
	Owner  string `json:"owner" doc:"who answers for an exception"`
	Until  string `json:"until" doc:"its last day"`
	Over   bool   `json:"over" doc:"its last day is past"`
	Author string `json:"author"`
	At     int64  `json:"at"`
}

// PolicyDraft is a stance to be set. With an owner and a last day it is an exception.
type PolicyDraft struct {
	Product   int64  `json:"product,omitempty"`
	Publisher string `json:"publisher,omitempty"`
	Category  string `json:"category,omitempty"`
	Group     string `json:"group,omitempty"`
	Stance    string `json:"stance" enum:"allowed,restricted,required"`
	Days      string `json:"days,omitempty" doc:"such as mon-fri or sat|sun; empty is every day"`
	From      string `json:"from,omitempty" doc:"such as 08:00"`
	To        string `json:"to,omitempty"`
	Reason    string `json:"reason" minLength:"1"`
	Owner     string `json:"owner,omitempty"`
	Until     string `json:"until,omitempty"`
}

// policiesInForce reads the policies that hold on a day.
func policiesInForce(tx *store.Tx, a *App) ([]policy.Policy, error) {
	list, err := tx.Policies()
	var out []policy.Policy
	for _, p := range list {
		if !p.Until.Known() || p.Until >= a.Today() {
			out = append(out, p.Policy)
		}
	}
	return out, err
}

func (a *App) policyView(tx *store.Tx, p *store.StoredPolicy) (PolicyView, error) {
	v := PolicyView{ID: p.ID, Stance: string(p.Stance), Hours: p.Hours.String(), Reason: p.Reason, Owner: p.Owner, Until: p.Until.String(), Author: p.Author, At: p.At, Over: p.Until.Known() && p.Until < a.Today()}
	var err error
	v.What, v.Group, err = a.scopeWords(tx, &p.Policy, p.PublisherName)
	return v, err
}

// Policies lists the policies in force, and exceptions that are over.
func (a *App) Policies(ctx context.Context) (PolicyList, error) {
	out := PolicyList{Policies: []PolicyView{}, Groups: []string{}, Categories: []string{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		list, err := tx.Policies()
		if err != nil {
			return err
		}
		for i := range list {
			v, err := a.policyView(tx, &list[i])
			if err != nil {
				return err
			}
			out.Policies = append(out.Policies, v)
		}
		if out.Groups, err = groupNames(tx); err != nil {
			return err
		}
		categories, err := tx.Categories()
		if categories != nil {
			out.Categories = categories
		}
		return err
	})
	return out, err
}

// policyOf checks a draft.
func (a *App) policyOf(tx *store.Tx, d PolicyDraft, who string) (store.StoredPolicy, error) {
	p := store.StoredPolicy{Policy: policy.Policy{Product: d.Product, Category: d.Category, GroupName: d.Group, Stance: policy.Stance(d.Stance), Reason: d.Reason}, PublisherName: d.Publisher, Owner: d.Owner, Author: who, At: a.Clock.Now().Unix()}
	if d.Product == 0 && d.Publisher == "" && d.Category == "" {
		return p, errors.New("say what it is about: a title, a category or a publisher")
	}
	p.Publisher = recognise.CleanPublisher(d.Publisher)
	var err error
	if p.Hours, err = policy.ParseHours(d.Days, d.From, d.To); err != nil {
		return p, err
	}
	if p.Stance == policy.Required && !p.Hours.Always() {
		return p, errors.New("a title is required always or not at all: leave the hours empty")
	}
	if p.Until, err = civil.Parse(d.Until); err != nil {
		return p, err
	}
	switch {
	case p.Until.Known() && p.Until < a.Today():
		return p, errors.New("its last day is past")
	case p.Until.Known() && strings.TrimSpace(d.Owner) == "":
		return p, errors.New("say who answers for the exception")
	}
	if d.Group != "" {
		p.Group, err = groupByName(tx, d.Group)
	}
	return p, err
}

// SetPolicy sets a stance.
func (a *App) SetPolicy(ctx context.Context, d PolicyDraft, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		p, err := a.policyOf(tx, d, who)
		if err != nil {
			return err
		}
		c, err := tx.PutPolicy(p)
		if err != nil {
			return err
		}
		if c == store.Same {
			return errors.New("that is in force already")
		}
		if err := tx.Note(a.Clock.Now(), who, "set a stance", d.Stance, fmt.Sprint(d.Product, d.Publisher, d.Category, " ", d.Group)); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// EndPolicy takes a policy out of force.
func (a *App) EndPolicy(ctx context.Context, id int64, who string) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		now := a.Clock.Now()
		if err := tx.EndPolicy(id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "ended a policy", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return markDirty(tx, false)
	})
}

// PolicyEffect says what findings a stance would bring and end.
type PolicyEffect struct {
	Comes   int      `json:"comes" doc:"findings that it brings"`
	Goes    int      `json:"goes" doc:"findings that it ends"`
	Samples []string `json:"samples"`
}

// PreviewPolicy works out what a stance would change in the findings, or what ending one would. Nothing is stored.
func (a *App) PreviewPolicy(ctx context.Context, d PolicyDraft, end int64) (PolicyEffect, error) {
	out := PolicyEffect{Samples: []string{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		now, err := policiesInForce(tx, a)
		if err != nil {
			return err
		}
		var then []policy.Policy
		for _, p := range now {
			if p.ID != end {
				then = append(then, p)
			}
		}
		if end == 0 {
			p, err := a.policyOf(tx, d, "")
			if err != nil {
				return err
			}
			p.ID = 1 << 60
			then = append(then, p.Policy)
		}
		before, _, err := a.policyFindings(tx, now)
		if err != nil {
			return err
		}
		after, e, err := a.policyFindings(tx, then)
		if err != nil {
			return err
		}
		words := map[string]string{"restricted": "must not be on", "hours": "was used in restricted hours on", "missing": "is missing on"}
		differ := func(one, other map[caseKey]*finding, sign string) int {
			n := 0
			for _, f := range e.inOrder(one) {
				if other[f.key()] == nil {
					if n++; n <= 6 {
						out.Samples = append(out.Samples, fmt.Sprintf("%s %s %s %s", sign, e.products[f.product].product.Name, words[string(f.kind)], e.aboutWords(f)))
					}
				}
			}
			return n
		}
		out.Comes, out.Goes = differ(after, before, "+"), differ(before, after, "−")
		return nil
	})
	return out, err
}

// policyFindings works out what some policies find.
func (a *App) policyFindings(tx *store.Tx, policies []policy.Policy) (map[caseKey]*finding, *estate, error) {
	e, err := a.loadEstateBy(tx, a.Today(), a.Clock.Now().Unix(), policies)
	if err != nil {
		return nil, nil, err
	}
	d := &findings{computed: newComputed(e)}
	if _, err := d.findRestricted(tx); err != nil {
		return nil, nil, err
	}
	if err := errors.Join(d.findHours(tx), d.findMissing(tx)); err != nil {
		return nil, nil, err
	}
	out := map[caseKey]*finding{}
	for i := range d.found {
		out[d.found[i].key()] = &d.found[i]
	}
	return out, e, nil
}

// explainStance lists all that speaks of a title on a device, and says why the first holds.
func (a *App) explainStance(tx *store.Tx, s *Settings, t policy.Title, dev *store.DeviceFacts) (StanceView, error) {
	out := StanceView{Policies: []PolicyView{}}
	list, err := tx.Policies()
	if err != nil {
		return out, err
	}
	stored := map[int64]*store.StoredPolicy{}
	for i := range list {
		stored[list[i].ID] = &list[i]
	}
	policies, err := policiesInForce(tx, a)
	if err != nil {
		return out, err
	}
	var conditions []condition.Condition
	for i := range policies {
		conditions = append(conditions, policies[i].Group)
	}
	c, err := loadConditions(tx, s, a.Clock.Now().Unix(), conditions)
	if err != nil {
		return out, err
	}
	facts := c.of(dev)
	for _, p := range policy.Ranked(policies, t, facts) {
		v, err := a.policyView(tx, stored[p.ID])
		if err != nil {
			return out, err
		}
		out.Policies = append(out.Policies, v)
	}
	w := policy.Fit(policies, t, facts)
	out.Hours = w.HasHours()
	if p := w.Presence(); p != nil {
		out.Stance = string(p.Stance)
		switch {
		case len(out.Policies) == 1:
			out.Why = "It is the only one that speaks of it here."
		case !p.Hours.Always():
			out.Why = "It is allowed at some hours, so it may be there; use at other hours is a finding."
		default:
			out.Why = "It is the most specific: a title goes before its category, a category before its publisher, a group before all devices; among equals the stricter goes first."
		}
	}
	return out, nil
}
