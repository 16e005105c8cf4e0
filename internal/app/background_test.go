package app

import (
	"context"
	"testing"
	"time"

	"ensomet/internal/formats"
)

// rests waits until nothing is renewed in the background.
func rests(t *testing.T, a *App) {
	t.Helper()
	for range 2000 {
		if !a.Status().Running {
			return
		}
		time.Sleep(5 * time.Millisecond)
	}
	t.Fatal("figures are renewed without end")
}

func dirty(t *testing.T, a *App) bool {
	t.Helper()
	d, err := a.Dirty(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return d
}

func TestFiguresAreRenewedInTheBackground(t *testing.T) {
	a, _ := desk(t)
	base(t, a)
	for range 5 { // gathered into one, or into one more
		a.RefreshSoon()
	}
	rests(t, a)
	if n := a.Status().Renewals; n < 1 || n > 2 {
		t.Errorf("renewed %d times", n)
	}
	if dirty(t, a) {
		t.Error("something is still marked")
	}
}

// Whoever builds something step by step is not disturbed, and what waits for its time does nothing either.
func TestHeldFiguresStay(t *testing.T) {
	a, _ := desk(t)
	release := a.Hold()
	base(t, a)
	a.RefreshSoon()
	rests(t, a)
	if n := a.Status().Renewals; n != 0 || !dirty(t, a) {
		t.Errorf("renewed %d times while held", n)
	}
	release()
	a.RefreshSoon()
	rests(t, a)
	if n := a.Status().Renewals; n != 1 || dirty(t, a) {
		t.Errorf("renewed %d times after it", n)
	}
}

// Closing ends a renewal that runs, and nothing begins after it; what it had not done stays marked for the next start.
func TestClosingEndsWhatRuns(t *testing.T) {
	a, clock := desk(t)
	base(t, a)
	take(t, a, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6,,,2026-06-29T10:00:00Z")
	a.RenewLater()
	a.RenewAfter()
	a.RefreshSoon()
	a.Close()
	if s := a.Status(); s.Running || s.Error != "" {
		t.Errorf("after closing: %+v", s)
	}
	n := a.Status().Renewals
	a.RefreshSoon()
	a.RenewAfter()
	a.RenewLater()
	rests(t, a)
	if a.Status().Renewals != n || a.status.later != nil && a.status.later.Stop() || a.status.quiet != nil && a.status.quiet.Stop() {
		t.Error("something begins after closing")
	}
	again := New(a.DB, clock)
	defer again.Close()
	if n == 0 && !dirty(t, again) {
		t.Error("what was not renewed is not marked")
	}
	if err := again.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
	if f := figure(t, again, "Skerrymap"); f.Needed != 1 {
		t.Errorf("needed %d", f.Needed)
	}
}
