package standin

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/core/civil"
	"ensomet/internal/entitlements"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/position"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// built is the demo, built once for all tests that look at it.
var built struct {
	dir    string
	truths []Truth
	err    error
	once   sync.Once
}

func TestMain(m *testing.M) {
	dir, err := os.MkdirTemp("", "ensomet-standin")
	if err != nil {
		panic(err)
	}
	built.dir = dir
	code := m.Run()
	os.RemoveAll(dir)
	os.Exit(code)
}

// demo is a program on a copy of the demo, with its outside and what is planted in it.
func demo(t *testing.T) (*program.Program, *Outside, []Truth) {
	t.Helper()
	built.once.Do(func() {
		start := time.Now()
		built.err = errors.New("the demo could not be built")
		prog, o := openDemo(t, built.dir)
		truths, err := BuildDemo(t.Context(), prog, o, api.New(prog, o), func(s string) {
			t.Log(time.Since(start).Round(time.Millisecond), s)
		})
		prog.Close()
		built.truths = truths
		built.err = errors.Join(err, prog.DB.Backup(t.Context(), filepath.Join(built.dir, "whole.db")))
		t.Log("built in", time.Since(start))
	})
	if built.err != nil {
		t.Fatal(built.err)
	}
	dir := t.TempDir()
	for from, to := range map[string]string{
		"whole.db": "demo.db", "demo.db.key": "demo.db.key", "demo.db.outside.json": "demo.db.outside.json",
	} {
		text, err := os.ReadFile(filepath.Join(built.dir, from))
		if err == nil {
			err = os.WriteFile(filepath.Join(dir, to), text, 0o600)
		}
		if err != nil {
			t.Fatal(err)
		}
	}
	prog, o := openDemo(t, dir)
	o.Connect(api.New(prog, o))
	return prog, o, built.truths
}

// openDemo opens the demo of a folder, or a new one.
func openDemo(t *testing.T, dir string) (*program.Program, *Outside) {
	t.Helper()
	path := filepath.Join(dir, "demo.db")
	db, err := sqlite.Open(t.Context(), path)
	if err != nil {
		t.Fatal(err)
	}
	o, err := OpenOutside(path)
	if err != nil {
		t.Fatal(err)
	}
	prog := program.New(db, o)
	prog.Worklist.Deploy, prog.Outbox.Mail = o, o
	t.Cleanup(func() {
		prog.Close()
		db.Close()
	})
	return prog, o
}

// The whole program over the demo: every planted truth is found.
func TestPlantedTruths(t *testing.T) {
	ctx := context.Background()
	prog, o, truths := demo(t)
	if len(truths) < 80 {
		t.Fatalf("only %d truths are planted", len(truths))
	}
	if now := o.Now(); !now.Equal(Now) {
		t.Errorf("the demo's clock stands at %v", now)
	}
	for _, truth := range truths {
		if truth.Device != "" {
			for key, want := range truth.Seen {
				if got := observe(t, prog, truth.Device, key, want); got != want {
					t.Errorf("%s: %s of %s is %q, the truth is %q", truth.Story, key, truth.Device, got, want)
				}
			}
			continue
		}
		got, exposure := measure(t, prog, truth)
		for key, want := range truth.Want {
			if got[key] != want {
				t.Errorf(
					"%s: %s %s: %s is %d, the truth is %d (%v)",
					truth.Story,
					truth.Publisher,
					truth.Product,
					key,
					got[key],
					want,
					got,
				)
			}
		}
		if truth.Exposure != "" && exposure != truth.Exposure {
			t.Errorf("%s: exposure %s, the truth is %s", truth.Story, exposure, truth.Exposure)
		}
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Errorf("the check complains: %v %v", wrong, err)
	}
	t.Run("every list in every order", func(t *testing.T) {
		prog.Demo = true // one may enter without an account
		everyList(t, api.New(prog, o))
	})
	t.Run("what was asked for", func(t *testing.T) { whatWasAskedFor(t, prog) })
	t.Run("the worked examples", func(t *testing.T) { workedExamples(t, prog) })
	t.Run("why it moved since yesterday", func(t *testing.T) { whyItMoved(t, prog) })
	t.Run("who is charged", func(t *testing.T) { whoIsCharged(t, prog) })
	t.Run("what is sent by itself", func(t *testing.T) { whatIsSentByItself(t, prog) })
	t.Run("licence keys", func(t *testing.T) { whereKeysAre(t, prog) })
	t.Run("a decision about one name", func(t *testing.T) { decideEcho(t, prog) })
	t.Run("a removal and its return", func(t *testing.T) { removeGame(t, prog, o) })
}

