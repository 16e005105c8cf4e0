package evidence

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/evidence"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/outbox"
	"ensomet/internal/past"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// changesOf works out the changes between scans of one device from a time on, 0 for all.
func changesOf(tx *sqlite.Tx, device, since int64) ([]evidencedb.LoggedChange, error) {
	seen, first, err := evidencedb.SeenOn(tx, device, since)
	if err != nil {
		return nil, err
	}
	reports, err := evidencedb.FactReports(tx, device)
	if err != nil {
		return nil, err
	}
	var facts []evidence.FactsAt
	for _, r := range reports {
		facts = append(facts, r.FactsAt)
	}
	var out []evidencedb.LoggedChange
	for _, c := range append(evidence.Changes(seen, first), evidence.HardwareChanges(facts)...) {
		if c.At >= since {
			out = append(out, evidencedb.LoggedChange{Device: device, Change: c})
		}
	}
	return out, nil
}

// changeWords are the record's names that rules on changes look at.
type changeWords struct{ publisher, name string }

// quietRules finds the rule that calls a change noise. What rules look at is read when it is asked for, and kept.
type quietRules struct {
	tx      *sqlite.Tx
	rules   []evidencedb.ChangeRule
	groups  map[string]condition.Condition
	members map[memberOf]bool
	words   map[int64]changeWords
}

type memberOf struct {
	group  string
	device int64
}

func rulesOf(tx *sqlite.Tx, rules ...evidencedb.ChangeRule) *quietRules {
	return &quietRules{
		tx:      tx,
		rules:   rules,
		groups:  map[string]condition.Condition{},
		members: map[memberOf]bool{},
		words:   map[int64]changeWords{},
	}
}

func loadRules(tx *sqlite.Tx) (*quietRules, error) {
	rules, err := evidencedb.ChangeRules(tx)
	return rulesOf(tx, rules...), err
}

// group is the condition of a group by its name. One that is gone has nobody in it.
func (q *quietRules) group(name string) (c condition.Condition, is bool, err error) {
	c, known := q.groups[name]
	if !known {
		c, err = snapshot.GroupByName(q.tx, name)
		if refuse.Is(err) {
			err = nil
		}
		q.groups[name] = c
	}
	return c, c.Field != "", err
}

func (q *quietRules) in(group string, device int64) (bool, error) {
	key := memberOf{group, device}
	if in, known := q.members[key]; known {
		return in, nil
	}
	c, is, err := q.group(group)
	if err != nil || !is {
		return false, err
	}
	in, err := evidencedb.InGroup(q.tx, device, c)
	q.members[key] = in
	return in, err
}

// wordsOf are the names that rules look at of a change.
func (q *quietRules) wordsOf(c *evidencedb.LoggedChange) (changeWords, error) {
	if c.Kind == evidence.Hardware {
		return changeWords{"", strings.ReplaceAll(c.Key, "_", " ")}, nil
	}
	if w, known := q.words[c.Record]; known {
		return w, nil
	}
	publisher, name, err := evidencedb.NamesOfRecord(q.tx, c.Record)
	w := changeWords{strings.ToLower(publisher), strings.ToLower(name)}
	q.words[c.Record] = w
	return w, err
}

func (q *quietRules) fits(r *evidencedb.ChangeRule, c *evidencedb.LoggedChange) (bool, error) {
	if len(r.Kinds) > 0 && !slices.Contains(r.Kinds, string(c.Kind)) {
		return false, nil
	}
	if r.Name != "" || r.Publisher != "" {
		w, err := q.wordsOf(c)
		if err != nil {
			return false, err
		}
		if r.Name != "" && !condition.Like(w.name, strings.ToLower(r.Name)) {
			return false, nil
		}
		if r.Publisher != "" && !condition.Like(w.publisher, strings.ToLower(r.Publisher)) {
			return false, nil
		}
	}
	if r.Group == "" {
		return true, nil
	}
	return q.in(r.Group, c.Device)
}

// quiet is the rule that calls a change noise, 0 where none does.
func (q *quietRules) quiet(c *evidencedb.LoggedChange) (int64, error) {
	for i := range q.rules {
		r := &q.rules[i]
		if r.What != "quiet" {
			continue
		}
		if fits, err := q.fits(r, c); fits || err != nil {
			return r.ID, err
		}
	}
	return 0, nil
}

// LogChanges works out the changes of devices anew, in the transaction that stores them.
func LogChanges(tx *sqlite.Tx, devices []renewal.Dirty) error {
	if len(devices) == 0 {
		return nil
	}
	rules, err := loadRules(tx)
	if err != nil {
		return err
	}
	kept, err := past.From(tx)
	if err != nil {
		return err
	}
	for _, d := range devices {
		d.Since = max(d.Since, kept) // those before went
		list, err := changesOf(tx, d.Device, d.Since)
		if err != nil {
			return err
		}
		for i := range list {
			if list[i].Quiet, err = rules.quiet(&list[i]); err != nil {
				return err
			}
		}
		if err := evidencedb.PutChanges(tx, d.Device, d.Since, list); err != nil {
			return err
		}
	}
	return nil
}

