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
	"ensomet/internal/directory"
	"ensomet/internal/entitlements"
	evidencesvc "ensomet/internal/evidence"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/own"
	"ensomet/internal/reports"
	"ensomet/internal/splits"
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

func splitOf(
	t *testing.T,
	prog *Program,
	asked reports.SplitAsked,
) (out map[string]reports.SplitRow, all reports.Split) {
	t.Helper()
	all, err := prog.Reports.Split(context.Background(), asked)
	if err != nil {
		t.Fatalf("%+v: %v", asked, err)
	}
	out = map[string]reports.SplitRow{}
	for _, r := range all.Rows {
		out[r.Value] = r
	}
	return out, all
}

// splitsPlainly counts titles and their use from the installs themselves, as one would with SQL and no time at all.
func splitsPlainly(t *testing.T, prog *Program, asked reports.SplitAsked, got map[string]reports.SplitRow) {
	t.Helper()
	value, known := map[string]string{"unit": "d.org_unit", "os": "trim(d.os_name || ' ' || d.os_version)",
		"age": "f.age", "own:lease": "coalesce(json_extract(d.custom, '$.lease'), '')",
		splits.BySource: "coalesce(r.sources, '')"}[asked.By]
	if !known {
		value = "d." + asked.By
	}
	table := map[string]string{"titles": "reporting r", "use": `idle_fact x LEFT JOIN reporting r ON
		r.device_id = x.device_id AND r.product_id = x.product_id`}[asked.Of]
	one := map[string]string{"titles": "r", "use": "x"}[asked.Of]
	counted := map[string]string{"titles": "DISTINCT product_id", "use": "*"}[asked.Of]
	where, args := "", []any{}
	if asked.Product != 0 {
		where, args = " WHERE p.id = ?", []any{asked.Product}
	} else if asked.Publisher != "" {
		where, args = " WHERE p.publisher = ?", []any{asked.Publisher}
	}
	var plain []splits.Row
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) (err error) {
		plain, err = sqlite.Select[splits.Row](tx, `WITH reporting AS (SELECT device_id, product_id,
				group_concat(name, ' and ' ORDER BY name) AS sources FROM (SELECT DISTINCT i.device_id, k.product_id, s.name
				FROM install i JOIN recognition k ON k.record_id = i.record_id JOIN source s ON s.id = i.source_id
				WHERE i.until IS NULL AND k.product_id <> 0) GROUP BY 1, 2),
			each AS (SELECT `+value+` AS value, d.id AS device_id, `+one+`.product_id, f.age FROM `+table+`
				JOIN device d ON d.id = `+one+`.device_id JOIN device_fact f ON f.device_id = d.id
				JOIN product p ON p.id = `+one+".product_id"+where+`)
			SELECT value, '' AS part, count(`+counted+`) AS count, count(DISTINCT device_id) AS devices,
			count(DISTINCT CASE WHEN age = 'stale' THEN device_id END) AS stale,
			count(DISTINCT CASE WHEN age = 'never' THEN device_id END) AS never FROM each GROUP BY 1`, args...)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if len(plain) != len(got) {
		t.Errorf("%+v: %d values, there are %d", asked, len(got), len(plain))
	}
	for _, want := range plain {
		g := got[want.Value]
		is := splits.Row{Value: g.Value, Count: g.Count, Devices: g.Devices, Stale: g.Stale, Never: g.Never}
		if is != want {
			t.Errorf("%+v: %+v, counted plainly %+v", asked, is, want)
		}
	}
}