// whatWasAskedFor looks at what people of the demo asked for: each is as far as it is, and its shortfall knows it.
func whatWasAskedFor(t *testing.T, prog *program.Program) {
	for product, want := range map[string]string{
		"Murrelet Survey":   "purchase open, uncovered agreed",
		"Gannet Store":      "elsewhere open, uncovered agreed",
		gridName:            "purchase sent, uncovered agreed",
		"Cairnhopper Agent": "purchase gone, uncovered gone",
	} {
		got := map[string]string{}
		err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
			page, err := lists.CaseList().Page(tx, sqlite.ListQuery{Search: product,
				Filters: map[string]string{"kind": "purchase|elsewhere|uncovered"}})
			for _, c := range page.Rows {
				if c.Product == product {
					got[c.Kind] = c.State
				}
			}
			return err
		})
		kind, _, _ := strings.Cut(want, " ")
		if is := fmt.Sprintf("%s %s, uncovered %s", kind, got[kind], got["uncovered"]); err != nil || is != want {
			t.Errorf("%s: %s, not %s, %v", product, is, want, err)
		}
	}
}

// whatIsSentByItself looks at the standing decision of the demo: a day's number of removals waits for a day.
func whatIsSentByItself(t *testing.T, prog *program.Program) {
	list, err := prog.Standing.Decisions(context.Background())
	if err != nil || len(list.Decisions) != 1 {
		t.Fatalf("%+v, %v", list.Decisions, err)
	}
	v := list.Decisions[0]
	got := fmt.Sprintf("%s on %s; %d waiting of %d, %d ready, runs: %v", v.What, v.Says.Group, v.Waiting, v.Taken,
		v.Ready, v.Running)
	want := "planned: remove Gyrelatch 1 by 2026-09-30 on Shore/Workshop; 12 waiting of 12, 28 ready, runs: true"
	if got != want {
		t.Errorf("%s\n, not %s", got, want)
	}
	waves, err := prog.Orders.Waves(context.Background())
	if err != nil || waves[0].Next != prog.Worklist.Clock.Now().Unix()+86400 {
		t.Errorf("%+v, %v", waves[0], err)
	}
}

