package program

import (
	"context"
	"fmt"
	"os"
	"strconv"
	"testing"
	"time"

	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/formats"
	"ensomet/internal/machines"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
)

// everyKind changes something of any sort: what changing does, and besides what people decide about names, titles,
// groups, devices and sources, scans that come late or twice, and days that turn.
func (c *changing) everyKind(n int) string {
	t, prog, r := c.t, c.prog, c.r
	ctx := context.Background()
	device := fmt.Sprintf("D%d", r.IntN(20))
	product := mustProduct(t, prog, c.products[r.IntN(6)])
	switch r.IntN(34) {
	case 30, 31:
		return c.stance(product)
	case 32:
		return c.reclaim(product)
	case 33:
		groups := textsOf(t, prog, "SELECT name FROM device_group ORDER BY id")
		if len(groups) == 0 {
			return ""
		}
		g := groups[r.IntN(len(groups))]
		id, err := strconv.ParseInt(textsOf(t, prog, "SELECT id FROM device_group WHERE name = ?", g)[0], 10, 64)
		if err != nil {
			t.Fatal(err)
		}
		if _, err := prog.Evidence.SaveGroup(ctx, evidence.GroupDraft{
			ID:        id,
			Revision:  seen(t, prog, edits.Group, id),
			Name:      g,
			Condition: asks("unit", "is", []string{"A", "B", "C"}[r.IntN(3)]),
		}, "test"); err != nil {
			t.Fatal(err)
		}
		return "a group that is another"
	case 0:
		var keys []string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			keys, err = sqlite.Select[string](tx, "SELECT key FROM name_fact ORDER BY key")
			return err
		}); err != nil || len(keys) == 0 {
			return ""
		}
		d := titles.NameDecision{Keys: keys[r.IntN(len(keys)):][:1], Product: []int64{0, product}[r.IntN(2)]}
		if _, err := prog.Titles.Decide(ctx, d, "test"); err != nil {
			return ""
		}
		return "a decision"
	case 1:
		if _, err := prog.Titles.Undo(ctx, "test"); err != nil {
			return ""
		}
		return "a decision taken back"
	case 2:
		rule := titles.RuleDraft{Name: fmt.Sprint("rule ", n), Outcome: []string{"title", "leave_out"}[r.IntN(2)],
			Records: asks("name", "like", c.products[r.IntN(6)]+"*"), Product: product, Reason: "tried"}
		if rule.Outcome == "leave_out" {
			rule.Devices = asks("name", "is", device)
		}
		if _, err := prog.Titles.PutRule(ctx, rule, "test"); err != nil {
			return ""
		}
		return "a rule"
	case 3:
		condition := asks("title", "on", strconv.FormatInt(product, 10))
		if r.IntN(2) == 0 {
			condition = asks("unit", "is", "A")
		}
		if _, err := prog.Evidence.SaveGroup(ctx, evidence.GroupDraft{Name: fmt.Sprint("group ", n),
			Condition: condition}, "test"); err != nil {
			return ""
		}
		return "a group"
	case 4:
		take(t, prog, formats.Policies, "publisher,product,group,stance,reason", fmt.Sprintf("Ostwick,%s,,%s,test",
			c.products[r.IntN(6)], []string{"restricted", "allowed", "required"}[r.IntN(3)]))
		return "a policy"
	case 5:
		take(t, prog, formats.Titles, changingTitles, c.title(r.IntN(6), 50+r.IntN(300)))
		return "a title"
	case 6:
		c.clock.now = c.clock.now.Add(24 * time.Hour)
		return "a day"
	case 7:
		s := scanOf(device, "", c.seen.Add(-time.Duration(r.IntN(9000))*time.Hour), "Gannet 6.1")
		s.Installs[0].Publisher = "Ostwick"
		for range 1 + r.IntN(2) { // doubled, too
			if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
				t.Fatal(err)
			}
		}
		return "a late scan"
	case 8:
		d := byhand.Draft{Devices: []string{device}, Field: "status", Reason: "seen",
			Value: []string{"in_service", "in_store", "retired"}[r.IntN(3)]}
		if r.IntN(2) == 0 {
			d.Field, d.Value = "org_unit", []string{"A", "C"}[r.IntN(2)]
		}
		e, err := prog.ByHand.Preview(ctx, d)
		if err != nil {
			return ""
		}
		d.Revisions = e.Revisions
		if _, err := prog.ByHand.Say(ctx, d, "test"); err != nil {
			t.Fatal(err)
		}
		return "a device put right"
	case 9:
		views, err := prog.Sources.Sources(ctx)
		if err != nil || len(views) == 0 {
			return ""
		}
		d := views[r.IntN(len(views))].SourceDraft
		if d.RetiredOn, d.Reason = "", ""; r.IntN(2) == 0 {
			d.RetiredOn, d.Reason = prog.Snapshots.Today().String(), "test"
		}
		if err := prog.Sources.Save(ctx, d, "test"); err != nil {
			return ""
		}
		return "a source"
	case 10:
		return c.joinOrPart()
	case 11:
		s := scanOf(fmt.Sprintf("N%d", r.IntN(9)), "", c.seen.Add(time.Minute), "Skerrymap 6.1", "Kelpline 7.0")
		c.seen = s.At
		if _, err := prog.Evidence.TakeScan(ctx, "collector", "id", s); err != nil {
			t.Fatal(err)
		}
		return "a machine that is new"
	}
	return c.change(n)
}

