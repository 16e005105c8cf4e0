package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/recognise"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

type movable struct{ now time.Time }

func (m *movable) Now() time.Time { return m.now }

// empty is a data file with nothing in it, made once: making it takes longer than many a test.
var empty = sync.OnceValues(func() ([]byte, error) {
	dir, err := os.MkdirTemp("", "ensomet-program")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(dir)
	path := filepath.Join(dir, "empty.db")
	db, err := sqlite.Open(context.Background(), path)
	if err != nil {
		return nil, err
	}
	if err := db.Close(); err != nil {
		return nil, err
	}
	return os.ReadFile(path)
})

func desk(t *testing.T) (*Program, *movable) {
	t.Helper()
	path := filepath.Join(t.TempDir(), "test.db")
	text, err := empty()
	if err == nil {
		err = os.WriteFile(path, text, 0o600)
	}
	if err != nil {
		t.Fatal(err)
	}
	db, err := sqlite.Open(context.Background(), path)
	if err != nil {
		t.Fatal(err)
	}
	clock := &movable{time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC)}
	prog := New(db, clock)
	t.Cleanup(func() {
		prog.Close()
		db.Close()
	})
	return prog, clock
}

func take(t *testing.T, prog *Program, kind *formats.Kind, lines ...string) intake.ImportResult {
	t.Helper()
	res, err := prog.Evidence.Import(
		context.Background(),
		intake.ImportRequest{
			Kind:   kind,
			File:   kind.Name + ".csv",
			In:     strings.NewReader(strings.Join(lines, "\n") + "\n"),
			Author: "test",
		},
	)
	if err != nil {
		t.Fatal(err)
	}
	return res
}

// listed reads all of a list.
func listed[T any](
	prog *Program,
	list func(*sqlite.ListQuery) (*sqlite.List[T], error),
	q sqlite.ListQuery,
) (page sqlite.Page[T], err error) {
	l, err := list(&q)
	if err != nil {
		return page, err
	}
	err = prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		page, err = l.Page(tx, q)
		return err
	})
	return page, err
}

const installHeader = "device_id,publisher,name,version,last_used,source,seen_at"

func base(t *testing.T, prog *Program) {
	t.Helper()
	take(
		t,
		prog,
		formats.Titles,
		"publisher,product,version,licence_model,list_price,currency,suite",
		"Ostwick,Skerrymap,6,commercial,100,EUR,",
		"Ostwick,Suite,,commercial,500,EUR,",
		"Ostwick,Part,,commercial,50,EUR,Suite",
	)
	take(
		t,
		prog,
		formats.Devices,
		"device_id,kind,primary_user,org_unit",
		"D1,client,u1,A",
		"D2,client,u2,A/B",
		"D3,client,,C",
	)
	take(t, prog, formats.Users, "user_id,name,org_unit", "u1,Dagne,A", "u2,Livar,A/B")
}

func figure(t *testing.T, prog *Program, product string) snapshot.Figure {
	t.Helper()
	var out snapshot.Figure
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
	ids, err := prog.Position.FindProducts(context.Background(), product)
	if err != nil || len(ids) != 1 {
		t.Fatal(ids, err)
	}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		list, err := snapshot.StoredFigures(tx)
		for _, f := range list {
			if f.Product == ids[0] {
				out = f
			}
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

func TestSuiteFoldsWhereItIsPresent(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Suite,1,,,2026-06-29T10:00:00Z",
		"D1,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
	)
	if f := figure(t, prog, "Part"); f.Needed != 1 {
		t.Errorf("the part is needed %d times", f.Needed)
	}
	// Its last part arrives later: a scan of D2 that has the suite too.
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D2,Ostwick,Suite,1,,,2026-06-30T06:00:00Z",
		"D2,Ostwick,Part,1,,,2026-06-30T06:00:00Z",
	)
	if f := figure(t, prog, "Part"); f.Needed != 0 {
		t.Errorf("beside its suite on every device, the part is still needed %d times", f.Needed)
	}
	if f := figure(t, prog, "Suite"); f.Needed != 2 || f.Exposure != "1000" {
		t.Errorf("the suite: %+v", f)
	}
}

