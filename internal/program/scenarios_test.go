package program

import (
	"context"
	"errors"
	"testing"

	"ensomet/internal/edits"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
)

// A scenario that takes seats back ends those of its users alone, on the day before, and says what somebody has to do
// elsewhere; one that was put away is no longer there, and cannot be done.
func TestScenarioOfSeats(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"N-1,Ostwick,Skerrymap,named_user,2")
	take(t, prog, formats.Assignments, "entitlement_id,user_id,from", "N-1,u1,2026-01-01", "N-1,u2,2026-06-30")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 2 {
		t.Fatalf("%+v", f)
	}
	id := mustProduct(t, prog, "Skerrymap")
	kept, err := prog.Worklist.SaveScenario(ctx, worklist.Scenario{Name: "fewer seats", Measures: []snapshot.Measure{
		{Kind: "reclaim", Product: id, Users: []string{"u1", "u2"}},
		{Kind: "metric", Product: id, Line: "N-1", Metric: "device"},
	}}, "me")
	if err != nil {
		t.Fatal(err)
	}
	away, err := prog.Worklist.SaveScenario(ctx, worklist.Scenario{Name: "put away", Measures: kept.Measures}, "me")
	if err != nil {
		t.Fatal(err)
	}
	if err := prog.Worklist.DropScenario(ctx, away.ID, seen(t, prog, edits.Scenario, away.ID), "me"); err != nil {
		t.Fatal(err)
	}
	if err := prog.Worklist.DropScenario(ctx, away.ID, seen(t, prog, edits.Scenario, away.ID), "me"); !errors.Is(err,
		sqlite.ErrNotFound) {
		t.Errorf("put away twice: %v", err)
	}
	if _, err := prog.Worklist.DoScenario(ctx, away.ID, away.Revision, "me"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("what was put away is done: %v", err)
	}
	if list, err := prog.Worklist.Scenarios(ctx); err != nil || len(list) != 1 || list[0].Name != "fewer seats" {
		t.Errorf("%+v, %v", list, err)
	}
	if _, err := prog.Worklist.DoScenario(ctx, kept.ID, kept.Revision+1, "you"); !errors.Is(err,
		sqlite.ErrChangedMeanwhile) {
		t.Errorf("done as somebody else saw it: %v", err)
	}
	done, err := prog.Worklist.DoScenario(ctx, kept.ID, kept.Revision, "me")
	if err != nil || done.Seats != 2 || done.Cases != 0 || done.Requests != 1 || len(done.Left) != 1 {
		t.Fatalf("%+v, %v", done, err)
	}
	seats, err := listed(prog, prog.Entitlements.Seats, sqlite.ListQuery{})
	if err != nil || len(seats.Rows) != 1 || seats.Rows[0].User != "u1" ||
		seats.Rows[0].Until.String() != "2026-06-29" {
		t.Errorf("a seat of today is taken away, an older one ends yesterday: %+v, %v", seats.Rows, err)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Errorf("%+v", f)
	}
}

// A set for starters without products is taken away, once.
func TestStarterSetGoes(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	set := entitlementsdb.StarterSet{Name: "office", Products: []int64{mustProduct(t, prog, "Skerrymap")}}
	var err error
	if set.ID, err = prog.Entitlements.PutStarterSet(ctx, set, "me"); err != nil {
		t.Fatal(err)
	}
	set.Products = nil
	if _, err := prog.Entitlements.PutStarterSet(ctx, set, "me"); err != nil {
		t.Fatal(err)
	}
	if list, err := prog.Entitlements.StarterSets(ctx); err != nil || len(list) != 0 {
		t.Errorf("%+v, %v", list, err)
	}
	if _, err := prog.Entitlements.Start(ctx, set.ID, "u1", false, false, "me"); !errors.Is(err, sqlite.ErrNotFound) {
		t.Errorf("somebody starts with a set that is gone: %v", err)
	}
}
