package program

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"strings"
	"testing"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/position"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/use/usedb"
)

// exported reads an export back as rows by column.
func exported(t *testing.T, prog *Program, kind string, asOf string) []map[string]string {
	t.Helper()
	var buf bytes.Buffer
	var w formats.Writer
	err := prog.Reports.Export(
		context.Background(),
		kind,
		civil.MustParse(asOf),
		func(columns []string) (err error) {
			w, err = formats.NewWriter(&buf, "csv", columns)
			return err
		},
		func(row []string) error { return w.Write(row) },
	)
	if err == nil {
		err = w.Close()
	}
	if err != nil {
		t.Fatal(err)
	}
	rows, err := csv.NewReader(&buf).ReadAll()
	if err != nil {
		t.Fatal(err)
	}
	var out []map[string]string
	for _, r := range rows[1:] {
		m := map[string]string{}
		for i, c := range rows[0] {
			m[c] = r[i]
		}
		out = append(out, m)
	}
	return out
}

func TestExportSaysWhatCountsAndWhyNot(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Devices, "device_id,status", "D7,in_store")
	take(t, prog, formats.Titles, "publisher,product,licence_model", "Fennick,Derby,free")
	at := ",,,2026-06-29T10:00:00Z"
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Suite,1"+at,
		"D1,Ostwick,Part,1"+at,
		"D2,Ostwick,Part,1"+at,
		"D2,Ostwick,Skerrymap 6 Update 2,6"+at,
		"D2,Fennick,Derby,1"+at,
		"D3,?,What is this,1"+at,
		"D7,Ostwick,Part,1"+at,
	)
	want := map[string]string{
		"D1 Suite": "true  ", "D1 Part": "false Suite part of Suite on this device", "D2 Part": "true  ",
		"D2 Skerrymap 6 Update 2": "false  an update, not the program itself", "D2 Derby": "false  licence model free",
		"D3 What is this": "false  not recognised", "D7 Part": "false  the device is in store",
	}
	rows := exported(t, prog, "installs", "")
	if len(rows) != len(want) {
		t.Fatalf("%d lines", len(rows))
	}
	for _, r := range rows {
		key := r["device_id"] + " " + r["name"]
		if got := strings.Join([]string{r["counted"], r["suite"], r["why_not_counted"]}, " "); got != want[key] {
			t.Errorf("%s: %q, want %q", key, got, want[key])
		}
	}
	d, err := prog.Evidence.Device(context.Background(), "D1")
	if err != nil || len(d.Software) != 2 {
		t.Fatal(d, err)
	}
	for _, s := range d.Software {
		if s.Name == "Part" && s.WhyNot != "part of Suite on this device" {
			t.Errorf("the device's page says %q", s.WhyNot)
		}
	}
}

// The position of a past day is what the scans up to it and the rights on it say.
func TestPositionOnPastDays(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end",
		"E1,Ostwick,Skerrymap,device,2,subscription,2026-02-01,2026-05-31",
		"E2,Ostwick,Skerrymap,device,1,perpetual,2026-04-01,",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6,,,2026-01-10T10:00:00Z",
		"D2,Ostwick,Skerrymap,6,,,2026-03-10T10:00:00Z",
		"D1,x,Other,1,,,2026-06-10T10:00:00Z",
	)
	for day, want := range map[string][3]string{"2026-01-09": {}, "2026-01-15": {"0", "1", "1"},
		"2026-02-15": {"2", "1", "0"}, "2026-03-15": {"2", "2", "0"}, "2026-04-15": {"3", "2", "0"},
		"2026-06-05": {"1", "2", "1"}, "": {"1", "1", "0"}} {
		rows := exported(t, prog, "position", day)
		got := [3]string{}
		for _, r := range rows {
			if r["product"] == "Skerrymap" {
				got = [3]string{r["owned"], r["needed"], r["shortfall"]}
			}
		}
		if got != want {
			if want == [3]string{} && got == [3]string{"0", "0", "0"} {
				continue
			}
			t.Errorf("on %q: owned, needed, short %v, want %v", day, got, want)
		}
	}
}

