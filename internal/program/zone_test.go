package program

import (
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence"
)

// The house's days turn by its own time zone, in this program and in the next one on the same file, and what rests on
// days is computed anew.
func TestTheHouseHasATimeZone(t *testing.T) {
	prog, clock := desk(t)
	base(t, prog)
	clock.now = time.Date(2026, 6, 30, 13, 30, 0, 0, time.UTC)
	if err := prog.Pipeline.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	rules, err := prog.Evidence.Rules(t.Context())
	if err != nil || *rules.Zone != "UTC" || *rules.DemandDays != 30 || *rules.LeastShare != 0.8 {
		t.Fatalf("%+v, %v", rules, err)
	}
	auckland, days, share := "Pacific/Auckland", 60, 0.5
	rules.Zone, rules.DemandDays, rules.LeastShare = &auckland, &days, &share
	if err := prog.Evidence.SetRules(t.Context(), rules, "me"); err != nil {
		t.Fatal(err)
	}
	next := civil.MustParse("2026-07-01")
	if prog.Snapshots.Today() != next || !dirty(t, prog) {
		t.Errorf("today is %v in Auckland, to be renewed: %v", prog.Snapshots.Today(), dirty(t, prog))
	}
	if again := New(prog.DB, clock); again.Snapshots.Today() != next {
		t.Errorf("after a new start today is %v", again.Snapshots.Today())
	}
	back, err := prog.Evidence.Rules(t.Context())
	if err != nil || *back.Zone != auckland || *back.DemandDays != days || *back.LeastShare != share {
		t.Errorf("%+v, %v", back, err)
	}
	// what a request does not name stays
	few := evidence.Rules{FreshDays: 30, UseWindow: 90, GraceDays: 30, Revision: back.Revision}
	if err := prog.Evidence.SetRules(t.Context(), few, "me"); err != nil {
		t.Fatal(err)
	}
	if back, err = prog.Evidence.Rules(t.Context()); err != nil || *back.Zone != auckland || *back.DemandDays != days {
		t.Errorf("%+v, %v", back, err)
	}
	for _, bad := range []string{"Middle/Earth", "Local"} {
		few.Zone = &bad
		if err := prog.Evidence.SetRules(t.Context(), few, "me"); !refuse.Is(err) {
			t.Errorf("the zone %s: %v", bad, err)
		}
	}
	if prog.Snapshots.Today() != next {
		t.Error("a zone that was refused holds")
	}
}

// Setting a site's zone renews what hangs on it.
func TestASitesZoneRenews(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	if err := prog.Pipeline.Refresh(t.Context()); err != nil {
		t.Fatal(err)
	}
	if dirty(t, prog) {
		t.Fatal("something is marked before")
	}
	if err := prog.Evidence.SetSiteZone(t.Context(), "Quay", "Pacific/Auckland"); err != nil {
		t.Fatal(err)
	}
	if !dirty(t, prog) {
		t.Error("nothing is marked")
	}
}
