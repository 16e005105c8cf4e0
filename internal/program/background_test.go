package program

import (
	"context"
	"fmt"
	"testing"
	"time"

	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
)

// rests waits until nothing is renewed in the background, nor waits to be.
func rests(t *testing.T, a *Program) {
	t.Helper()
	for range 4000 {
		if !a.Renewal.Status().Running {
			return
		}
		time.Sleep(5 * time.Millisecond)
	}
	t.Fatal("figures are renewed without end")
}

func dirty(t *testing.T, a *Program) bool {
	t.Helper()
	d, err := a.Renewal.Dirty(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// install brings one install by file, and so one change.
func install(t *testing.T, a *Program, n int) {
	t.Helper()
	take(t, a, formats.Installs, installHeader, fmt.Sprintf("D1,Ostwick,Skerrymap,6,,,2026-06-2%dT10:00:00Z", n))
}

// What changes figures renews them without anybody asking for it, and changes that come together are renewed together.
func TestACommitRenews(t *testing.T) {
	a, _ := desk(t)
	a.Begin()
	defer a.Close()
	base(t, a)
	rests(t, a)
	before := a.Renewal.Status().Renewals
	for i := range 5 {
		install(t, a, i)
	}
	if !a.Renewal.Status().Running {
		t.Error("nothing says that figures wait to be renewed")
	}
	rests(t, a)
	if n := a.Renewal.Status().Renewals - before; n < 1 || n > 2 {
		t.Errorf("renewed %d times for five changes at once", n)
	}
	if f := figure(t, a, "Skerrymap"); f.Needed != 1 || dirty(t, a) {
		t.Errorf("needed %d, still marked: %v", f.Needed, dirty(t, a))
	}
}

// One change is one renewal, whatever else looks whether there is something to renew.
func TestOneChangeIsOneRenewal(t *testing.T) {
	ctx := context.Background()
	a, _ := desk(t)
	base(t, a)
	a.Begin()
	defer a.Close()
	rests(t, a)
	before := a.Renewal.Status().Renewals
	install(t, a, 1)
	for range 3 {
		a.EachMinute(ctx)
		time.Sleep(50 * time.Millisecond)
	}
	rests(t, a)
	a.EachMinute(ctx)
	rests(t, a)
	if n := a.Renewal.Status().Renewals - before; n != 1 {
		t.Errorf("renewed %d times", n)
	}
	if err := a.Entitlements.EditLine(ctx, entitlements.LineEdit{}, "test"); err == nil {
		t.Fatal("a line that is not there was changed")
	}
	rests(t, a)
	if n := a.Renewal.Status().Renewals - before; n != 1 {
		t.Error("what failed renewed figures")
	}
}

// Whoever builds something step by step is not disturbed; what came meanwhile is renewed after it.
func TestHeldFiguresStay(t *testing.T) {
	a, _ := desk(t)
	a.Begin()
	defer a.Close()
	release := a.Renewal.Hold()
	base(t, a)
	time.Sleep(2 * renewal.LeastPause)
	rests(t, a)
	if n := a.Renewal.Status().Renewals; n != 0 || !dirty(t, a) {
		t.Errorf("renewed %d times while held", n)
	}
	release()
	rests(t, a)
	if n := a.Renewal.Status().Renewals; n != 1 || dirty(t, a) {
		t.Errorf("renewed %d times after it", n)
	}
}

// Closing ends a renewal that runs, and nothing begins after it; what it had not done stays marked for the next start.
func TestClosingEndsWhatRuns(t *testing.T) {
	a, clock := desk(t)
	a.Begin()
	base(t, a)
	install(t, a, 9)
	for a.Renewal.Status().Renewals == 0 && !a.Renewal.Running() {
		time.Sleep(time.Millisecond)
	}
	a.Close()
	if s := a.Renewal.Status(); s.Error != "" || a.Renewal.Running() {
		t.Errorf("after closing: %+v", s)
	}
	n := a.Renewal.Status().Renewals
	install(t, a, 8)
	time.Sleep(2 * renewal.LeastPause)
	if a.Renewal.Status().Renewals != n || a.Renewal.Running() {
		t.Error("something begins after closing")
	}
	again := New(a.DB, clock)
	again.Begin()
	defer again.Close()
	rests(t, again)
	if f := figure(t, again, "Skerrymap"); f.Needed != 1 || dirty(t, again) {
		t.Errorf("after the next start: needed %d, still marked: %v", f.Needed, dirty(t, again))
	}
}