func TestADecisionHoldsForTheNextImport(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,SKM odd 6.1,6.1,,,2026-06-29T10:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Fatalf("%+v", f)
	}
	id := mustProduct(t, prog, "Skerrymap")
	e, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{"ostwick|skm odd"}, Product: id}, "me")
	if err != nil || e.Installs != 1 || len(e.Moves) != 1 || e.Moves[0].NeededAfter != 1 {
		t.Fatalf("%+v, %v", e, err)
	}
	clock.now = clock.now.AddDate(0, 0, 3)
	take(t, prog, formats.Installs, installHeader, "D2,OSTWICK LTD,SKM® odd 7 (64-bit),7.0,,,2026-07-02T10:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Errorf("a new version of a decided name: %d needed", f.Needed)
	}
	n, err := prog.Titles.Name(ctx, "ostwick|skm odd")
	if err != nil || n.Decision == nil || n.Decision.Author != "me" || len(n.Records) != 2 {
		t.Errorf("%+v, %v", n, err)
	}
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,version,licence_model,list_price,currency",
		"Ostwick,Skerrymap,7,commercial,120,EUR",
	)
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 || f.Exposure != "220" {
		t.Errorf("after the catalogue grew: %+v", f)
	}
	if _, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{"nobody|knows this"}}, "me"); err == nil {
		t.Error("a name that no record has was decided")
	}
}

func mustProduct(t *testing.T, prog *Program, name string) int64 {
	t.Helper()
	ids, err := prog.Position.FindProducts(context.Background(), name)
	if err != nil || len(ids) != 1 {
		t.Fatal(name, ids, err)
	}
	return ids[0]
}

func TestRulesMoveWhatRestsOnThem(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"E1,Ostwick,Skerrymap,device,5",
	)
	// Last used 50 days ago, said by a scan of yesterday; scanned 20 days ago, D2.
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6,2026-05-11,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6,,,2026-06-10T10:00:00Z",
	)
	class := func() string {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var out string
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := usedb.UseList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"device": "D1"}})
			for _, r := range page.Rows {
				out = r.Class
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	for i, c := range []struct {
		rules evidence.Rules
		class string
		low   int64
	}{{evidence.Rules{FreshDays: 30, UseWindow: 90, GraceDays: 30, Limits: nil}, "regular", 2},
		{evidence.Rules{FreshDays: 30, UseWindow: 30, GraceDays: 30, Limits: nil}, "unused", 2},
		{evidence.Rules{FreshDays: 15, UseWindow: 60, GraceDays: 30, Limits: nil}, "regular", 1}} {
		c.rules.Revision = int64(i)
		if err := prog.Evidence.SetRules(ctx, c.rules, "me"); err != nil {
			t.Fatal(err)
		}
		if got := class(); got != c.class {
			t.Errorf("%+v: %s, want %s", c.rules, got, c.class)
		}
		if f := figure(t, prog, "Skerrymap"); f.Low != c.low || f.Needed != 2 {
			t.Errorf("%+v: between %d and %d of %d", c.rules, f.Low, f.High, f.Needed)
		}
	}
}

func TestPolicyListAndItsCases(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
	)
	for _, bad := range []map[string]string{{"product": "Part", "stance": "restricted", "group": "Nowhere"},
		{"product": "Nothing", "stance": "restricted"}, {"stance": "restricted"}} {
		if _, err := prog.Evidence.Book(ctx, "policies", bad, "me"); err == nil {
			t.Errorf("%v was set", bad)
		}
	}
	for _, good := range []map[string]string{{"publisher": "Ostwick", "stance": "restricted", "reason": "all of it"},
		{"product": "Part", "stance": "allowed", "group": "A/B", "reason": "but here"}} {
		if _, err := prog.Evidence.Book(ctx, "policies", good, "me"); err != nil {
			t.Fatal(err)
		}
	}
	open := func() (devices []string) {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.CaseList().Page(tx,
				sqlite.ListQuery{Filters: map[string]string{"state": string(casework.Open),
					"kind": string(casework.RestrictedTitle)}, Sort: "device"})
			for _, c := range page.Rows {
				devices = append(devices, c.Device)
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return devices
	}
	if got := fmt.Sprint(open()); got != "[D1 D3]" {
		t.Errorf("cases on %s", got)
	}
	list, err := prog.Worklist.Policies(ctx)
	if err != nil || len(list.Policies) != 2 || list.Policies[0].Author != "me" ||
		list.Policies[1].What != "Ostwick Part" {
		t.Fatalf("%+v, %v", list, err)
	}
	everywhere := list.Policies[0].Says
	everywhere.Group, everywhere.Reason = "C", "there alone"
	if e, err := prog.Worklist.PreviewPolicy(ctx, everywhere, 0); err != nil || e.Goes+e.Comes == 0 {
		t.Errorf("%+v, %v", e, err)
	}
	if err := prog.Worklist.SetPolicy(ctx, everywhere, "you"); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(open()); got != "[D3]" {
		t.Errorf("on C alone: cases on %s", got)
	}
	if err := prog.Worklist.SetPolicy(ctx, list.Policies[0].Says, "me"); !errors.Is(
		err,
		sqlite.ErrChangedMeanwhile,
	) {
		t.Errorf("over a change that was not seen: %v", err)
	}
	back := list.Policies[0].Says
	back.Revision = 1
	if err := prog.Worklist.SetPolicy(ctx, back, "me"); err != nil {
		t.Fatal(err)
	}
	if list, err = prog.Worklist.Policies(ctx); err != nil || len(list.Policies) != 2 ||
		list.Policies[0].Says.Revision != 2 {
		t.Fatalf("%+v, %v", list, err)
	}
	if err := prog.Worklist.EndPolicy(ctx, list.Policies[1].ID, seen(t, prog, edits.Stance, list.Policies[1].ID),
		"me"); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(open()); got != "[D1 D2 D3]" {
		t.Errorf("without the exception for A/B: cases on %s", got)
	}
	if err := prog.Worklist.EndPolicy(ctx, list.Policies[0].ID, seen(t, prog, edits.Stance, list.Policies[0].ID),
		"me"); err != nil {
		t.Fatal(err)
	}
	if got := fmt.Sprint(open()); got != "[]" {
		t.Errorf("with nothing restricted: cases on %s", got)
	}
}

