package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/core/recognise"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
)

func asks(field, op, value string) condition.Condition {
	return condition.Condition{All: []condition.Condition{{Field: field, Op: op, Value: value}}}
}

// A rule shows what it touches before it is made, decides at once and for later imports, and says when it decides
// nothing. A rule that leaves out needs a reason.
func TestRules(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	seen := clock.now.Add(-time.Hour).Format(time.RFC3339)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerry Field Build 6,6.1,,,"+seen,
		"D2,Ostwick,Skerry Field Build 6,6.1,,,"+seen,
		"D3,Ostwick,Skerrymap,6,,,"+seen,
	)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"E1,Ostwick,Skerrymap,device,3",
	)
	skerry := mustProduct(t, prog, "Skerrymap")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Fatalf("%d needed at the start", f.Needed)
	}
	rule := titles.RuleDraft{
		Name:    "builds of our own",
		Outcome: "title",
		Records: asks("name", "like", "skerry field*"),
		Product: skerry,
	}
	e, err := prog.Titles.PreviewRule(ctx, rule, "me")
	if err != nil || e.Installs != 2 || e.Records != 1 || len(e.Moves) != 1 || e.Moves[0].NeededAfter != 3 {
		t.Fatalf("preview %+v, %v", e, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Fatal("the preview changed something")
	}
	if e, err = prog.Titles.PutRule(ctx, rule, "me"); err != nil || e.Moves[0].After != 0 {
		t.Fatalf("%+v, %v", e, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 3 {
		t.Errorf("%d needed with the rule", f.Needed)
	}
	take(t, prog, formats.Devices, "device_id,kind,environment", "D4,client,test")
	take(t, prog, formats.Installs, installHeader, "D4,Ostwick,Skerry Field Notes 7,7,,,"+seen)
	if f := figure(t, prog, "Skerrymap"); f.Needed != 4 || f.Short != 1 {
		t.Errorf("needed %d, short %d after the next import", f.Needed, f.Short)
	}
	left := titles.RuleDraft{
		Name:    "the bench",
		Outcome: "leave_out",
		Records: asks("title", "has", fmt.Sprint(skerry)),
		Devices: asks("environment", "is", "test"),
	}
	if _, err := prog.Titles.PreviewRule(ctx, left, "me"); err == nil || !strings.Contains(err.Error(), "auditor") {
		t.Errorf("left out without a reason: %v", err)
	}
	left.Reason = "not in production"
	if e, err = prog.Titles.PutRule(ctx, left, "me"); err != nil || e.Installs != 1 || e.Moves[0].After != 0 {
		t.Fatalf("%+v, %v", e, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 3 || f.Short != 0 {
		t.Errorf("needed %d, short %d with the bench left out", f.Needed, f.Short)
	}
	for _, r := range exported(t, prog, "installs", "") {
		want := map[bool]string{true: "left out: not in production"}[r["device_id"] == "D4"]
		if r["why_not_counted"] != want {
			t.Errorf("%s: %q", r["device_id"], r["why_not_counted"])
		}
	}
	d, err := prog.Evidence.Device(ctx, "D4")
	if err != nil || d.Software[0].WhyNot != "left out: not in production" {
		t.Errorf("%+v, %v", d.Software, err)
	}
	if _, err := prog.Titles.PutRule(ctx,
		titles.RuleDraft{Name: "too late", Outcome: "nothing", Records: asks("name", "like", "*field notes*")},
		"me"); err != nil {
		t.Fatal(err)
	}
	all, err := prog.Titles.NameRules(ctx)
	list := all.Rules
	if err != nil || len(list) != 3 || list[0].Decides != 2 || list[0].Dead != "" || list[2].Dead == "" ||
		len(list[2].Conflict) != 1 ||
		list[2].Conflict[0].Records != 1 {
		t.Fatalf("%+v, %v", list, err)
	}
	if err := prog.Titles.ChangeRule(ctx,
		titles.RuleChange{Change: "order", Revision: all.OrderRevision,
			Order: []int64{list[2].ID, list[0].ID, list[1].ID}}, "me"); err != nil {
		t.Fatal(err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 3 || f.Counted == false {
		t.Errorf("needed %d after another order", f.Needed)
	}
	if all, err = prog.Titles.NameRules(ctx); err != nil || all.Rules[0].Name != "too late" ||
		all.Rules[0].Decides != 1 {
		t.Errorf("%+v, %v", all, err)
	}
	list = all.Rules
	if err := prog.Titles.ChangeRule(ctx, titles.RuleChange{ID: list[1].ID, Change: "off"}, "me"); err != nil {
		t.Fatal(err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Errorf("%d needed without the rule", f.Needed)
	}
	for _, bad := range []titles.RuleDraft{
		{Name: "", Outcome: "nothing", Records: asks("name", "is", "x")}, {Name: "x", Outcome: "nothing"},
		{Name: "x", Outcome: "title", Records: asks("name", "is", "x")},
		{Name: "x", Outcome: "title", Product: 999, Records: asks("name", "is", "x")},
		{Name: "x", Outcome: "nothing", Records: asks("cores", "is", "2")},
		{Name: "x", Outcome: "nothing", Records: asks("name", "is", "x"), From: "2026-05-01", Until: "2026-04-01"},
		{Name: "x", Outcome: "nothing", Records: asks("name", "is", "x"), From: "soon"},
	} {
		if _, err := prog.Titles.PutRule(ctx, bad, "me"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
}

// A rule holds from its first day until before its last, without anybody doing anything.
func TestARuleIsDated(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Odd Thing,1,,,"+clock.now.Add(-time.Hour).Format(time.RFC3339),
	)
	if _, err := prog.Titles.PutRule(ctx,
		titles.RuleDraft{Name: "for July", Outcome: "title", Product: mustProduct(t, prog, "Skerrymap"),
			Records: asks("name", "is", "Odd Thing"), From: "2026-07-01", Until: "2026-07-03"}, "me"); err != nil {
		t.Fatal(err)
	}
	for day, want := range []int64{0, 1, 1, 0} {
		if f := figure(t, prog, "Skerrymap"); f.Needed != want {
			t.Errorf("day %d: %d needed, want %d", day, f.Needed, want)
		}
		clock.now = clock.now.AddDate(0, 0, 1)
	}
}

// What needs a second person waits, and nothing moves; nobody signs his own; undoing takes back the newest thing of
// one's own.
func TestSigningOffAndUndoing(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Odd Thing,1,,,"+clock.now.Add(-time.Hour).Format(time.RFC3339),
		"D2,Ostwick,Skerrymap,6,,,"+clock.now.Add(-time.Hour).Format(time.RFC3339),
	)
	skerry := mustProduct(t, prog, "Skerrymap")
	needs := func(want int64) {
		t.Helper()
		if f := figure(t, prog, "Skerrymap"); f.Needed != want {
			t.Errorf("%d needed, want %d", f.Needed, want)
		}
	}
	needs(1)
	if err := prog.Titles.SetNaming(ctx, titles.NamingSettings{SignOff: []string{"title", "rule", "leave_out"}},
		"boss"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Titles.SetNaming(ctx, titles.NamingSettings{SignOff: []string{"everything"}}, "boss"); err == nil {
		t.Error("a kind that there is not")
	}
	key := "ostwick|odd thing"
	e, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{key}, Product: skerry}, "me")
	if err != nil || !e.Waits || len(e.Moves) != 0 {
		t.Fatalf("%+v, %v", e, err)
	}
	if _, err := prog.Titles.PutRule(ctx,
		titles.RuleDraft{Name: "r", Outcome: "nothing", Records: asks("name", "is", "Skerrymap")}, "me"); err != nil {
		t.Fatal(err)
	}
	if e, err := prog.Titles.Exclude(ctx,
		titles.ExclusionDraft{Devices: []string{"D2"}, Product: skerry, Reason: "museum"},
		"me"); err != nil ||
		!e.Waits {
		t.Fatalf("%+v, %v", e, err)
	}
	needs(1)
	list, err := prog.Titles.Unsigned(ctx)
	if err != nil || len(list) != 3 {
		t.Fatalf("%+v, %v", list, err)
	}
	for _, u := range list {
		if err := prog.Titles.Sign(ctx, u.Kind, u.ID, u.Revision, true, "me"); err == nil {
			t.Errorf("%s: signed by the one who decided", u.Kind)
		}
	}
	for _, u := range list {
		if err := prog.Titles.Sign(ctx, u.Kind, u.ID, u.Revision, u.Kind != "rule", "you"); err != nil {
			t.Error(err)
		}
	}
	needs(1) // one more by the decision, one less by leaving out; the rule was refused
	if list, err = prog.Titles.Unsigned(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v, %v", list, err)
	}
	if q, err := prog.Titles.Queue(ctx, "me"); err != nil || q.Undo == nil || q.Undo.What != "left 1 installs out" {
		t.Errorf("%+v, %v", q, err)
	}
	if u, err := prog.Titles.Undo(ctx, "me"); err != nil || u.What != "left 1 installs out" {
		t.Errorf("%+v, %v", u, err)
	}
	needs(2)
	if _, err := prog.Titles.Undo(ctx, "me"); err != nil {
		t.Error(err)
	}
	needs(1)
	if _, err := prog.Titles.Undo(ctx, "you"); err == nil {
		t.Error("somebody undid what is not his own")
	}
	if err := prog.Titles.SetNaming(ctx, titles.NamingSettings{SignOff: []string{}, Revision: 1}, "boss"); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Titles.SetAside(ctx, []string{key}, nil, 3, "me"); err != nil {
		t.Fatal(err)
	}
	state := func() string {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var page sqlite.Page[lists.NameRow]
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			page, err = lists.NameList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"name": "Odd Thing"}})
			return err
		}); err != nil || len(page.Rows) != 1 {
			t.Fatal(page, err)
		}
		return page.Rows[0].State
	}
	if s := state(); s != "later" {
		t.Error(s)
	}
	clock.now = clock.now.AddDate(0, 0, 3)
	if s := state(); s != "unrecognised" {
		t.Errorf("after its day it is %s", s)
	}
	if _, err := prog.Titles.Exclude(ctx, titles.ExclusionDraft{Devices: []string{"D2"}, Product: skerry, Reason: " "},
		"me"); err == nil {
		t.Error("left out without a reason")
	}
	if _, err := prog.Titles.Exclude(ctx,
		titles.ExclusionDraft{Devices: []string{"D2", "D99"}, Product: skerry, Reason: "museum"}, "me"); err == nil {
		t.Error("left out on a device that there is not")
	}
	needs(1) // nothing of it was kept
	// names that differ in little are shown together, and one decision serves them all
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D3,Ostwick Ltd,Odd-Thing Professional,2,,,"+clock.now.Format(time.RFC3339),
		"D3,OSTWICK,OddThing for Windows,2,,,"+clock.now.Format(time.RFC3339),
		"D3,Other,Odd Thing,2,,,"+clock.now.Format(time.RFC3339),
	)
	needs(1)
	v, err := prog.Titles.Name(ctx, key)
	if err != nil || len(v.Similar) != 2 {
		t.Fatalf("similar: %+v, %v", v.Similar, err)
	}
	if e, err := prog.Titles.Decide(ctx,
		titles.NameDecision{Keys: []string{key, v.Similar[0].Key, v.Similar[1].Key}, Product: skerry},
		"me"); err != nil ||
		e.Names != 3 ||
		e.Installs != 3 {
		t.Errorf("%+v, %v", e, err)
	}
	needs(3)
}