// Each thing falls to one value: counts add up to the whole by anything, no count of devices is larger than the estate,
// and what a split by a fact says is what lists say that are filtered by it.
func TestSplitsAddUp(t *testing.T) {
	prog, clock := desk(t)
	ctx := context.Background()
	r := rand.New(rand.NewPCG(16, 6))
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency,default_metric",
		"Harrow,Queue,commercial,290,EUR,device", "Harrow,Notes,commercial,9,EUR,device",
		"Ostwick,Brush,commercial,10,EUR,named_user")
	take(t, prog, formats.Users, "user_id,name", "u1,Una", "u2,Ulf", "u3,Uri")
	sites, units := []string{"Shore", "Sea", ""}, []string{"Hall", "Hall/Desk", "Yard"}
	lines := []string{"device_id,kind,environment,org_unit,site,primary_user,hosting,lease"}
	installs := []string{"device_id,publisher,name,version,source,seen_at"}
	for i := range 60 {
		lines = append(lines, fmt.Sprintf("D%02d,%s,%s,%s,%s,%s,%s,%s", i, []string{"client", "server"}[r.IntN(2)],
			[]string{"production", "test"}[r.IntN(2)], units[r.IntN(3)], sites[r.IntN(3)],
			[]string{"u1", "u2", "u3", ""}[r.IntN(4)], []string{"own site", "cloud"}[r.IntN(2)],
			[]string{"owned", "leased", ""}[r.IntN(3)]))
		for _, p := range []string{"Harrow,Queue", "Harrow,Notes", "Ostwick,Brush", "Nobody,Unknown"} {
			for _, source := range []string{"collector", "list"} {
				if r.IntN(3) == 0 {
					installs = append(installs, fmt.Sprintf("D%02d,%s,1,%s,%s", i, p, source,
						clock.now.AddDate(0, 0, -1-i%4*20).Format(time.RFC3339)))
				}
			}
		}
	}
	take(t, prog, formats.Devices, lines...)
	take(t, prog, formats.Installs, installs...)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"Q,Harrow,Queue,device,12",
		"N,Harrow,Notes,device,90",
	)
	refreshAll(t, prog)
	by := append(slices.Clone(splits.By), "own:lease")
	queue := mustProduct(t, prog, "Queue")
	for _, of := range []string{"installs", "titles", "use", "cases"} {
		for _, b := range by {
			for _, narrow := range []reports.SplitAsked{{}, {Publisher: "Harrow"}, {Product: queue}} {
				narrow.Of, narrow.By = of, b
				rows, all := splitOf(t, prog, narrow)
				if of == "titles" || of == "use" {
					splitsPlainly(t, prog, narrow, rows)
				}
				sum, parts := int64(0), make([]int64, len(all.Parts))
				devices := int64(0)
				for _, row := range all.Rows {
					sum, devices = sum+row.Count, devices+row.Devices
					for i, n := range row.Parts {
						parts[i] += n
					}
					if row.Devices > all.Estate || row.Stale+row.Never > row.Devices {
						t.Errorf("%+v: %+v of %d devices", narrow, row, all.Estate)
					}
				}
				if of != "titles" &&
					(sum != all.Total.Count || len(parts) > 0 && !slices.Equal(parts, all.Total.Parts)) {
					t.Errorf("%+v: parts add up to %d %v, the whole is %+v", narrow, sum, parts, all.Total)
				}
				// a device falls to one value of a fact, and may have installs of several sources
				if b != splits.BySource && devices != all.Total.Devices {
					t.Errorf("%+v: devices add up to %d, the whole is %+v", narrow, devices, all.Total)
				}
				if all.Total.Devices > all.Estate {
					t.Errorf("%+v: %d of %d devices", narrow, all.Total.Devices, all.Estate)
				}
			}
		}
	}
	for _, b := range []string{"kind", "environment", "hosting", "site", "own:lease"} {
		got, _ := splitOf(t, prog, reports.SplitAsked{Of: "installs", By: b})
		err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			for value, row := range got {
				page, err := evidencesvc.DeviceList().
					Page(tx, sqlite.ListQuery{Filters: map[string]string{b: value}})
				if err != nil {
					return err
				}
				installs, devices := int64(0), int64(0)
				for _, d := range page.Rows {
					if installs += d.Installs; d.Installs > 0 {
						devices++
					}
				}
				if installs != row.Count || devices != row.Devices {
					t.Errorf("by %s %q: %d installs on %d devices, the list has %d on %d", b, value, row.Count,
						row.Devices, installs, devices)
				}
			}
			return nil
		})
		if err != nil {
			t.Fatal(err)
		}
	}
	// what is kept of the list of use is what counting says
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		kept, counted := usedb.UseList(), usedb.UseList()
		counted.Kept = sqlite.Kept{}
		for _, class := range []string{"", "not measured", "unused", "not measured|never used", "*easured", "none"} {
			q := sqlite.ListQuery{Split: "class", Limit: 1, Filters: map[string]string{}}
			if class != "" {
				q.Filters["class"] = class
			}
			got, err := kept.Page(tx, q)
			if err != nil {
				return err
			}
			want, err := counted.Page(tx, q)
			if err != nil {
				return err
			}
			if got.Total != want.Total || got.Stale != want.Stale || got.Never != want.Never ||
				!slices.Equal(got.Parts, want.Parts) {
				t.Errorf("use that is %q: %+v is kept, %+v counted", class, got, want)
			}
			if class == "" && (got.Total == 0 || got.Stale == 0) {
				t.Errorf("nothing is tried: %+v", got)
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	// positions: demand falls to the device that it stands on, and every part of the figure adds up
	for _, name := range []string{"Queue", "Notes", "Brush"} {
		f := figure(t, prog, name)
		for _, b := range append([]string{"unit", "country", "contract"}, by...) {
			parts, err := prog.Position.Parts(ctx, f.Product, b, 0, 0)
			if err != nil {
				t.Fatal(err)
			}
			var needed, short, owned, surplus int64
			for _, p := range parts[0].Parts {
				needed, short, owned, surplus = needed+p.Needed, short+p.Short, owned+p.Owned, surplus+p.Surplus
			}
			if needed != f.Needed || short != f.Short || owned != f.Owned || surplus != f.Surplus {
				t.Errorf(
					"%s by %s: %d needed, %d short, %d owned, %d spare; the position is %+v",
					name,
					b,
					needed,
					short,
					owned,
					surplus,
					f,
				)
			}
		}
	}
	for _, wrong := range []reports.SplitAsked{{Of: "installs", By: "colour"}, {Of: "nothing", By: "kind"},
		{Of: "use", By: `own:a"b`}} {
		if _, err := prog.Reports.Split(ctx, wrong); err == nil {
			t.Errorf("%+v is split", wrong)
		}
	}
	if _, err := prog.Position.Parts(ctx, mustProduct(t, prog, "Queue"), "colour", 0, 0); err == nil ||
		!strings.Contains(err.Error(), "environment") {
		t.Errorf("a position by colour: %v", err)
	}
}

// An install that two sources report falls to both together, and counts once.
func TestASplitBySource(t *testing.T) {
	prog, clock := desk(t)
	take(t, prog, formats.Titles, "publisher,product", "Harrow,Queue")
	take(t, prog, formats.Devices, "device_id,kind", "D1,client", "D2,client", "D3,client")
	at := clock.now.AddDate(0, 0, -1).Format(time.RFC3339)
	take(t, prog, formats.Installs, "device_id,publisher,name,version,source,seen_at",
		"D1,Harrow,Queue,1,collector,"+at, "D1,Harrow,Queue,1,list,"+at, "D2,Harrow,Queue,1,list,"+at,
		"D3,Harrow,Queue,1,collector,"+at)
	refreshAll(t, prog)
	for _, of := range []string{"installs", "titles", "use"} {
		got, all := splitOf(t, prog, reports.SplitAsked{Of: of, By: "source"})
		for _, value := range []string{"collector", "list", "collector and list"} {
			if got[value].Count != 1 || got[value].Devices != 1 {
				t.Errorf("%s %s: %+v", of, value, got[value])
			}
		}
		if all.Total.Devices != 3 || len(got) != 3 {
			t.Errorf("%s: %+v", of, all)
		}
	}
}

// Fields of the house's own of people, titles, lines and contracts: files say them, people put them right with who and
// why, and lists, spend and conditions read what holds.
func TestOwnFieldsOfEverything(t *testing.T) {
	prog, _ := desk(t)
	ctx := context.Background()
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency,steward",
		"Harrow,Queue,commercial,290,EUR,Ada", "Harrow,Notes,commercial,9,EUR,")
	take(t, prog, formats.Users, "user_id,name,email,cost_centre,desk", "u1,Una,u1@halv.example,4100,blue",
		"u2,Ulf,u2@halv.example,4200,", "u3,Uri,u3@halv.example,,red")
	take(
		t,
		prog,
		formats.Devices,
		"device_id,kind,primary_user,memory_mb",
		"D1,client,u1,16384",
		"D2,client,u2,8192",
		"D3,client,u3,",
	)
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,unit_price,currency,purchased,contract,budget",
		"L1,Harrow,Queue,device,2,100,EUR,2026-02-01,C-1,north", "L2,Harrow,Notes,device,3,10,EUR,2026-03-01,,")
	refreshAll(t, prog)
	say := func(kind own.Kind, thing, field, value string, revision int64) own.Fields {
		t.Helper()
		out, err := prog.Own.Say(
			ctx,
			own.Draft{Kind: kind, Thing: thing, Field: field, Value: value, Reason: "as agreed",
				Revision: revision},
			"ada",
		)
		if err != nil {
			t.Fatal(err)
		}
		return out
	}
	list := func(kind string, filter map[string]string, fields ...string) (out []string) {
		t.Helper()
		q := sqlite.ListQuery{Filters: filter, Own: fields}
		err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			switch kind {
			case "people":
				return directory.List().EachOwn(tx, q, func(r directory.Row, own []string) error {
					out = append(out, r.Key+" "+strings.Join(own, ","))
					return nil
				})
			case "titles":
				return lists.ProductList().EachOwn(tx, q, func(r lists.ProductRow, own []string) error {
					out = append(out, r.Product+" "+strings.Join(own, ","))
					return nil
				})
			case "lines":
				return lists.EntitlementList().
					EachOwn(tx, q, func(r lists.EntitlementRow, own []string) error {
						out = append(out, r.Code+" "+strings.Join(own, ","))
						return nil
					})
			}
			return fmt.Errorf("no list %s", kind)
		})
		if err != nil {
			t.Fatal(err)
		}
		slices.Sort(out)
		return out
	}
	is := func(what string, got []string, want ...string) {
		t.Helper()
		if !slices.Equal(got, want) {
			t.Errorf("%s: %q, not %q", what, got, want)
		}
	}
	queue := fmt.Sprint(mustProduct(t, prog, "Queue"))
	is("as files say", list("people", nil, "desk"), "u1 blue", "u2 ", "u3 red")
	is("filtered", list("people", map[string]string{"own:desk": "red"}), "u3 ")
	is("titles", list("titles", map[string]string{"own:steward": "Ada"}, "steward"), "Queue Ada")
	is("lines", list("lines", nil, "budget"), "L1 north", "L2 ")

	first := say(own.Person, "u2", "desk", "green", 0)
	say(own.Title, queue, "steward", "Bo", 0)
	say(own.Line, "L2", "budget", "south", 0)
	say(own.Contract, "C-1", "lawyer", "Cleo", 0)
	is("by hand", list("people", nil, "desk"), "u1 blue", "u2 green", "u3 red")
	is("titles by hand", list("titles", map[string]string{"own:steward": "Bo|Ada"}, "steward"), "Queue Bo")
	is("lines by hand", list("lines", map[string]string{"own:budget": "south"}), "L2 ")
	if first.Revision != 1 || len(first.Fields) != 1 || first.Fields[0].Author != "ada" ||
		first.Fields[0].Said != "" {
		t.Errorf("%+v", first)
	}
	// a later list changes nothing of what holds, and what it says is shown beside it
	take(t, prog, formats.Users, "user_id,name,email,cost_centre,desk", "u2,Ulf,u2@halv.example,4200,white")
	is("after another list", list("people", nil, "desk"), "u1 blue", "u2 green", "u3 red")
	both, err := prog.Own.Of(ctx, own.Person, "u2")
	if err != nil || both.Fields[0].Said != "white" || both.Fields[0].Value != "green" {
		t.Errorf("%+v, %v", both, err)
	}
	if _, err := prog.Own.Say(ctx, own.Draft{Kind: own.Person, Thing: "u2", Field: "desk", Value: "x", Reason: "y"},
		"bo"); err == nil || !strings.Contains(err.Error(), "ada changed this") {
		t.Errorf("on an older revision: %v", err)
	}
	// spend by a field of lines, titles and contracts adds up to the whole
	for by, want := range map[entitlements.OwnBy][]string{
		{Kind: own.Line, Field: "budget"}:     {"200 north", "30 south"},
		{Kind: own.Title, Field: "steward"}:   {"200 Bo", "30 "},
		{Kind: own.Contract, Field: "lawyer"}: {"200 Cleo", "30 "},
		{}:                                    {"200 ", "30 "},
	} {
		s, err := prog.Spending.Spend(ctx, by)
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		for _, r := range s.Rows {
			got = append(got, r.Amount+" "+r.Own)
		}
		slices.Sort(got)
		is(fmt.Sprint("spend by ", by), got, want...)
	}
	// conditions ask for fields of the main user, and for memory
	for name, g := range map[string]evidencesvc.GroupDraft{
		"D2": {Name: "green", Condition: asks("user:desk", "is", "green")},
		"D1 D3": {Name: "others", Condition: condition.Condition{Any: []condition.Condition{
			asks("user:desk", "like", "?l*"), asks("user:desk", "is", "red")}}},
		"D1":    {Name: "centre", Condition: asks("user:cost_centre", "is", "4100")},
		"D1 D2": {Name: "memory", Condition: asks("memory_mb", "at_least", "8192")},
	} {
		if _, err := prog.Evidence.SaveGroup(ctx, g, "ada"); err != nil {
			t.Fatal(err)
		}
		refreshAll(t, prog)
		got := textsOf(t, prog, `SELECT d.code FROM group_member m JOIN device_group g ON g.id = m.group_id
			JOIN device d ON d.id = m.device_id WHERE g.name = ? ORDER BY 1`, g.Name)
		is("the group "+g.Name, got, strings.Fields(name)...)
	}
	// what is said of a person changes the group at once
	say(own.Person, "u3", "desk", "green", 0)
	refreshAll(t, prog)
	is(
		"the group green",
		textsOf(t, prog, `SELECT d.code FROM group_member m JOIN device_group g ON g.id = m.group_id
		JOIN device d ON d.id = m.device_id WHERE g.name = 'green' ORDER BY 1`),
		"D2",
		"D3",
	)
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
	names, err := prog.Own.Names(ctx, own.Person)
	if err != nil || len(names) != 1 || names[0].Name != "desk" ||
		!slices.Equal(names[0].Values, []string{"green", "blue"}) {
		t.Errorf("%+v, %v", names, err)
	}
	// taken back, files hold again
	if _, err := prog.Own.Say(ctx, own.Draft{Kind: own.Person, Thing: "u2", Field: "desk", Drop: true, Revision: 1},
		"bo"); err != nil {
		t.Fatal(err)
	}
	is("taken back", list("people", map[string]string{"own:desk": "white"}), "u2 ")
	long := func(n int) string { return strings.Repeat("x", n) }
	for want, d := range map[string]own.Draft{
		"no such thing":        {Kind: own.Person, Thing: "nobody", Field: "desk", Value: "x", Reason: "y"},
		"say which field":      {Kind: own.Person, Thing: "u1", Value: "x", Reason: "y"},
		"say why":              {Kind: own.Person, Thing: "u1", Field: "desk", Value: "x"},
		"without quotation":    {Kind: own.Person, Thing: "u1", Field: `a"b`, Value: "x", Reason: "y"},
		"is no kind of thing":  {Kind: "ship", Thing: "u1", Field: "desk", Value: "x", Reason: "y"},
		"nothing was said":     {Kind: own.Line, Thing: "L1", Field: "budget", Drop: true},
		"a value has at most":  {Kind: own.Line, Thing: "L1", Field: "budget", Value: long(501), Reason: "y"},
		"a reason has at most": {Kind: own.Line, Thing: "L1", Field: "budget", Value: "x", Reason: long(1001)},
	} {
		if _, err := prog.Own.Say(ctx, d, "ada"); err == nil || !strings.Contains(err.Error(), want) {
			t.Errorf("%+v: %v", d, err)
		}
	}
}

