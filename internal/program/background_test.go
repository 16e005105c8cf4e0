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
func rests(t *testing.T, prog *Program) {
	t.Helper()
	for range 4000 {
		if !prog.Renewal.Status().Running {
			return
		}
		time.Sleep(5 * time.Millisecond)
	}
	t.Fatal("figures are renewed without end")
}

func dirty(t *testing.T, prog *Program) bool {
	t.Helper()
	d, err := prog.Renewal.Dirty(context.Background())
	if err != nil {
		t.Fatal(err)
	}
	return d
}

// install brings one install by file, and so one change.
func install(t *testing.T, prog *Program, n int) {
	t.Helper()
	take(t, prog, formats.Installs, installHeader, fmt.Sprintf("D1,Ostwick,Skerrymap,6,,,2026-06-2%dT10:00:00Z", n))
}

// What changes figures renews them without anybody asking for it, and changes that come together are renewed together.
func TestACommitRenews(t *testing.T) {
	prog, _ := desk(t)
	prog.Begin()
	defer prog.Close()
	base(t, prog)
	rests(t, prog)
	before := prog.Renewal.Status().Renewals
	for i := range 5 {
		install(t, prog, i)
	}
	if !prog.Renewal.Status().Running {
		t.Error("nothing says that figures wait to be renewed")
	}
	rests(t, prog)
	if n := prog.Renewal.Status().Renewals - before; n < 1 || n > 2 {
		t.Errorf("renewed %d times for five changes at once", n)
	}
	if f := figure(t, prog, "Skerrymap"); f.Needed != 1 || dirty(t, prog) {
		t.Errorf("needed %d, still marked: %v", f.Needed, dirty(t, prog))
	}
}

// One change is one renewal, whatever else looks whether there is something to renew.
func TestOneChangeIsOneRenewal(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	prog.Begin()
	defer prog.Close()
	rests(t, prog)
	before := prog.Renewal.Status().Renewals
	install(t, prog, 1)
	for range 3 {
		prog.EachMinute(ctx)
		time.Sleep(50 * time.Millisecond)
	}
	rests(t, prog)
	prog.EachMinute(ctx)
	rests(t, prog)
	if n := prog.Renewal.Status().Renewals - before; n != 1 {
		t.Errorf("renewed %d times", n)
	}
	if err := prog.Entitlements.EditLine(ctx, entitlements.LineEdit{}, "test"); err == nil {
		t.Fatal("a line that is not there was changed")
	}
	rests(t, prog)
	if n := prog.Renewal.Status().Renewals - before; n != 1 {
		t.Error("what failed renewed figures")
	}
}

// Whoever builds something step by step is not disturbed; what came meanwhile is renewed after it.
func TestHeldFiguresStay(t *testing.T) {
	prog, _ := desk(t)
	prog.Begin()
	defer prog.Close()
	release := prog.Renewal.Hold()
	base(t, prog)
	time.Sleep(2 * renewal.LeastPause)
	rests(t, prog)
	if n := prog.Renewal.Status().Renewals; n != 0 || !dirty(t, prog) {
		t.Errorf("renewed %d times while held", n)
	}
	release()
	rests(t, prog)
	if n := prog.Renewal.Status().Renewals; n != 1 || dirty(t, prog) {
		t.Errorf("renewed %d times after it", n)
	}
}

// Closing ends a renewal that runs, and nothing begins after it; what it had not done stays marked for the next start.
func TestClosingEndsWhatRuns(t *testing.T) {
	prog, clock := desk(t)
	prog.Begin()
	base(t, prog)
	install(t, prog, 9)
	for prog.Renewal.Status().Renewals == 0 && !prog.Renewal.Running() {
		time.Sleep(time.Millisecond)
	}
	prog.Close()
	if s := prog.Renewal.Status(); s.Error != "" || prog.Renewal.Running() {
		t.Errorf("after closing: %+v", s)
	}
	n := prog.Renewal.Status().Renewals
	install(t, prog, 8)
	time.Sleep(2 * renewal.LeastPause)
	if prog.Renewal.Status().Renewals != n || prog.Renewal.Running() {
		t.Error("something begins after closing")
	}
	again := New(prog.DB, clock)
	again.Begin()
	defer again.Close()
	rests(t, again)
	if f := figure(t, again, "Skerrymap"); f.Needed != 1 || dirty(t, again) {
		t.Errorf("after the next start: needed %d, still marked: %v", f.Needed, dirty(t, again))
	}
}