// whereKeysAre looks at the licence keys of the demo: one on more machines than were bought, one that nobody bought,
// one in use and one nowhere. A line whose licences were upgraded has fewer for its key.
func whereKeysAre(t *testing.T, prog *program.Program) {
	got := map[string]string{}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := entitlements.KeyList().Page(tx, sqlite.ListQuery{})
		for _, r := range page.Rows {
			got[r.Hint] = fmt.Sprintf("%s, on %d of %d of %s %s", r.State, r.Devices, r.Bought, r.Product, r.Lines)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	want := map[string]string{
		"10TEN": "over, on 12 of 10 of Murrelet Shade L-0009",
		"30SEA": "in use, on 11 of 20 of Murrelet Shade L-0008",
		"TIDE5": "in use, on 24 of 30 of Oyster Tide L-0016",
		"QXW1Z": "unbought, on 3 of 0 of Kelpline Studio ",
		"15ARC": "nowhere, on 0 of 15 of Sternpost Archive L-0017",
	}
	if !maps.Equal(got, want) {
		t.Errorf("%v, not %v", got, want)
	}
}

// whyItMoved looks at what is otherwise than it was known yesterday, and at what was handed over today.
func whyItMoved(t *testing.T, prog *program.Program) {
	ctx := context.Background()
	yesterday := prog.Snapshots.Today() - 1
	for product, want := range map[string]string{
		// a rule for what comes with machines takes in a product whose name has the same letters
		"Voemender": "recognised as something else since: needed -30, owned 0: 26 names on 30 were Thornaby-Lund AS " +
			"Voemender, are not counted by the rule “copies that came with the machine”, made by Worker on 2026-06-30",
		"Yawltally": "left out of the count since: needed -21, owned 0: 21 left out: the maker lets test benches run " +
			"it freely",
		gridName: "lines and bookings entered since: needed 0, owned -3: L-0215: true up -3 of 2026-04-20, " +
			"entered by Worker on 2026-06-30",
		"Bollardkit": "evidence of installs came since: needed 1, owned 0",
	} {
		ids, err := prog.Position.FindProducts(ctx, product)
		if err != nil || len(ids) != 1 {
			t.Fatal(product, ids, err)
		}
		s, err := prog.Position.ProductSteps(ctx, ids[0], yesterday, 0, position.KnownThen)
		if err != nil {
			t.Fatal(err)
		}
		got := ""
		for _, step := range s.Steps {
			if !step.Learnt || step.Change.Needed == 0 && step.Change.Owned == 0 {
				continue
			}
			got += fmt.Sprintf("%s: needed %d, owned %d", step.Cause, step.Change.Needed, step.Change.Owned)
			for _, n := range step.Names {
				got += fmt.Sprintf(": %d names on %d were %s, are %s %s", n.Count, n.Devices, n.Was, n.Is, n.By)
			}
			if len(step.Entered) > 0 {
				got += ": " + step.Entered[0]
			}
		}
		if got != want {
			t.Errorf("%s: %s\n, not %s", product, got, want)
		}
	}
	list, err := prog.Position.Statements(ctx)
	if err != nil || len(list) == 0 {
		t.Fatal(list, err)
	}
	for _, s := range list {
		c, err := prog.Position.CheckStatement(ctx, s.ID)
		if err != nil || len(c.Wrong) > 0 || c.Units == 0 {
			t.Errorf("statement %d: %v %v, %d units", s.ID, c.Wrong, err, c.Units)
		}
	}
}

// whoIsCharged looks at one product whose twenty rights of 1,500 EUR fourteen machines of one unit use, and at the
// whole.
func whoIsCharged(t *testing.T, prog *program.Program) {
	ctx := context.Background()
	echo, err := prog.Position.FindProducts(ctx, "Lodeglass Echo")
	if err != nil || len(echo) != 1 {
		t.Fatal(echo, err)
	}
	for spread, want := range map[bool]string{
		false: "used Shore/Workshop 21000; spare  9000; ",
		true:  "used Shore/Workshop 30000; ",
	} {
		s, err := prog.Spending.ByUse(ctx, entitlements.UseAsked{Product: echo[0], Spread: spread})
		got := ""
		for _, r := range s.Rows {
			got += r.Part + " " + r.Unit + " " + r.Amount + "; "
		}
		if err != nil || got != want {
			t.Errorf("%s, not %s, %v", got, want, err)
		}
	}
	all, err := prog.Spending.ByUse(ctx, entitlements.UseAsked{})
	if err != nil {
		t.Fatal(err)
	}
	spent, err := prog.Spending.Spend(ctx, entitlements.OwnBy{})
	if err != nil {
		t.Fatal(err)
	}
	var charged, paid decimal.Decimal
	for _, r := range all.Rows {
		charged = charged.Add(decimal.RequireFromString(r.Amount))
	}
	for _, r := range spent.Rows {
		paid = paid.Add(decimal.RequireFromString(r.Amount))
	}
	if !charged.Equal(paid) || paid.IsZero() {
		t.Errorf("%s is charged, and %s was paid", charged, paid)
	}
}

// workedExamples compares the figures that the documents quote with what the program gives.
func workedExamples(t *testing.T, prog *program.Program) {
	text, err := os.ReadFile("../../docs/worked-examples.md")
	if err != nil {
		t.Fatal(err)
	}
	lines := regexp.MustCompile(`(?m)^- (.+), by (.+): owned (\d+), needed (\d+), short (\d+), spare (\d+)$`).
		FindAllStringSubmatch(string(text), -1)
	if len(lines) < 15 {
		t.Fatalf("only %d figures are quoted", len(lines))
	}
	for _, l := range lines {
		got, _ := measure(t, prog, Truth{Product: l[1], Metric: strings.ReplaceAll(l[2], " ", "_")})
		for i, key := range []string{"owned", "needed", "short", "surplus"} {
			if fmt.Sprint(got[key]) != l[3+i] {
				t.Errorf("%s: %s is %d, the document says %s", l[1], key, got[key], l[3+i])
			}
		}
	}
}

// observe reads from the program what a truth about evidence is about.
func observe(t *testing.T, prog *program.Program, device, key, want string) string {
	t.Helper()
	ctx := context.Background()
	e, err := prog.Evidence.DeviceEvidence(ctx, device)
	if err != nil {
		t.Fatal(err)
	}
	var row lists.DeviceRow
	var changes []evidencedb.ChangeRow
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.DeviceList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"code": device}})
		if err != nil {
			return err
		}
		row = page.Rows[0]
		log, err := evidencedb.ChangeList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"code": device}})
		changes = log.Rows
		return err
	}); err != nil {
		t.Fatal(err)
	}
	switch key {
	case "age":
		return row.Age
	case "directoryAge":
		return row.DirectoryAge
	case "installs":
		return fmt.Sprint(row.Installs)
	case "name":
		return row.Name
	case "namesakes":
		return fmt.Sprint(row.Namesakes)
	case "software":
		return fmt.Sprint(len(e.Differ))
	case "differs":
		for _, f := range e.Facts {
			if f.Differ && f.Fact == want {
				return f.Fact
			}
		}
	case "known as", "alike":
		names, err := prog.Same.Names(ctx, device)
		if err != nil {
			t.Fatal(err)
		}
		if key == "known as" {
			return fmt.Sprint(len(names.NamedAs))
		}
		pairs := 0
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			return tx.QueryRowContext(ctx, `SELECT count(*) FROM machine_pair p JOIN machine_record a ON a.id = p.a
				JOIN machine_record b ON b.id = p.b WHERE a.device_id <> b.device_id
				AND (SELECT id FROM device WHERE code = ?) IN (a.device_id, b.device_id)`, device).Scan(&pairs)
		}); err != nil {
			t.Fatal(err)
		}
		return fmt.Sprint(pairs)
	case "change", "changeAt":
		for _, c := range changes {
			text := fmt.Sprintf("%s %s %s>%s", c.Kind, c.Name, c.Was, c.Now)
			if key == "change" && text == want || key == "changeAt" && fmt.Sprint(c.At) == want {
				return want
			}
		}
		return fmt.Sprint(changes)
	}
	v, err := prog.Evidence.Device(ctx, device)
	if err != nil {
		t.Fatal(err)
	}
	name, ended := strings.CutPrefix(key, "ended:")
	there := 0
	for _, i := range v.Software {
		if ended && i.Name == name && strings.Contains(i.Ended, want) {
			return want
		}
		if i.Until == 0 && "there:"+i.Name == key {
			there++
		}
	}
	return fmt.Sprint(there)
}