// ChangeRuleDraft quietens changes that are noise, or sends those that matter by mail.
type ChangeRuleDraft struct {
	ID        int64    // 0 is a new one
	Revision  int64    // that was seen; a save on an older one is refused
	What      string   // quiet, mail
	Kinds     []string // installed, removed, upgraded, hardware; none is all
	Name      string   // a pattern with * and ?; empty is all
	Publisher string
	Group     string
	Address   string // where mail goes
}

// ChangeRuleView is a rule in force.
type ChangeRuleView struct {
	ChangeRuleDraft
	Words   string
	Touches int
	Author  string
	At      int64
}

func (d *ChangeRuleDraft) check() error {
	switch d.What {
	case "quiet":
		if len(d.Kinds) == 0 && d.Name == "" && d.Publisher == "" && d.Group == "" {
			return refuse.New("say which changes are noise: all of them cannot be")
		}
		d.Address = ""
	case "mail":
		if d.Address = strings.TrimSpace(d.Address); !outbox.Reachable(d.Address) {
			return outbox.CheckAddress(d.Address)
		}
	default:
		return refuse.Errorf("changes are quietened or sent by mail, not %q", d.What)
	}
	for _, k := range d.Kinds {
		if !slices.Contains([]string{"installed", "removed", "upgraded", "hardware"}, k) {
			return refuse.Errorf("%q is no kind of change", k)
		}
	}
	return nil
}

func ruleWords(r *evidencedb.ChangeRule) string {
	out := "all changes"
	if len(r.Kinds) > 0 {
		out = strings.Join(r.Kinds, ", ")
	}
	if r.Name != "" {
		out += " of " + r.Name
	}
	if r.Publisher != "" {
		out += " by " + r.Publisher
	}
	if r.Group != "" {
		out += " on " + r.Group
	}
	if r.What == "mail" {
		out += " to " + r.Address
	}
	return out
}

// PreviewChangeRule counts the changes on record that a rule would touch.
func (svc *Service) PreviewChangeRule(ctx context.Context, d ChangeRuleDraft) (touched int, err error) {
	if d.What == "mail" && d.Address == "" {
		d.Address = "nobody@example.org" // the count does not depend on who gets it
	}
	if err := d.check(); err != nil {
		return 0, err
	}
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		touched, err = countTouched(tx, &evidencedb.ChangeRule{
			ID:        d.ID,
			What:      d.What,
			Kinds:     d.Kinds,
			Name:      d.Name,
			Publisher: d.Publisher,
			Group:     d.Group,
		})
		return err
	})
	return touched, err
}

// scopeOf is where the changes stand that a rule speaks of and no other rule has quietened; those whose names do not
// fit are among them. nowhere says that there are none, since its group is gone.
func scopeOf(q *quietRules, r *evidencedb.ChangeRule) (s evidencedb.ChangeScope, nowhere bool, err error) {
	s = evidencedb.ChangeScope{Kinds: r.Kinds, Quiet: []int64{0, r.ID}}
	if r.Group != "" {
		var is bool
		s.Group, is, err = q.group(r.Group)
		nowhere = !is
	}
	return s, nowhere, err
}

// touches calls fn with the changes on record that a rule speaks of and no other rule has quietened; news says of those
// alone that rules for mail have not looked at.
func touches(tx *sqlite.Tx, r *evidencedb.ChangeRule, news bool, fn func(c *evidencedb.StoredChange) error) error {
	q := rulesOf(tx, *r)
	scope, nowhere, err := scopeOf(q, r)
	if err != nil || nowhere {
		return err
	}
	scope.News = news
	named := evidencedb.ChangeRule{Name: r.Name, Publisher: r.Publisher}
	return evidencedb.EachChange(tx, scope, func(c *evidencedb.StoredChange) error {
		if fits, err := q.fits(&named, &c.LoggedChange); err != nil || !fits {
			return err
		}
		return fn(c)
	})
}

// countTouched counts the changes on record that a rule speaks of and no other rule has quietened.
func countTouched(tx *sqlite.Tx, r *evidencedb.ChangeRule) (n int, err error) {
	if r.Name != "" || r.Publisher != "" {
		err = touches(tx, r, false, func(*evidencedb.StoredChange) error {
			n++
			return nil
		})
		return n, err
	}
	scope, nowhere, err := scopeOf(rulesOf(tx, *r), r)
	if err != nil || nowhere {
		return 0, err
	}
	return evidencedb.CountChanges(tx, scope)
}

