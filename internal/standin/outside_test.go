package standin

import (
	"bytes"
	"context"
	"encoding/csv"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"ensomet/internal/api"
	"ensomet/internal/core/casework"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/lists"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

func caseOf(t *testing.T, prog *program.Program, id int64) casework.Case {
	t.Helper()
	var c casework.Case
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		c, err = worklistdb.CaseByID(tx, id)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return c
}

// removeGame takes one restricted install through to gone by a later scan, and back again by a scan after that.
func removeGame(t *testing.T, prog *program.Program, o *Outside) {
	ctx := context.Background()
	var first lists.CaseRow
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.CaseList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"kind": "restricted"}, Sort: "id", Limit: 1})
		if err == nil {
			first = page.Rows[0]
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	act := func(what casework.Act) error {
		_, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{first.ID}, Act: what}, "tester")
		return err
	}
	if act(casework.Send) == nil {
		t.Error("sent before anybody agreed")
	}
	for _, what := range []casework.Act{casework.Agree, casework.Send} {
		if err := act(what); err != nil {
			t.Fatal(err)
		}
	}
	var before [][]string
	device := caseDevice(t, prog, first.DeviceID)
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		before, err = export.DeviceLines(tx, device, Now)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil || caseOf(t, prog, first.ID).State != casework.Waiting {
		t.Fatalf("without later evidence the case is %s, %v", caseOf(t, prog, first.ID).State, err)
	}
	if n, err := o.MoveOn(ctx, prog, 1); err != nil || n < 1 {
		t.Fatalf("%d scans came, %v", n, err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil || caseOf(t, prog, first.ID).State != casework.Gone {
		t.Fatalf("after the scan the case is %s, %v", caseOf(t, prog, first.ID).State, err)
	}
	// A later scan finds it again: somebody has put it back.
	var buf bytes.Buffer
	w := csv.NewWriter(&buf)
	w.Write(formats.Installs.Columns[:16])
	for _, line := range before {
		line = slices.Clone(line)
		line[15] = o.Now().Add(30 * time.Minute).Format(time.RFC3339)
		w.Write(line)
	}
	w.Flush()
	if _, err := prog.Evidence.Import(ctx,
		intake.ImportRequest{Kind: formats.Installs, File: "late", In: &buf, Author: "tester"}); err != nil {
		t.Fatal(err)
	}
	if _, err := o.MoveOn(ctx, prog, 1); err != nil {
		t.Fatal(err)
	}
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	if c := caseOf(t, prog, first.ID); c.State != casework.Open || c.CameBack != 1 {
		t.Errorf("back again, the case is %s and came back %d times", c.State, c.CameBack)
	}
	var steps []casework.Step
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		steps, err = worklistdb.Steps(tx, first.ID)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	var path []string
	for _, s := range steps {
		path = append(path, string(s.To))
	}
	if !slices.Equal(path, []string{"open", "agreed", "waiting", "sent", "sent", "gone", "open"}) {
		t.Errorf("the case went %v", path)
	}
}

func caseDevice(t *testing.T, prog *program.Program, id int64) string {
	t.Helper()
	code := ""
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := lists.DeviceList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"id": strconv.FormatInt(id, 10)}})
		if err == nil {
			code = page.Rows[0].Code
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return code
}