// measureUse reads what measuring says of a product: its ledger, its pools, and its days of use on each device.
func measureUse(tx *sqlite.Tx, prog *program.Program, product int64, got map[string]int64) error {
	ctx := context.Background()
	booked, err := worklistdb.AllBooked(tx)
	if err != nil {
		return err
	}
	for _, b := range booked {
		if b.Product == product {
			if strings.HasPrefix(b.Amount, "-") {
				got["realised"]--
			} else {
				got["realised"]++
			}
		}
	}
	lost, err := usedb.UseLostOf(tx, 0)
	if err != nil {
		return err
	}
	got["use:future"], got["use:cut"] = lost.Future, lost.Cut
	names, err := used.Names(tx)
	if err != nil {
		return err
	}
	codes, err := stored.CodesOfDevices(tx)
	if err != nil {
		return err
	}
	use, err := prog.Use.UseOver(ctx, product, 1)
	if err != nil {
		return err
	}
	for _, n := range names {
		if !slices.Contains(use.Files, n.FileName) {
			continue
		}
		today := prog.Snapshots.Today()
		if err := used.EachDay(tx, []int64{n.ID}, nil, 0, today, func(d used.Day) error {
			got["days:"+codes[d.Device]]++
			got["minutes:"+codes[d.Device]] += d.Run / 60
			return nil
		}); err != nil {
			return err
		}
	}
	pools, err := usedb.PoolList(prog.Snapshots.Today()).Page(
		tx,
		sqlite.ListQuery{Filters: map[string]string{"productId": fmt.Sprint(product)}})
	if err != nil {
		return err
	}
	for _, p := range pools.Rows {
		got["alert:"+p.Alert]++
		if mail, err := outbox.MailList().Page(tx,
			sqlite.ListQuery{Search: "Shared licences", Limit: 50}); err != nil {
			return err
		} else if slices.ContainsFunc(mail.Rows,
			func(m outbox.Mail) bool { return strings.Contains(m.Body, "\n"+p.Code+" (") }) {
			got["told:"+p.Alert]++
		}
		v, err := prog.Use.Pool(ctx, p.ID, 30)
		if err != nil {
			return err
		}
		if v.Hours[9].Denials+v.Hours[10].Denials > 20 {
			got["pool:denied at ten"] = 1
		}
		if v.Hours[12].Mean < 1 && v.Hours[12].Denials == 0 {
			got["pool:idle at noon"] = 1
		}
		if p.Peak == got["needed"] {
			got["pool:peak is needed"] = 1
		}
	}
	return nil
}