// Contracts come from files with fields of the house's own: what a file says comes before what was typed, whoever has
// the contract open is told, and what goes out comes back the same.
func TestContractsFromFiles(t *testing.T) {
	prog, _ := desk(t)
	ctx := context.Background()
	const header = "contract,publisher,name,start,end,notice_days,renews,owner,note,counsel"
	res := take(
		t,
		prog,
		formats.Contracts,
		header,
		"C-1,Harrow,Frame,2026-01-01,2026-12-31,90,true,Ada,,Cleo",
		"C-2,Ostwick,Seats,,,,,,,",
		"C-1,Harrow,Again,,,,,,,",
		"C-3,,,2026-05-01,2026-04-01,,,,,",
		"C-4,,,,,,perhaps,,,",
		"C-5,,,,,9999,,,,",
	)
	if res.Added != 2 || len(res.Aside) != 4 {
		t.Errorf("%+v", res)
	}
	list, err := prog.Entitlements.Contracts(ctx)
	if err != nil || len(list) != 2 || list[0].Name != "Frame" || !list[0].Renews || list[0].NoticeDays != 90 ||
		list[0].Own["counsel"] != "Cleo" || list[0].Notice != "2026-10-02" {
		t.Fatalf("%+v, %v", list, err)
	}
	if again := take(t, prog, formats.Contracts, header,
		"C-1,Harrow,Frame,2026-01-01,2026-12-31,90,true,Ada,,Cleo"); again.Same != 1 || again.Changed != 0 {
		t.Errorf("the same again: %+v", again)
	}
	seen := list[0].Contract
	take(t, prog, formats.Contracts, header, "C-1,Harrow,Frame,2026-01-01,2027-12-31,90,true,Ada,,Bo")
	seen.Note = "as typed"
	if err := prog.Entitlements.PutContract(ctx, seen, "ada"); !errors.Is(err, sqlite.ErrChangedMeanwhile) {
		t.Errorf("saved on what a file changed meanwhile: %v", err)
	}
	if _, err := prog.Own.Say(ctx, own.Draft{Kind: own.Contract, Thing: "C-1", Field: "counsel", Value: "Dag",
		Reason: "since May"}, "ada"); err != nil {
		t.Fatal(err)
	}
	if list, err = prog.Entitlements.Contracts(ctx); err != nil || list[0].End.String() != "2027-12-31" ||
		list[0].Own["counsel"] != "Dag" {
		t.Errorf("%+v, %v", list[0], err)
	}
	fields, err := prog.Own.Of(ctx, own.Contract, "C-1")
	if err != nil || len(fields.Fields) != 1 || fields.Fields[0].Said != "Bo" {
		t.Errorf("%+v, %v", fields, err)
	}
	var out []string
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		return export.File(tx, "contracts", func(row []string) error {
			out = append(out, strings.Join(row, ","))
			return nil
		})
	}); err != nil {
		t.Fatal(err)
	}
	if want := []string{"C-1,Harrow,Frame,2026-01-01,2027-12-31,90,true,Ada,",
		"C-2,Ostwick,Seats,,,,false,,"}; !slices.Equal(out, want) {
		t.Errorf("%q, not %q", out, want)
	}
	other, _ := desk(t)
	again := append([]string{strings.TrimSuffix(header, ",counsel")}, out...)
	if res := take(t, other, formats.Contracts, again...); res.Added != 2 || len(res.Aside) != 0 {
		t.Errorf("what went out comes back: %+v", res)
	}
}