// PutChangeRule puts a rule in force, or changes one. Noise goes quiet at once, what is on record too; mail goes out
// for what happens from now on.
func (svc *Service) PutChangeRule(ctx context.Context, d ChangeRuleDraft, who string) (int, error) {
	if err := d.check(); err != nil {
		return 0, err
	}
	touched := 0
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if _, err := snapshot.GroupByName(tx, d.Group); err != nil {
			return err
		}
		now := svc.Clock.Now()
		r := evidencedb.ChangeRule{
			ID:        d.ID,
			What:      d.What,
			Kinds:     d.Kinds,
			Name:      strings.TrimSpace(d.Name),
			Publisher: strings.TrimSpace(d.Publisher),
			Group:     d.Group,
			Address:   d.Address,
			Author:    who,
			At:        now.Unix(),
		}
		if d.ID != 0 {
			if err := keepChangeRule(tx, &r, d.Revision, now); err != nil {
				return err
			}
		}
		var err error
		if r.ID, err = evidencedb.PutChangeRule(tx, r); err != nil {
			return err
		}
		// what is on record already is nobody's news
		if d.What == "mail" {
			touched, err = countTouched(tx, &r)
			if err != nil {
				return err
			}
			err = touches(tx, &r, true, func(c *evidencedb.StoredChange) error {
				_, err := evidencedb.Mailed(tx, r.ID, &c.LoggedChange)
				return err
			})
		} else {
			var ids []int64
			err = touches(tx, &r, false, func(c *evidencedb.StoredChange) error {
				ids = append(ids, c.ID)
				return nil
			})
			touched = len(ids)
			err = errors.Join(err, evidencedb.SetQuiet(tx, r.ID, ids))
		}
		if err != nil {
			return err
		}
		return tx.Note(now, who, "set a rule for changes", ruleWords(&r), "")
	})
	return touched, err
}

// keepChangeRule keeps that a rule changes. What it had quietened speaks again, until it is in force anew.
func keepChangeRule(tx *sqlite.Tx, r *evidencedb.ChangeRule, seen int64, now time.Time) error {
	was, err := changeRuleNow(tx, r.ID)
	if err != nil {
		return err
	}
	is := changeRuleDraft(r, 0)
	if _, err := edits.Save(tx, edits.Change{
		Thing: edits.Of(edits.ChangeRule, r.ID),
		Seen:  seen,
		Who:   r.Author,
		At:    now,
		Was:   was,
		Is:    &is,
	}); err != nil {
		return err
	}
	return speakAgain(tx, r.ID)
}

// changeRuleNow reads a rule in force as people change it.
func changeRuleNow(tx *sqlite.Tx, id int64) (*ChangeRuleDraft, error) {
	rules, err := evidencedb.ChangeRules(tx)
	if err != nil {
		return nil, err
	}
	i := slices.IndexFunc(rules, func(r evidencedb.ChangeRule) bool { return r.ID == id })
	if i < 0 {
		return nil, sqlite.ErrNotFound
	}
	d := changeRuleDraft(&rules[i], 0)
	return &d, nil
}

func changeRuleDraft(r *evidencedb.ChangeRule, revision int64) ChangeRuleDraft {
	return ChangeRuleDraft{r.ID, revision, r.What, r.Kinds, r.Name, r.Publisher, r.Group, r.Address}
}

// EndChangeRule takes a rule out of force. What it had quietened speaks again, unless another rule quietens it.
func (svc *Service) EndChangeRule(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		was, err := changeRuleNow(tx, id)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{
			Thing: edits.Of(edits.ChangeRule, id),
			Seen:  revision,
			Who:   who,
			At:    now,
			Was:   was,
		}); err != nil {
			return err
		}
		if err := evidencedb.EndChangeRule(tx, id, now.Unix()); err != nil {
			return err
		}
		if err := speakAgain(tx, id); err != nil {
			return err
		}
		return tx.Note(now, who, "ended a rule for changes", fmt.Sprint(id), "")
	})
}

// speakAgain lets what a rule had quietened speak again, unless another rule quietens it.
func speakAgain(tx *sqlite.Tx, id int64) error {
	rules, err := loadRules(tx)
	if err != nil {
		return err
	}
	rules.rules = slices.DeleteFunc(rules.rules, func(r evidencedb.ChangeRule) bool { return r.ID == id })
	by := map[int64][]int64{}
	made := evidencedb.ChangeScope{Quiet: []int64{id}}
	if err := evidencedb.EachChange(tx, made, func(c *evidencedb.StoredChange) error {
		rule, err := rules.quiet(&c.LoggedChange)
		by[rule] = append(by[rule], c.ID)
		return err
	}); err != nil {
		return err
	}
	for rule, ids := range by {
		if err := evidencedb.SetQuiet(tx, rule, ids); err != nil {
			return err
		}
	}
	return nil
}

// ChangeRules lists the rules in force, with how many changes on record each touches.
func (svc *Service) ChangeRules(ctx context.Context) ([]ChangeRuleView, error) {
	out := []ChangeRuleView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		rules, err := evidencedb.ChangeRules(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.ChangeRule)
		if err != nil {
			return err
		}
		for i := range rules {
			r := &rules[i]
			n, err := countTouched(tx, r)
			if err != nil {
				return err
			}
			out = append(
				out,
				ChangeRuleView{
					changeRuleDraft(r, revisions[sqlite.Itoa(r.ID)]),
					ruleWords(r),
					n,
					r.Author,
					r.At,
				},
			)
		}
		return nil
	})
	return out, err
}