// scope is what a stance or a rule speaks of: a title, a publisher or a category, of all devices or of a group.
func (c *changing) scope(product int64) (id int64, publisher, category, group string) {
	switch c.r.IntN(4) {
	case 0:
		publisher = "Ostwick"
	case 1:
		category = "utility"
	default:
		id = product
	}
	groups := append(textsOf(c.t, c.prog, "SELECT name FROM device_group ORDER BY id"), "A", "client", "")
	return id, publisher, category, groups[c.r.IntN(len(groups))]
}

// stance sets a stance, changes one, or ends one.
func (c *changing) stance(product int64) string {
	ctx, r := c.t.Context(), c.r
	d := worklist.PolicyDraft{Stance: []string{"restricted", "allowed", "required", "restricted"}[r.IntN(4)],
		Reason: "tried"}
	d.Product, d.Publisher, d.Category, d.Group = c.scope(product)
	if d.Stance != "required" && r.IntN(3) == 0 {
		d.Days, d.From, d.To = "mon-fri", "08:00", "18:00"
	}
	list, err := c.prog.Worklist.Policies(ctx)
	if err != nil {
		c.t.Fatal(err)
	}
	what := "a stance"
	if n := len(list.Policies); n > 0 && r.IntN(2) == 0 {
		d.ID = list.Policies[r.IntN(n)].ID
		d.Revision = seen(c.t, c.prog, edits.Stance, d.ID)
		what = "a stance that is another"
		if r.IntN(2) == 0 {
			if err := c.prog.Worklist.EndPolicy(ctx, d.ID, d.Revision, "test"); err != nil {
				c.t.Fatal(err)
			}
			return "a stance that ends"
		}
	}
	if err := c.prog.Worklist.SetPolicy(ctx, d, "test"); err != nil {
		return ""
	}
	return what
}

// reclaim sets when licences are proposed for reclaim, or ends that.
func (c *changing) reclaim(product int64) string {
	ctx, r := c.t.Context(), c.r
	list, err := c.prog.Worklist.ReclaimRules(ctx)
	if err != nil {
		c.t.Fatal(err)
	}
	if last := list[len(list)-1]; last.ID != 0 && r.IntN(2) == 0 {
		if err := c.prog.Worklist.EndReclaimRule(ctx, last.ID, seen(c.t, c.prog, edits.Reclaim, last.ID),
			"test"); err != nil {
			c.t.Fatal(err)
		}
		return "a reclaim rule that ends"
	}
	d := worklist.ReclaimDraft{Propose: r.IntN(2) == 0, Window: []int{20, 90}[r.IntN(2)], Grace: 5, Least: 0.5,
		PoolShare: 0.5, Note: "tried"}
	d.Product, d.Publisher, d.Category, d.Group = c.scope(product)
	if err := c.prog.Worklist.PutReclaimRule(ctx, d, "test"); err != nil {
		return ""
	}
	return "a reclaim rule"
}

// joinOrPart joins two devices, or takes that back.
func (c *changing) joinOrPart() string {
	if len(c.acts) > 0 && c.r.IntN(2) == 0 {
		act := c.acts[len(c.acts)-1]
		c.acts = c.acts[:len(c.acts)-1]
		takeBack(c.t, c.prog, act)
		return "devices that come apart"
	}
	act := int64(0)
	roomDoes(c.t, c.prog, func(room *machines.Room, tx *sqlite.Tx) (bool, error) {
		var ids []int64
		for range 2 {
			if id, err := snapshot.FindDevice(tx, fmt.Sprintf("D%d", c.r.IntN(20))); err == nil {
				ids = append(ids, id)
			}
		}
		if len(ids) < 2 || ids[0] == ids[1] {
			return false, nil
		}
		var err error
		act, _, err = room.Join(tx, ids, machines.Who{Name: "ada", Reason: "the same label", At: 1})
		return true, err
	})
	if act == 0 {
		return ""
	}
	c.acts = append(c.acts, act)
	return "devices that are one"
}