func TestTwoSourcesCountOnceAndGoOneByOne(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,one,2026-06-29T10:00:00Z",
		"D1,OSTWICK,Skerrymap 6,6.1,,two,2026-06-29T11:00:00Z",
	)
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Errorf("%d needed", f.Needed)
	}
	take(t, prog, formats.Installs, installHeader, "D1,x,Other,1,,one,2026-06-30T06:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 {
		t.Errorf("one source no longer sees it, the other does: %d needed", f.Needed)
	}
	take(t, prog, formats.Installs, installHeader, "D1,x,Other,1,,two,2026-06-30T06:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Errorf("no source sees it: %d needed", f.Needed)
	}
}

// A line that is mended belongs to the scan it came with: nothing else of that scan goes, and the same file again
// changes nothing.
func TestMendedLineJoinsItsScan(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	lines := []string{
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D1,Ostwick,Part,1,soon,,2026-06-29T10:00:00Z",
	}
	if res := take(t, prog, formats.Installs, lines...); len(res.Aside) != 1 || res.Aside[0].Line != 3 {
		t.Fatalf("%+v", res)
	}
	var waiting []evidencedb.Aside
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		waiting, err = evidencedb.Asides(tx, "waiting")
		return err
	}); err != nil || len(waiting) != 1 {
		t.Fatal(waiting, err)
	}
	var bad *formats.LineError
	if err := prog.Evidence.Mend(ctx, waiting[0].ID, "D1,Ostwick,Part,1,later,,2026-06-29T10:00:00Z",
		"test"); !errors.As(
		err,
		&bad,
	) {
		t.Errorf("a line that is still wrong: %v", err)
	}
	if err := prog.Evidence.Mend(ctx, waiting[0].ID, "D1,Ostwick,Part,1,2026-06-01,,2026-06-29T10:00:00Z",
		"test"); err != nil {
		t.Fatal(err)
	}
	if figure(t, prog, "Part").Needed != 1 || figure(t, prog, "Skerrymap").Needed != 1 {
		t.Error("the mended line or the rest of its scan is missing")
	}
	res := take(t, prog, formats.Installs, lines...)
	if res.Added+res.Changed+res.Gone != 0 || len(res.Aside) != 0 || res.Settled != 1 {
		t.Errorf("the same file again: %+v", res)
	}
	if err := prog.Evidence.Mend(ctx, waiting[0].ID, "x", "test"); err == nil {
		t.Error("a line is mended twice")
	}
}

func TestNamedUsersComeFromDevicesSeatsAndUse(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Users, "user_id,name", "u3,Perlo", "u4,Quille")
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity",
		"E1,Ostwick,Skerrymap,named_user,3",
	)
	take(
		t,
		prog,
		formats.Assignments,
		"entitlement_id,user_id,from,until",
		"E1,u3,2026-01-01,",
		"E1,u4,2025-01-01,2025-12-31",
	)
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
	)
	// u1 and u2 by their devices, u3 by a seat; D3 has no known user and counts as one; u4's seat has ended.
	if f := figure(t, prog, "Skerrymap"); f.Needed != 4 || f.Short != 1 {
		t.Errorf("%+v", f)
	}
	take(
		t,
		prog,
		formats.Usage,
		"device_id,user_id,product,started_at,ended_at",
		"D3,u4,Skerrymap,2026-06-20T10:00:00Z,2026-06-20T11:00:00Z",
		"D3,u1,Skerrymap,2026-06-20T10:00:00Z,2026-06-20T11:00:00Z",
	)
	if f := figure(t, prog, "Skerrymap"); f.Needed != 5 {
		t.Errorf("u4 used it in the window, u1 counts already: %+v", f)
	}
}