// The outside remembers its clock and its orders across a restart, takes an order once, and refuses what it cannot do.
func TestOutsideRemembers(t *testing.T) {
	ctx := context.Background()
	path := filepath.Join(t.TempDir(), "x.db")
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	o, err := OpenOutside(path)
	if err != nil {
		t.Fatal(err)
	}
	if !o.Now().Equal(Now) {
		t.Errorf("a new demo begins at %v", o.Now())
	}
	prog := program.New(db, o)
	for kind, text := range map[*formats.Kind]string{
		formats.Devices: "device_id\nD1\nD2\n", formats.Titles: "publisher,product\nO,S\n",
	} {
		if _, err := prog.Evidence.Import(ctx,
			intake.ImportRequest{Kind: kind, File: "x", In: strings.NewReader(text)}); err != nil {
			t.Fatal(err)
		}
	}
	installs := "device_id,publisher,name,version,install_path,last_used,source,seen_at\n" +
		"D1,O,S one,1,/opt/s,2026-06-01,collector,2026-06-28T10:00:00Z\n" +
		"D1,O,Other,1,,,collector,2026-06-28T10:00:00Z\nD2,O,S one,1,,,collector,2026-06-28T10:00:00Z\n"
	req := intake.ImportRequest{Kind: formats.Installs, File: "x", In: strings.NewReader(installs)}
	if _, err := prog.Evidence.Import(ctx, req); err != nil {
		t.Fatal(err)
	}
	order := worklist.Order{ID: 7, Case: 7, What: "remove", Device: "D1", Product: "S", Names: []string{"S one"}}
	for range 2 { // the same order again is one order
		if err := o.Take(ctx, order); err != nil {
			t.Fatal(err)
		}
	}
	again, err := OpenOutside(path)
	if err != nil || len(again.state.Orders) != 1 {
		t.Fatalf("%+v, %v", again, err)
	}
	for _, days := range []int{0, -1, 401} {
		if _, err := again.MoveOn(ctx, prog, days); err == nil {
			t.Errorf("the clock moved by %d days", days)
		}
	}
	prog.Clock = again
	if _, err := again.MoveOn(ctx, prog, 1); err == nil || !again.Now().Equal(Now) {
		t.Errorf("without a server: %v, the clock stands at %v", err, again.Now())
	}
	again.Connect(api.New(prog, again))
	if n, err := again.MoveOn(ctx, prog, 3); err != nil || n != 1 {
		t.Fatal(n, err)
	}
	if n, err := again.MoveOn(ctx, prog, 1); err != nil || n != 0 {
		t.Errorf("with no order %d devices reported, %v", n, err)
	}
	if third, err := OpenOutside(path); err != nil || !third.Now().Equal(Now.AddDate(0, 0, 4)) ||
		len(third.state.Orders) != 0 {
		t.Errorf("%+v, %v", third, err)
	}
	left := map[string]string{}
	if err := db.View(ctx, func(tx *sqlite.Tx) error {
		for _, d := range []string{"D1", "D2"} {
			lines, err := export.DeviceLines(tx, d, again.Now())
			if err != nil {
				return err
			}
			var names []string
			for _, l := range lines {
				names = append(names, l[2])
			}
			left[d] = strings.Join(names, ",")
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	if left["D1"] != "Other" || left["D2"] != "S one" {
		t.Errorf("what is left: %v", left)
	}
	if err := os.WriteFile(path+".outside.json", []byte("{broken"), 0o644); err != nil {
		t.Fatal(err)
	}
	if _, err := OpenOutside(path); err == nil || !strings.Contains(err.Error(), "delete it") {
		t.Errorf("a broken file: %v", err)
	}
}

// The generated world is as the scenario says: sizes, spellings, devices that were never scanned, and names that
// nothing outside the invented world has.
func TestTheWorld(t *testing.T) {
	dir := t.TempDir()
	truths, err := Generate(dir)
	if err != nil {
		t.Fatal(err)
	}
	if len(truths) < 12 {
		t.Errorf("%d truths", len(truths))
	}
	rows := map[string][][]string{}
	for _, k := range formats.Kinds {
		f, err := os.Open(filepath.Join(dir, k.Name+".csv"))
		if os.IsNotExist(err) {
			continue
		}
		if err != nil {
			t.Fatal(err)
		}
		all, err := csv.NewReader(f).ReadAll()
		f.Close()
		if err != nil {
			t.Fatal(err)
		}
		rows[k.Name] = all[1:]
	}
	for kind, bounds := range map[string][2]int{"devices": {1150, 1300}, "users": {850, 950}, "titles": {500, 900},
		"installs": {200_000, 400_000}, "entitlements": {100, 300}, "usage": {1000, 5000}} {
		if n := len(rows[kind]); n < bounds[0] || n > bounds[1] {
			t.Errorf("%d %s", n, kind)
		}
	}
	products, publishers, scanned := map[string]bool{}, map[string]bool{}, map[string]bool{}
	for _, r := range rows["titles"] {
		products[r[1]], publishers[r[0]] = true, true
	}
	first, last := "9", ""
	for _, r := range rows["installs"] {
		scanned[r[0]] = true
		first, last = min(first, r[15]), max(last, r[15])
	}
	if len(products) < 300 || len(publishers) < 55 {
		t.Errorf("%d products of %d publishers", len(products), len(publishers))
	}
	if never := len(rows["devices"]) - len(scanned); never != 12 {
		t.Errorf("%d devices were never scanned", never)
	}
	if first > "2025-01-31" || last > Now.Format(time.RFC3339) {
		t.Errorf("scans from %s to %s", first, last)
	}
}
