package program

import (
	"context"
	"strings"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/position"
)

// Work that takes long says how far it is to who watches it, and forgets that when it ends.
func TestWorkCanBeWatched(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6,,agent,2026-06-20T08:00:00Z")
	figure(t, prog, "Skerrymap")
	ctx, end := prog.Progress.Follow(context.Background(), "mine")
	if _, err := prog.Position.AllSteps(ctx, civil.MustParse("2026-06-01"), 0, position.KnownNow); err != nil {
		t.Fatal(err)
	}
	if said := prog.Progress.HowFar("mine"); !strings.Contains(said, "of 3 products compared") {
		t.Errorf("said %q", said)
	}
	if said := prog.Progress.HowFar("another's"); said != "" {
		t.Errorf("somebody else's work says %q", said)
	}
	end()
	if said := prog.Progress.HowFar("mine"); said != "" {
		t.Errorf("work that ended still says %q", said)
	}
	_, err := prog.Position.AllSteps(context.Background(), civil.MustParse("2026-06-01"), 0, position.KnownNow)
	if err != nil {
		t.Errorf("work that nobody watches: %v", err)
	}
}