// measure reads from the program what a truth is about.
func measure(t *testing.T, prog *program.Program, truth Truth) (map[string]int64, string) {
	t.Helper()
	ctx := context.Background()
	got := map[string]int64{}
	exposure := ""
	ids, err := prog.Position.FindProducts(ctx, truth.Publisher+" "+truth.Product)
	if err != nil || len(ids) != 1 {
		ids, err = prog.Position.FindProducts(ctx, truth.Product)
	}
	if err != nil || len(ids) != 1 {
		t.Fatalf("%s: products %v, %v", truth.Product, ids, err)
	}
	days := []string{""}
	for key := range truth.Want {
		if _, day, ok := strings.Cut(key, "@"); ok {
			days = append(days, day)
		}
	}
	for _, d := range days {
		p, err := prog.Position.ProductPosition(ctx, ids[0], civil.MustParse(d), 0)
		if err != nil {
			t.Fatal(err)
		}
		if d == "" {
			for _, h := range p.Hosting {
				got["included"] += h.Included
			}
		}
		for _, m := range p.Metrics {
			if m.Metric != truth.Metric {
				continue
			}
			if d != "" {
				got["needed@"+d] = m.Needed
				continue
			}
			got["owned"], got["needed"], got["covered"], got["short"], got["surplus"], got["low"], got["high"],
				got["free"], got["outside"], got["buy"] = m.Owned, m.Needed, m.Covered, m.Short, m.Surplus, m.Low,
				m.High, m.Free, m.Outside, m.Buy
			if m.Counted {
				got["counted"] = 1
			}
			if !m.Proof.Best && m.Counted {
				t.Errorf("%s: the allocation is not shown to be the best: %+v", truth.Story, m.Proof)
			}
			exposure = m.Exposure + " " + m.Currency
			for _, g := range m.Groups {
				if g.Line == "" {
					got["gap:"+g.Reason] += int64(g.Count)
				}
			}
		}
	}
	for key := range truth.Want {
		if strings.HasPrefix(key, "renewal:") {
			list, err := prog.Entitlements.Renewals(ctx, 0, 90)
			if err != nil {
				t.Fatal(err)
			}
			for _, r := range list {
				if r.ProductID == ids[0] {
					got["renewal:"+r.Advice]++
				}
			}
		}
	}
	err = prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		product := fmt.Sprint(ids[0])
		cases, err := lists.CaseList().
			Page(tx, sqlite.ListQuery{Filters: map[string]string{"productId": product}})
		if err != nil {
			return err
		}
		for _, c := range cases.Rows {
			got["cases:"+c.Kind]++
			got["worth:"+c.Worth]++
			got[c.State]++
			got["back"] += c.CameBack
			if c.Kind == "pool" {
				got["quantity:pool"] = c.Quantity
			}
		}
		if err := measureUse(tx, prog, ids[0], got); err != nil {
			return err
		}
		releases, err := titlesdb.ReleaseList(prog.Snapshots.Today()).Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"productId": product}})
		if err != nil {
			return err
		}
		facts, err := titlesdb.ReleaseFacts(tx)
		if err != nil {
			return err
		}
		for _, r := range releases.Rows {
			name := "release " + r.Version
			got[name], got[name+" before"], got[name+" "+r.Phase] = facts[r.ID].Devices, r.YearBefore, 1
		}
		uses, err := usedb.UseList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"productId": product}})
		for _, u := range uses.Rows {
			got["class:"+u.Class]++
		}
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return got, exposure
}

