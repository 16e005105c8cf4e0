package worklist

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/condition"
	"ensomet/internal/core/policy"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"
)

// PolicyList is the policies in force, the groups and categories that one may name.
type PolicyList struct {
	Policies   []PolicyView
	Groups     []string
	Categories []string
}

// PolicyView is a policy in words.
type PolicyView struct {
	ID     int64
	Says   PolicyDraft // as somebody would set it who changes nothing
	What   string
	Group  string
	Stance string
	Hours  string // when it holds; empty is always
	Reason string
	Owner  string // who answers for an exception
	Until  string // its last day
	Over   bool   // its last day is past
	Author string
	At     int64
}

// PolicyDraft is a stance to be set. With an owner and a last day it is an exception.
type PolicyDraft struct {
	ID        int64 // 0 is a new one
	Revision  int64 // that was seen; a save on an older one is refused
	Product   int64
	Publisher string
	Category  string
	Group     string
	Stance    string // allowed, restricted, required
	Days      string // such as mon-fri or sat|sun; empty is every day
	From      string // such as 08:00
	To        string
	Reason    string
	Owner     string
	Until     string
}

// policyView puts a policy in words. revisions are those of all that were changed.
func (svc *Service) policyView(
	tx *sqlite.Tx,
	p *stored.Policy,
	revisions map[string]int64,
) (PolicyView, error) {
	v := PolicyView{
		ID:     p.ID,
		Says:   draftOfPolicy(p),
		Stance: string(p.Stance),
		Hours:  p.Hours.String(),
		Reason: p.Reason,
		Owner:  p.Owner,
		Until:  p.Until.String(),
		Author: p.Author,
		At:     p.At,
		Over:   p.Until.Known() && p.Until < svc.Snapshots.Today(),
	}
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return v, err
	}
	v.What, v.Group = snapshot.ScopeWords(c, &p.Policy, p.PublisherName)
	v.Says.Revision = revisions[sqlite.Itoa(p.ID)]
	return v, nil
}

func draftOfPolicy(p *stored.Policy) PolicyDraft {
	s := snapshot.ScopeOf(&p.Policy, p.PublisherName)
	days, from, to := p.Hours.Texts()
	return PolicyDraft{
		ID:        p.ID,
		Product:   s.Product,
		Publisher: s.Publisher,
		Category:  s.Category,
		Group:     s.Group,
		Stance:    string(p.Stance),
		Days:      days,
		From:      from,
		To:        to,
		Reason:    p.Reason,
		Owner:     p.Owner,
		Until:     p.Until.String(),
	}
}

// policyFields are what a person changes of a stance.
type policyFields struct{ Scope, Stance, Days, From, To, Reason, Owner, Until string }

func (svc *Service) policyFields(tx *sqlite.Tx, p *stored.Policy) (*policyFields, error) {
	scope, err := svc.scopeWords(tx, &p.Policy, p.PublisherName)
	d := draftOfPolicy(p)
	return &policyFields{scope, d.Stance, d.Days, d.From, d.To, d.Reason, d.Owner, d.Until}, err
}

// scopeWords says in one line what a stance or a rule speaks of.
func (svc *Service) scopeWords(tx *sqlite.Tx, p *policy.Policy, publisher string) (string, error) {
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return "", err
	}
	what, group := snapshot.ScopeWords(c, p, publisher)
	return what + " on " + group, nil
}

// policyNow reads a policy in force as people change it.
func (svc *Service) policyNow(tx *sqlite.Tx, id int64) (*policyFields, error) {
	list, err := stored.Policies(tx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(list, func(p stored.Policy) bool { return p.ID == id })
	if i < 0 {
		return nil, sqlite.ErrNotFound
	}
	return svc.policyFields(tx, &list[i])
}

// Policies lists the policies in force, and exceptions that are over.
func (svc *Service) Policies(ctx context.Context) (PolicyList, error) {
	out := PolicyList{Policies: []PolicyView{}, Groups: []string{}, Categories: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := stored.Policies(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Stance)
		if err != nil {
			return err
		}
		for i := range list {
			v, err := svc.policyView(tx, &list[i], revisions)
			if err != nil {
				return err
			}
			out.Policies = append(out.Policies, v)
		}
		if out.Groups, err = snapshot.GroupNames(tx); err != nil {
			return err
		}
		categories, err := worklistdb.Categories(tx)
		if categories != nil {
			out.Categories = categories
		}
		return err
	})
	return out, err
}