// Renewing what each change touches, of every kind and in any order, gives what renewing everything from the start
// gives: every figure and every list, field by field. ENSOMET_CHANGES says how many changes, and
// ENSOMET_SEED which.
func TestRenewingWhatIsTouchedEqualsRenewingEverything(t *testing.T) {
	ctx := context.Background()
	changes, seed := 300, uint64(17)
	if n, err := strconv.Atoi(os.Getenv("ENSOMET_CHANGES")); err == nil {
		changes = n
	}
	if n, err := strconv.ParseUint(os.Getenv("ENSOMET_SEED"), 10, 64); err == nil {
		seed = n
	}
	c := newChanging(t, seed)
	kinds := map[string]int{}
	last := ""
	for n := range changes {
		what := c.everyKind(n)
		if what == "" {
			continue
		}
		last = what
		kinds[what]++
		if err := c.prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatalf("change %d, %s: %v", n, what, err)
		}
		if n%10 == 9 {
			sameDerived(t, c.prog, fmt.Sprintf("change %d, %s", n, last))
		}
	}
	for _, what := range []string{"a decision", "a rule", "a group", "a policy", "a title", "a day", "a late scan",
		"a device put right", "a source", "devices that are one", "a machine that is new", "a stance",
		"a stance that is another", "a stance that ends", "a reclaim rule", "a reclaim rule that ends",
		"a group that is another", "rights", "seats", "a scan",
		"use"} {
		if kinds[what] == 0 {
			t.Errorf("nothing of the sort %q happened: %v", what, kinds)
		}
	}
}

// Evidence becomes stale at its own second, without anything having changed: the next renewal counts such devices anew,
// once. In a zone behind UTC the second of the figures lies before the clock's for hours of each day.
func TestEvidenceBecomesStaleByItself(t *testing.T) {
	for _, zone := range []string{"UTC", "Pacific/Honolulu", "Pacific/Auckland"} {
		ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
		defer cancel()
		prog, clock := desk(t)
		base(t, prog)
		rules, err := prog.Evidence.Rules(ctx)
		if err != nil {
			t.Fatal(err)
		}
		rules.Zone = &zone
		if err := prog.Evidence.SetRules(ctx, rules, "me"); err != nil {
			t.Fatal(err)
		}
		take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6,,,2026-05-31T01:00:00Z",
			"D2,Ostwick,Skerrymap,6,,,2026-06-20T09:00:00Z")
		clock.now = time.Date(2026, 6, 30, 0, 30, 0, 0, time.UTC) // its thirty days end in half an hour
		renew(t, prog)
		for range 6 { // over a day, changing something each time so that figures are renewed
			clock.now = clock.now.Add(4 * time.Hour)
			take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
				fmt.Sprintf("E1,Ostwick,Skerrymap,device,%d", clock.now.Hour()+1))
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatalf("%s, %s: %v", zone, clock.now, err)
			}
			sameDerived(t, prog, fmt.Sprint(zone, " ", clock.now))
		}
		if age := textsOf(t, prog, "SELECT age FROM device_fact WHERE device_id = (SELECT id FROM device "+
			"WHERE code = ?)", "D1"); age[0] != "stale" {
			t.Errorf("in %s it is %s", zone, age[0])
		}
	}
}

// What changes while everything is computed anew in pieces goes first and is not written over: after each pass every
// list and figure is what computing them from nothing gives.
func TestChangesWhileEverythingIsComputedAnew(t *testing.T) {
	for seed := range uint64(6) {
		c := newChanging(t, 70+seed)
		ctx, prog := t.Context(), c.prog
		if _, err := prog.Titles.PutRule(ctx, titles.RuleDraft{Name: "clients", Outcome: "leave_out",
			Records: asks("name", "like", "*"), Devices: asks("kind", "is", "client"), Reason: "tried"},
			"test"); err != nil {
			t.Fatal(err)
		}
		for n := range 40 {
			c.everyKind(n)
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		prog.Pipeline.Pieces.Devices, prog.Pipeline.Pieces.Installs = 3, 4
		prog.Pipeline.Pieces.Newer = seed%3 > 0
		n, most := 0, 60
		prog.Pipeline.Pieces.Before = func() {
			for i := 0; i < 4 && n < most; i++ {
				n++
				c.everyKind(1000 + n)
			}
		}
		for round := range 3 {
			n = 0
			if round == 1 { // every device is of another age
				c.clock.now = c.clock.now.Add(50 * 24 * time.Hour)
			} else { // many devices count otherwise
				change := titles.RuleChange{ID: 1, Revision: seen(t, prog, edits.NameRule, 1), Change: "off"}
				if round > 0 {
					change.Change = "on"
				}
				if err := prog.Titles.ChangeRule(ctx, change, "test"); err != nil {
					t.Fatal(err)
				}
			}
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			if n < 10 {
				t.Fatalf("only %d changes came meanwhile", n)
			}
			n = most
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			sameDerived(t, prog, fmt.Sprintf("seed %d, round %d", seed, round))
		}
	}
}