func TestStandardsOfAClean(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	ctx := context.Background()
	// A device with a scan and no install is clean; one without a scan is unknown, and both are told apart.
	take(t, prog, formats.Devices, "device_id,last_scan", "D8,2026-06-29", "D9,")
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	for code, want := range map[string]string{"D8": "fresh", "D9": "never"} {
		if d, err := prog.Evidence.Device(ctx, code); err != nil || d.Age != want {
			t.Errorf("%s is %q, %v", code, d.Age, err)
		}
	}
	if _, err := prog.Evidence.Device(ctx, "D77"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("%v", err)
	}
}

func TestKeepingNeedsAReasonAndAnEnd(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Policies, "publisher,product,stance,reason,group", "Ostwick,Part,restricted,not here,A")
	take(
		t,
		prog,
		formats.Installs,
		installHeader,
		"D2,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
		"D3,Ostwick,Part,1,,,2026-06-29T10:00:00Z",
	)
	state := func() casework.State {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		var list []casework.Case
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			list, err = worklistdb.Cases(tx)
			return err
		}); err != nil || len(list) != 2 || list[1].Kind != casework.Uncovered {
			t.Fatal(list, err)
		}
		return list[0].State
	}
	if s := state(); s != casework.Open { // D3 is in unit C and allowed to have it
		t.Fatal(s)
	}
	for _, bad := range []struct{ note, until string }{{"", "2026-12-31"}, {"needed", ""}, {"needed", "2026-06-30"}} {
		if _, err := prog.Worklist.CaseAct(ctx,
			worklist.CaseAction{IDs: []int64{1}, Act: casework.Keep, Note: bad.note, Until: bad.until},
			"test"); err == nil {
			t.Errorf("kept with %+v", bad)
		}
	}
	if _, err := prog.Worklist.CaseAct(ctx,
		worklist.CaseAction{IDs: []int64{1}, Act: casework.Keep, Note: "needed for the survey", Until: "2026-07-05"},
		"test"); err != nil {
		t.Fatal(err)
	}
	if s := state(); s != casework.Kept {
		t.Error(s)
	}
	clock.now = clock.now.AddDate(0, 0, 6)
	if s := state(); s != casework.Open {
		t.Errorf("the exception has ended and the case is %s", s)
	}
	if _, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: casework.Agree},
		"test"); err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Worklist.CaseAct(ctx, worklist.CaseAction{IDs: []int64{1}, Act: casework.Send},
		"test"); err == nil ||
		!strings.Contains(err.Error(), "no deployment tool") {
		t.Errorf("sent without a deployment tool: %v", err)
	}
}

