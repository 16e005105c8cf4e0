package evidence

import (
	"context"
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
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// changesOf works out the changes between scans of one device.
func changesOf(tx *sqlite.Tx, device int64) ([]evidencedb.LoggedChange, error) {
	seen, first, err := evidencedb.SeenOn(tx, device)
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
		out = append(out, evidencedb.LoggedChange{Device: device, Change: c})
	}
	return out, nil
}

// changeWords are the record's names that rules on changes look at.
type changeWords struct{ publisher, name string }

// quietRules finds the rule that calls a change noise.
type quietRules struct {
	rules   []evidencedb.ChangeRule
	members map[string]map[int64]bool
	words   map[int64]changeWords
}

func loadRules(tx *sqlite.Tx) (*quietRules, error) {
	q := &quietRules{members: map[string]map[int64]bool{}, words: map[int64]changeWords{}}
	var err error
	if q.rules, err = evidencedb.ChangeRules(tx); err != nil || len(q.rules) == 0 {
		return q, err
	}
	return q, q.load(tx)
}

// load reads what the rules look at.
func (q *quietRules) load(tx *sqlite.Tx) error {
	for _, r := range q.rules {
		if r.Group == "" || q.members[r.Group] != nil {
			continue
		}
		var err error
		if q.members[r.Group], err = devicesOfGroup(tx, r.Group); err != nil {
			return err
		}
	}
	records, err := snapshot.AllRecords(tx, false)
	if err != nil {
		return err
	}
	for _, r := range records {
		q.words[r.ID] = changeWords{strings.ToLower(r.Publisher), strings.ToLower(r.Name)}
	}
	return nil
}

// devicesOfGroup lists who is in a group by its name, made by people or there by itself.
func devicesOfGroup(tx *sqlite.Tx, name string) (map[int64]bool, error) {
	cond, err := snapshot.GroupByName(tx, name)
	if err != nil {
		return map[int64]bool{}, nil // a group that is gone has nobody in it
	}
	if cond.Field != "group" {
		return evidencedb.DevicesWhere(tx, cond)
	}
	groups, err := snapshot.DeviceGroups(tx)
	if err != nil {
		return nil, err
	}
	for _, g := range groups {
		if g.Name == name {
			return evidencedb.MembersOf(tx, g.ID)
		}
	}
	return map[int64]bool{}, nil
}

func (q *quietRules) fits(r *evidencedb.ChangeRule, c *evidencedb.LoggedChange) bool {
	if len(r.Kinds) > 0 && !slices.Contains(r.Kinds, string(c.Kind)) {
		return false
	}
	w := q.words[c.Record]
	if c.Kind == evidence.Hardware {
		w = changeWords{"", strings.ReplaceAll(c.Key, "_", " ")}
	}
	if r.Name != "" && !condition.Like(w.name, strings.ToLower(r.Name)) {
		return false
	}
	if r.Publisher != "" && !condition.Like(w.publisher, strings.ToLower(r.Publisher)) {
		return false
	}
	return r.Group == "" || q.members[r.Group][c.Device]
}

func (q *quietRules) quiet(c *evidencedb.LoggedChange) int64 {
	for i := range q.rules {
		if r := &q.rules[i]; r.What == "quiet" && q.fits(r, c) {
			return r.ID
		}
	}
	return 0
}

// LogChanges works out the changes of devices anew, in the transaction that stores them.
func LogChanges(tx *sqlite.Tx, devices []int64) error {
	if len(devices) == 0 {
		return nil
	}
	rules, err := loadRules(tx)
	if err != nil {
		return err
	}
	var all []evidencedb.LoggedChange
	for _, d := range devices {
		list, err := changesOf(tx, d)
		if err != nil {
			return err
		}
		for i := range list {
			list[i].Quiet = rules.quiet(&list[i])
		}
		all = append(all, list...)
	}
	return evidencedb.PutChanges(tx, devices, all)
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
		_, list, err := touches(
			tx,
			evidencedb.ChangeRule{
				ID:        d.ID,
				What:      d.What,
				Kinds:     d.Kinds,
				Name:      d.Name,
				Publisher: d.Publisher,
				Group:     d.Group,
			},
		)
		touched = len(list)
		return err
	})
	return touched, err
}

// touches lists the changes on record that a rule speaks of and no other rule has quietened.
func touches(tx *sqlite.Tx, r evidencedb.ChangeRule) (*quietRules, []evidencedb.StoredChange, error) {
	q := &quietRules{
		rules:   []evidencedb.ChangeRule{r},
		members: map[string]map[int64]bool{},
		words:   map[int64]changeWords{},
	}
	if err := q.load(tx); err != nil {
		return nil, nil, err
	}
	all, err := evidencedb.StoredChanges(tx)
	if err != nil {
		return nil, nil, err
	}
	return q, slices.DeleteFunc(all, func(c evidencedb.StoredChange) bool {
		return c.Quiet != 0 && c.Quiet != r.ID || !q.fits(&r, &c.LoggedChange)
	}), nil
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
		_, list, err := touches(tx, r)
		if err != nil {
			return err
		}
		touched = len(list)
		if r.ID, err = evidencedb.PutChangeRule(tx, r); err != nil {
			return err
		}
		if d.What == "mail" { // what is on record already is nobody's news
			for i := range list {
				if _, err := evidencedb.Mailed(tx, r.ID, &list[i].LoggedChange); err != nil {
					return err
				}
			}
		}
		if d.What == "quiet" {
			ids := make([]int64, 0, len(list))
			for _, c := range list {
				ids = append(ids, c.ID)
			}
			if err := evidencedb.SetQuiet(tx, r.ID, ids); err != nil {
				return err
			}
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
	all, err := evidencedb.StoredChanges(tx)
	if err != nil {
		return err
	}
	by := map[int64][]int64{}
	for i := range all {
		if all[i].Quiet == id {
			rule := rules.quiet(&all[i].LoggedChange)
			by[rule] = append(by[rule], all[i].ID)
		}
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
			_, list, err := touches(tx, *r)
			if err != nil {
				return err
			}
			out = append(
				out,
				ChangeRuleView{
					changeRuleDraft(r, revisions[sqlite.Itoa(r.ID)]),
					ruleWords(r),
					len(list),
					r.Author,
					r.At,
				},
			)
		}
		return nil
	})
	return out, err
}