func TestFindAndTheCourse(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"E1,Ostwick,Skerrymap,device,5",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z",
		"D1,?,Odd,1,,,2026-06-29T10:00:00Z",
	)
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	for text, want := range map[string]string{"Skerry": "title entitlement", "D1": "device", "Dagne": "person",
		"E1": "entitlement", "%": "", "nothing here": ""} {
		hits, err := prog.Reports.Find(ctx, text)
		if err != nil {
			t.Fatal(err)
		}
		var kinds []string
		for _, h := range hits {
			kinds = append(kinds, h.Kind)
		}
		if got := strings.Join(kinds, " "); got != want {
			t.Errorf("%q finds %q, want %q", text, got, want)
		}
	}
	c, err := prog.Reports.Overview(ctx)
	if err != nil || c.Devices != 3 || c.Fresh != 1 || c.Never != 2 || c.Installs != 2 || c.Unrecognised != 1 ||
		c.Names != 1 ||
		c.Counted != 1 ||
		c.Positions != 1 ||
		c.Spare != 1 ||
		c.AsOf != "2026-06-30" {
		t.Errorf("%+v, %v", c, err)
	}
}

func TestTitlesAddedByHand(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Strange AS,Oddwork 2,2,,,2026-06-29T10:00:00Z")
	if _, err := prog.Titles.AddTitle(ctx,
		titles.NewTitle{Publisher: "OSTWICK", Product: "skerrymap", Model: "commercial"}, "me"); err == nil {
		t.Error("a product that is there already was added")
	}
	id, err := prog.Titles.AddTitle(
		ctx,
		titles.NewTitle{Publisher: "Strange", Product: "Oddwork", Model: "commercial", Category: "odd"},
		"me",
	)
	if err != nil {
		t.Fatal(err)
	}
	if f := figure(t, prog, "Oddwork"); f.Product != id || f.Needed != 1 || f.Short != 1 {
		t.Errorf("%+v", f)
	}
	p, err := prog.Catalogue.Product(ctx, id)
	if err != nil || p.Category != "odd" || len(p.Names) != 1 || p.Names[0].State != "recognised" {
		t.Errorf("%+v, %v", p, err)
	}
}

func TestUnitsAndExplanationAgree(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,scope_unit",
		"E1,Ostwick,Skerrymap,device,5,A",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,5,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z",
	)
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	id := mustProduct(t, prog, "Skerrymap")
	p, err := prog.Position.ProductPosition(ctx, id, 0, 0)
	if err != nil || len(p.Metrics) != 1 {
		t.Fatal(p, err)
	}
	sum := 0
	for _, g := range p.Metrics[0].Groups {
		units, err := prog.Position.Units(ctx, id, g.Key, 0, 0, 0)
		if err != nil || len(units) != g.Count {
			t.Errorf("%s: %d units, the group says %d, %v", g.Key, len(units), g.Count, err)
		}
		for _, u := range units {
			if u.Line != g.Line || u.Reason != g.Reason || len(u.Records) == 0 {
				t.Errorf("%+v in %+v", u, g)
			}
		}
		sum += len(units)
	}
	lines := 0
	if err := prog.Position.Explain(ctx, id, 0, func(row []string) error {
		lines++
		if len(row) != len(position.ExplainColumns) {
			t.Errorf("%v", row)
		}
		return nil
	}); err != nil || lines != sum || int64(sum) != p.Metrics[0].Needed {
		t.Errorf("%d units, %d lines, %d needed, %v", sum, lines, p.Metrics[0].Needed, err)
	}
	if units, _ := prog.Position.Units(ctx, id, "device::out of scope", 0, 0, 0); len(units) != 1 ||
		units[0].Device != "D3" {
		t.Errorf("%+v", units)
	}
}