// A suite that is known by its parts is there, and folds them, once the last part that is needed arrives; it needs a
// right then, and its parts none.
func TestASuiteFoldsWhenItsLastPartArrives(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,licence_model,list_price,currency",
		"Ostwick,Writer,commercial,90,EUR",
		"Ostwick,Table,commercial,80,EUR",
	)
	at := func(hours int) string {
		return clock.now.Add(time.Duration(hours-10) * time.Hour).Format(time.RFC3339)
	}
	product := func(n string) int64 { return mustProduct(t, prog, n) }
	if _, err := prog.Catalogue.PutSuite(ctx,
		titles.SuiteDraft{Product: product("Suite"), Need: 3,
			Parts: []recognise.SuitePart{{Product: product("Part")}, {Product: product("Writer")},
				{Product: product("Table")}}}, "me"); err != nil {
		t.Fatal(err)
	}
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Part,1,,,"+at(1), "D1,Ostwick,Writer,1,,,"+at(1))
	for name, want := range map[string]int64{"Part": 1, "Writer": 1, "Suite": 0} {
		if f := figure(t, prog, name); f.Needed != want {
			t.Errorf("%s with two of three parts: %d needed, want %d", name, f.Needed, want)
		}
	}
	d, err := prog.Evidence.Device(ctx, "D1")
	if err != nil || !strings.Contains(d.Software[0].Suites, "2 of its 3 parts are, of which 3 are needed") {
		t.Errorf("%+v, %v", d.Software, err)
	}
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Part,1,,,"+at(2),
		"D1,Ostwick,Writer,1,,,"+at(2),
		"D1,Ostwick,Table,1,,,"+at(2),
	)
	for name, want := range map[string]int64{"Part": 0, "Writer": 0, "Table": 0, "Suite": 1} {
		if f := figure(t, prog, name); f.Needed != want {
			t.Errorf("%s with all its parts: %d needed, want %d", name, f.Needed, want)
		}
	}
	if d, err = prog.Evidence.Device(ctx, "D1"); err != nil ||
		!strings.HasPrefix(d.Software[0].WhyNot, "part of Suite") {
		t.Errorf("%+v, %v", d.Software, err)
	}
	if pos, err := prog.Position.ProductPosition(ctx, product("Suite"), 0, 0); err != nil ||
		pos.Metrics[0].Needed != 1 {
		t.Errorf("opened: %+v, %v", pos, err)
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
	for _, bad := range []titles.SuiteDraft{{Product: 999, Parts: []recognise.SuitePart{{Product: 1}}},
		{Product: product("Suite"), Need: 2, Parts: []recognise.SuitePart{{Product: product("Part")}}},
		{Product: product("Suite"), Parts: []recognise.SuitePart{{Product: product("Suite")}}}} {
		if _, err := prog.Catalogue.PutSuite(ctx, bad, "me"); err == nil {
			t.Errorf("%+v is taken", bad)
		}
	}
}