// Decisions one by one, imports in between: what is stored always equals a full recomputation, and no decision is lost.
func TestStoredEqualsRecomputedOverRandomChanges(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	r := rand.New(rand.NewPCG(3, 9))
	names := []string{"Skerrymap", "SKM odd", "Part", "Suite", "Colour Tool", "Prt special"}
	decided := map[string]int64{}
	for step := range 70 {
		switch r.IntN(8) {
		case 7:
			product := int64(1 + r.IntN(3))
			p, err := prog.Catalogue.Product(ctx, product)
			if err != nil {
				t.Fatal(err)
			}
			l := p.Lines[0]
			says := []map[string]string{{"aliases": names[r.IntN(6)]},
				{"list_price": fmt.Sprint(10+r.IntN(90), " EUR")},
				{"released": "2026-01-01", "end_of_life": fmt.Sprintf("2026-0%d-01", 2+r.IntN(8))},
				{"licence_model": []string{"free", "commercial"}[r.IntN(2)]}}[r.IntN(4)]
			if _, err := prog.Catalogue.EditTitle(ctx,
				titles.TitleEdit{Product: product, Title: l.ID, Edition: l.Edition, Version: l.Version,
					Revision: l.Revision, Says: says}, "test"); err != nil {
				t.Fatal(err)
			}
		case 0, 1:
			clock.now = clock.now.Add(2 * time.Hour)
			lines := []string{installHeader}
			for _, d := range []string{"D1", "D2", "D3"} {
				for _, n := range names {
					if r.IntN(2) == 0 {
						lines = append(
							lines,
							fmt.Sprintf(
								"%s,Ostwick,%s,%d,,,%s",
								d,
								n,
								5+r.IntN(3),
								clock.now.Add(-time.Duration(r.IntN(300))*time.Minute).Format(time.RFC3339),
							),
						)
					}
				}
			}
			take(t, prog, formats.Installs, lines...)
		case 2:
			take(
				t,
				prog,
				formats.Entitlements,
				"entitlement_id,publisher,product,version,metric,quantity,rights",
				fmt.Sprintf(
					"E%d,Ostwick,%s,%s,%s,%d,%s",
					r.IntN(6),
					names[[]int{0, 2, 3}[r.IntN(3)]],
					[]string{"", "6"}[r.IntN(2)],
					[]string{"device", "named_user", "installation"}[r.IntN(3)],
					r.IntN(4),
					[]string{"", "older_versions"}[r.IntN(2)],
				),
			)
		case 4:
			rule := titles.RuleDraft{
				Name:    fmt.Sprint("rule ", step),
				Outcome: []string{"title", "nothing", "leave_out"}[r.IntN(3)],
				Records: asks("name", "like", names[r.IntN(6)]+"*"),
				Product: int64(1 + r.IntN(3)),
				Reason:  "tried",
			}
			if rule.Outcome == "leave_out" {
				rule.Devices = asks("name", "is", fmt.Sprint("D", 1+r.IntN(3)))
			}
			if _, err := prog.Titles.PutRule(ctx, rule, "test"); err != nil {
				t.Fatal(err)
			}
		case 5:
			l := titles.ExclusionDraft{
				Devices: []string{fmt.Sprint("D", 1+r.IntN(3))},
				Product: int64(1 + r.IntN(3)),
				Reason:  "tried",
				Again:   r.IntN(3) == 0,
			}
			if _, err := prog.Titles.Exclude(ctx, l, "test"); err != nil && !l.Again {
				t.Fatal(err)
			}
		case 6:
			if _, err := prog.Catalogue.PutSuite(ctx,
				titles.SuiteDraft{Product: 2, Need: r.IntN(2),
					Parts: []recognise.SuitePart{{Product: 1, Version: []string{"", "6"}[r.IntN(2)]}, {Product: 3}}},
				"test"); err != nil {
				t.Fatal(err)
			}
		case 3:
			key := "ostwick|" + strings.ToLower(names[[]int{1, 4, 5}[r.IntN(3)]])
			d := titles.NameDecision{Keys: []string{key}, Product: int64(r.IntN(4))}
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			if _, err := prog.Titles.Decide(ctx, d, "test"); err == nil {
				decided[key] = d.Product
			}
		}
		wrong, err := prog.Pipeline.Check(ctx)
		if err != nil || len(wrong) > 0 {
			t.Fatalf("step %d: %v %v", step, wrong, err)
		}
	}
	if len(decided) == 0 {
		t.Fatal("no decision was taken")
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.Decisions(tx)
		for _, d := range list {
			if want, ok := decided[d.Key]; !ok || want != d.Product {
				t.Errorf("the decision about %s is %d, was %d", d.Key, d.Product, want)
			}
			delete(decided, d.Key)
		}
		return err
	}); err != nil || len(decided) > 0 {
		t.Errorf("lost: %v, %v", decided, err)
	}
}

// A change that comes in while figures are being computed stays marked: the next renewal counts it.
func TestAChangeDuringARenewalIsNotLost(t *testing.T) {
	ctx := context.Background()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z")
	other := New(prog.DB, clock) // another program on the same file
	done := make(chan error, 1)
	go func() { done <- prog.Pipeline.Refresh(ctx) }()
	take(t, other, formats.Installs, installHeader, "D2,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z")
	if err := <-done; err != nil {
		t.Fatal(err)
	}
	for range 3 {
		dirty, err := prog.Renewal.Dirty(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if !dirty {
			break
		}
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
	}
	if dirty, err := prog.Renewal.Dirty(ctx); dirty || err != nil {
		t.Fatal(dirty, err)
	}
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := snapshot.StoredFigures(tx)
		if err == nil && (len(list) != 1 || list[0].Needed != 2) {
			t.Errorf("%+v", list)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
}