// policyOf checks a draft.
func (svc *Service) policyOf(tx *sqlite.Tx, d PolicyDraft, who string) (stored.Policy, error) {
	p := stored.Policy{
		PublisherName: d.Publisher,
		Owner:         d.Owner,
		Author:        who,
		At:            svc.Clock.Now().Unix(),
	}
	scope := snapshot.Scope{Product: d.Product, Publisher: d.Publisher, Category: d.Category, Group: d.Group}
	var err error
	if p.Policy, err = scope.Policy(tx, policy.Stance(d.Stance), d.Reason); err != nil {
		return p, err
	}
	p.ID = d.ID
	if p.Hours, err = policy.ParseHours(d.Days, d.From, d.To); err != nil {
		return p, err
	}
	if p.Stance == policy.Required && !p.Hours.Always() {
		return p, refuse.New("a title is required always or not at all: leave the hours empty")
	}
	if p.Until, err = civil.Parse(d.Until); err != nil {
		return p, err
	}
	switch {
	case p.Until.Known() && p.Until < svc.Snapshots.Today():
		return p, refuse.New("its last day is past")
	case p.Until.Known() && strings.TrimSpace(d.Owner) == "":
		return p, refuse.New("say who answers for the exception")
	}
	p.Exception = p.Until.Known()
	if err := known(tx, d.Owner); err != nil {
		return p, err
	}
	return p, svc.contradiction(tx, &p)
}

// known refuses an owner of whom nobody has heard.
func known(tx *sqlite.Tx, owner string) error {
	if owner = strings.TrimSpace(owner); owner == "" {
		return nil
	}
	is, err := snapshot.KnownPerson(tx, owner)
	if err == nil && !is {
		err = refuse.Errorf("nobody here is called %q: name somebody of the directory, by name, mail or number, or "+
			"who has "+
			"an account here", owner)
	}
	return err
}

// contradiction refuses a stance that contradicts one that is in force at the same place, and names both.
func (svc *Service) contradiction(tx *sqlite.Tx, p *stored.Policy) error {
	list, err := snapshot.PoliciesInForce(tx, svc.Snapshots.Today())
	if err != nil {
		return err
	}
	o := policy.Contradicted(list, &p.Policy)
	if o == nil {
		return nil
	}
	place, err := svc.scopeWords(tx, &p.Policy, p.PublisherName)
	if err != nil {
		return err
	}
	words := func(p *policy.Policy) string {
		if h := p.Hours.String(); h != "" {
			return string(p.Stance) + " " + h
		}
		return string(p.Stance)
	}
	return refuse.Errorf("%s cannot be %s: it is %s there (stance %d). Change that one, or make this an exception "+
		"with an "+
		"owner and a last day", place, words(&p.Policy), words(o), o.ID)
}

// SetPolicy sets a stance, or changes one.
func (svc *Service) SetPolicy(ctx context.Context, d PolicyDraft, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		p, err := svc.policyOf(tx, d, who)
		if err != nil {
			return err
		}
		touched, err := stanceScopes(tx, d.ID)
		if err != nil {
			return err
		}
		if d.ID != 0 {
			was, err := svc.policyNow(tx, d.ID)
			if err != nil {
				return err
			}
			is, err := svc.policyFields(tx, &p)
			if err != nil {
				return err
			}
			if _, err := edits.Save(tx, edits.Change{
				Thing: edits.Of(edits.Stance, d.ID),
				Seen:  d.Revision,
				Who:   who,
				At:    svc.Clock.Now(),
				Was:   was,
				Is:    is,
			}); err != nil {
				return err
			}
		}
		c, err := worklistdb.PutPolicy(tx, p)
		if err != nil {
			return err
		}
		if c == sqlite.Same {
			return refuse.New("that is in force already")
		}
		if err := tx.Note(svc.Clock.Now(), who, "set a stance", d.Stance,
			fmt.Sprint(d.Product, d.Publisher, d.Category, " ", d.Group)); err != nil {
			return err
		}
		return svc.markScopes(tx, append(touched, &p.Policy)...)
	})
}

// EndPolicy takes a policy out of force.
func (svc *Service) EndPolicy(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		was, err := svc.policyNow(tx, id)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.Stance, id),
			Seen:  revision,
			Who:   who,
			At:    now,
			Was:   was,
		}); err != nil {
			return err
		}
		touched, err := stanceScopes(tx, id)
		if err != nil {
			return err
		}
		if err := worklistdb.EndPolicy(tx, id, now.Unix(), who); err != nil {
			return err
		}
		if err := tx.Note(now, who, "ended a policy", fmt.Sprint(id), ""); err != nil {
			return err
		}
		return svc.markScopes(tx, touched...)
	})
}