// decideEcho decides the name that hides a shortfall: 11 devices join, 25 are needed and 20 owned.
func decideEcho(t *testing.T, prog *program.Program) {
	ctx := context.Background()
	ids, err := prog.Position.FindProducts(ctx, "Lodeglass Echo")
	if err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	d := titles.NameDecision{Keys: []string{"qstone|lgecho workstation"}, Product: ids[0]}
	effect, err := prog.Titles.PreviewDecision(ctx, d, "tester")
	if err != nil || len(effect.Moves) != 1 || effect.Moves[0].NeededAfter != 25 || effect.Moves[0].After != -5 {
		t.Fatalf("%+v, %v", effect, err)
	}
	short := func() int64 {
		p, err := prog.Position.ProductPosition(ctx, ids[0], 0, 0)
		if err != nil {
			t.Fatal(err)
		}
		return p.Metrics[0].Short
	}
	if short() != 0 {
		t.Error("the preview has changed the position")
	}
	if _, err := prog.Titles.Decide(ctx, d, "tester"); err != nil {
		t.Fatal(err)
	}
	if short() != 5 {
		t.Errorf("after the decision %d are short", short())
	}
	if err := prog.Titles.Withdraw(ctx, d.Keys[0], 1, "tester"); err != nil || short() != 0 {
		t.Errorf("after taking it back %d are short, %v", short(), err)
	}
}

func TestTheSameSeedGivesTheSameWorld(t *testing.T) {
	one, err := Generate(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	two, err := Generate(t.TempDir())
	if err != nil || fmt.Sprint(one) != fmt.Sprint(two) {
		t.Errorf("two worlds from one seed: %v", err)
	}
}

// A vessel is in port for four days of every three weeks, each at its own time; what lies ashore always is.
func TestVesselsComeIntoPort(t *testing.T) {
	for unit := range turns {
		for start := range 40 {
			n := 0
			for day := range 21 {
				if InPort(unit, Now.AddDate(0, 0, start+day)) {
					n++
				}
			}
			if n != 4 {
				t.Errorf("%s is in port on %d days of the three weeks from day %d on", unit, n, start)
			}
		}
	}
	for day := -firstDays; day < 3; day++ {
		if InPort("Sea/Eider", Now.AddDate(0, 0, day)) {
			t.Errorf("Eider is in port on day %d, and its silence is a story", day)
		}
	}
	if !InPort("Sea/Eider", Now.AddDate(0, 0, 3)) || !InPort("Shore/Charting", Now) {
		t.Error("Eider does not come in, or the shore is out at sea")
	}
}