// Over a year of imports, of titles.csv that renames, adds, splits editions off and brings other names, and of
// decisions, no decision is lost or changed by anything but a person.
func TestNoDecisionIsLostOverAYear(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	r := rand.New(rand.NewPCG(365, 1))
	words := strings.Fields(
		"Oyster Ledger Murrelet Payroll Notch Modeller Viewer Kelp Compiler Sounding Skerrymap Suite Ostwick",
	)
	makers := []string{"Ostwick", "Tarnquist AB", "", "Notch", "Ostwick Foundry Ltd"}
	name := func() string {
		n := words[r.IntN(len(words))] + " " + words[r.IntN(len(words))]
		return n + []string{"", " 3", " 2024", " x64", " Pro", " Update 4"}[r.IntN(6)]
	}
	took := map[int64]string{}  // by the record that a decision was taken on: the product and edition decided
	said := map[string]string{} // by the title: the category that a person gave it
	for month := range 12 {
		var installs, catalogue []string
		for range 25 {
			installs = append(
				installs,
				fmt.Sprintf(
					"D%d,%s,%s,%d.%d,,,%s",
					1+r.IntN(3),
					makers[r.IntN(len(makers))],
					name(),
					r.IntN(9),
					r.IntN(9),
					clock.now.Format(time.RFC3339),
				),
			)
		}
		take(t, prog, formats.Installs, append([]string{installHeader}, installs...)...)
		for range 4 {
			catalogue = append(
				catalogue,
				fmt.Sprintf(
					"%s,%s,%s,%d,commercial,%s",
					[]string{"Ostwick", "Tarnquist AB", "Notch"}[r.IntN(3)],
					words[r.IntN(len(words))]+" "+words[r.IntN(len(words))],
					words[r.IntN(len(words))],
					r.IntN(5),
					name(),
				),
			)
		}
		take(
			t,
			prog,
			formats.Titles,
			append([]string{"publisher,product,edition,version,licence_model,aliases"}, catalogue...)...)
		product := int64(1 + r.IntN(3))
		p, err := prog.Catalogue.Product(ctx, product)
		if err != nil {
			t.Fatal(err)
		}
		l, category := p.Lines[r.IntN(len(p.Lines))], fmt.Sprint("ours ", month)
		if _, err := prog.Catalogue.EditTitle(ctx,
			titles.TitleEdit{Product: product, Title: l.ID, Edition: l.Edition, Version: l.Version,
				Revision: l.Revision, Says: map[string]string{"category": category}}, "me"); err != nil {
			t.Fatal(err)
		}
		said[fmt.Sprint(l.ID)] = category
		newer := []string{"publisher,product,edition,version,category,aliases"}
		for _, q := range []string{"Skerrymap,,6", "Suite,,", "Part,,"} {
			newer = append(newer, fmt.Sprintf("Ostwick,%s,of the file %d,%s", q, month, name()))
		}
		if _, err := prog.Catalogue.TakeUpdate(ctx, titles.UpdateTaking{Update: update(t, prog, newer...), All: true},
			"me"); err != nil {
			t.Fatal(err)
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var open []lists.NameRow
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.NameList().Page(tx,
				sqlite.ListQuery{Filters: map[string]string{"state": "unrecognised"}, Limit: 5})
			open = page.Rows
			return err
		}); err != nil {
			t.Fatal(err)
		}
		for _, row := range open {
			product := int64(r.IntN(4))
			if _, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{row.Key}, Product: product},
				"me"); err != nil {
				t.Fatal(err)
			}
			view, err := prog.Titles.Name(ctx, row.Key)
			if err != nil {
				t.Fatal(err)
			}
			for _, rec := range view.Records {
				took[rec.ID] = fmt.Sprint(product)
			}
		}
		clock.now = clock.now.AddDate(0, 1, 0)
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := stored.Recognitions(tx)
			for _, n := range list {
				want, decided := took[n.Record]
				if decided && (n.Step != recognise.ByDecision || fmt.Sprint(n.Product) != want) {
					t.Errorf("month %d: record %d was decided to be %s, and is %d by %q", month, n.Record, want,
						n.Product, n.Step)
				}
			}
			if err != nil {
				return err
			}
			known, err := titlesdb.KnownTitles(tx, 0)
			for _, k := range known {
				if want := said[fmt.Sprint(k.ID)]; want != "" && k.Says["category"] != want {
					t.Errorf("month %d: %s was said to be %q, and is %q", month, k.Key, want, k.Says["category"])
				}
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	if len(took) < 30 {
		t.Errorf("only %d records were decided", len(took))
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		all, err := sqlite.Query(tx, snapshot.ScanDecided, snapshot.DecisionColumns+" ORDER BY id")
		if slices.ContainsFunc(all, func(d snapshot.Decided) bool { return d.State != "holds" }) {
			t.Errorf("decisions %+v", all)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
}

// A rule that a second person signs off counts from then on, and is refused by nobody twice.
func TestSignedRulesCount(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z")
	if err := prog.Titles.SetNaming(ctx, titles.NamingSettings{SignOff: []string{"rule"}}, "boss"); err != nil {
		t.Fatal(err)
	}
	e, err := prog.Titles.PutRule(ctx,
		titles.RuleDraft{Name: "museum", Outcome: "nothing", Records: asks("name", "is", "Skerrymap")}, "me")
	if err != nil || !e.Waits {
		t.Fatalf("%+v, %v", e, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Errorf("a rule that waits counts: %+v", f)
	}
	waits, err := prog.Titles.Unsigned(ctx)
	if err != nil || len(waits) != 1 || waits[0].Kind != "rule" || waits[0].Author != "me" {
		t.Fatalf("%+v, %v", waits, err)
	}
	if err := prog.Titles.Sign(ctx, "rule", waits[0].ID, waits[0].Revision, true, "you"); err != nil {
		t.Fatal(err)
	}
	if ids, err := prog.Position.FindProducts(ctx, "Skerrymap"); err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Errorf("a rule that was signed off does not count: %+v", f)
	}
	if err := prog.Titles.Sign(ctx, "rule", waits[0].ID, waits[0].Revision, false, "you"); !errors.Is(err,
		sqlite.ErrNotFound) {
		t.Errorf("signed, and refused after all: %v", err)
	}
}