// stanceScopes is what a stance in force speaks of before it changes; 0 is a new one.
func stanceScopes(tx *sqlite.Tx, id int64) ([]*policy.Policy, error) {
	if id == 0 {
		return nil, nil
	}
	list, err := stored.Policies(tx)
	for i := range list {
		if list[i].ID == id {
			return []*policy.Policy{&list[i].Policy}, err
		}
	}
	return nil, err
}

// markScopes marks the products that stances or rules speak of, which decide what is found of these. A title that is
// required is missing on devices that have nothing of it, so that everything is looked at where one is among them.
func (svc *Service) markScopes(tx *sqlite.Tx, scopes ...*policy.Policy) error {
	c, err := svc.Snapshots.Catalogue(tx)
	if err != nil {
		return err
	}
	products, few := snapshot.ProductsOfScopes(c, scopes...)
	list, err := stored.Policies(tx)
	if err != nil {
		return err
	}
	for i := range list {
		scopes = append(scopes, &list[i].Policy)
	}
	for _, p := range scopes {
		if few && p.Stance == policy.Required {
			few = !slices.ContainsFunc(products, func(id int64) bool {
				return p.SpeaksOf(snapshot.PolicyTitle(c.Product(id)))
			})
		}
	}
	if !few {
		return renewal.Mark(tx, false)
	}
	return renewal.MarkProducts(tx, products...)
}

// PolicyEffect says what findings a stance would bring and end.
type PolicyEffect struct {
	Comes   int // findings that it brings
	Goes    int // findings that it ends
	Samples []string
}

// PreviewPolicy works out what a stance would change in the findings, or what ending one would. Nothing is stored.
func (svc *Service) PreviewPolicy(ctx context.Context, d PolicyDraft, end int64) (PolicyEffect, error) {
	out := PolicyEffect{Samples: []string{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		now, err := snapshot.PoliciesInForce(tx, svc.Snapshots.Today())
		if err != nil {
			return err
		}
		var then []policy.Policy
		for _, p := range now {
			if p.ID != end && p.ID != d.ID {
				then = append(then, p)
			}
		}
		if end == 0 {
			p, err := svc.policyOf(tx, d, "")
			if err != nil {
				return err
			}
			p.ID = 1 << 60
			then = append(then, p.Policy)
		}
		before, _, err := svc.policyFindings(tx, now)
		if err != nil {
			return err
		}
		after, e, err := svc.policyFindings(tx, then)
		if err != nil {
			return err
		}
		words := map[string]string{
			"restricted": "must not be on",
			"hours":      "was used in restricted hours on",
			"missing":    "is missing on",
		}
		say := func(sign string) func(f *finding) {
			return func(f *finding) {
				product := e.Products[f.product].Product.Name
				out.Samples = append(out.Samples,
					fmt.Sprintf("%s %s %s %s", sign, product, words[string(f.kind)], aboutWords(e, f)))
			}
		}
		out.Comes, out.Goes = without(after, before, 6, say("+")), without(before, after, 6, say("−"))
		return nil
	})
	return out, err
}

// policyFindings works out what some policies find.
func (svc *Service) policyFindings(
	tx *sqlite.Tx,
	policies []policy.Policy,
) (map[caseKey]*finding, *snapshot.Snapshot, error) {
	e, err := svc.Snapshots.LoadUnder(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), policies)
	if err != nil {
		return nil, nil, err
	}
	d := &Findings{Positions: snapshot.NewPositions(e)}
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
func (svc *Service) explainStance(
	tx *sqlite.Tx,
	s *snapshot.Settings,
	t policy.Title,
	dev *snapshot.DeviceFacts,
) (StanceView, error) {
	out := StanceView{Policies: []PolicyView{}}
	list, err := stored.Policies(tx)
	if err != nil {
		return out, err
	}
	kept := map[int64]*stored.Policy{}
	for i := range list {
		kept[list[i].ID] = &list[i]
	}
	policies, err := snapshot.PoliciesInForce(tx, svc.Snapshots.Today())
	if err != nil {
		return out, err
	}
	var conditions []condition.Condition
	for i := range policies {
		conditions = append(conditions, policies[i].Group)
	}
	c, err := snapshot.LoadConditions(tx, s, svc.Clock.Now().Unix(), conditions)
	if err != nil {
		return out, err
	}
	revisions, err := edits.Revisions(tx, edits.Stance)
	if err != nil {
		return out, err
	}
	facts := c.Of(dev)
	for _, p := range policy.Ranked(policies, t, facts) {
		v, err := svc.policyView(tx, kept[p.ID], revisions)
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
			out.Why = "It is the most specific: a title goes before its category, a category before its publisher, a " +
				"group before all devices; among equals an exception goes first, then the stricter."
		}
	}
	return out, nil
}
