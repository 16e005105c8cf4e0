package program

import (
	"context"
	"testing"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// What a decision, an exclusion or a rule moves is looked at while somebody else writes: what is refused is refused at
// once, and what is kept waits for its turn and says what it moved.
func TestDecisionsLookBesideTheWriter(t *testing.T) {
	ctx, cancel := context.WithTimeout(context.Background(), 60*time.Second)
	defer cancel()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,SKM odd 6.1,6.1,,,2026-06-29T10:00:00Z")
	if f := figure(t, prog, "Skerrymap"); f.Needed != 0 {
		t.Fatalf("%+v", f)
	}
	id := mustProduct(t, prog, "Skerrymap")
	held, let, written := make(chan bool), make(chan bool), make(chan error, 1)
	go func() {
		written <- prog.DB.Update(ctx, func(*sqlite.Tx) error {
			close(held)
			<-let
			return nil
		})
	}()
	<-held
	nobody := titles.NameDecision{Keys: []string{"no|body"}, Product: id}
	if _, err := prog.Titles.Decide(ctx, nobody, "me"); err == nil {
		t.Error("a name that no record has was decided")
	}
	if _, err := prog.Titles.Exclude(ctx, titles.ExclusionDraft{Devices: []string{"D1"}, Product: id + 999,
		Reason: "spare"}, "me"); err == nil {
		t.Error("a title that is not there was left out")
	}
	if _, err := prog.Titles.PutRule(ctx, titles.RuleDraft{Name: "odd", Outcome: "title", Product: id + 999,
		Records: asks("name", "like", "*odd*")}, "me"); err == nil {
		t.Error("a rule names a title that is not there")
	}
	type answer struct {
		titles.Effect
		err error
	}
	decided := make(chan answer, 1)
	go func() {
		e, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: []string{"ostwick|skm odd"}, Product: id}, "me")
		decided <- answer{e, err}
	}()
	select {
	case a := <-decided:
		t.Fatalf("it was kept while another wrote: %+v", a)
	case <-time.After(50 * time.Millisecond):
	}
	close(let)
	if a := <-decided; a.err != nil || len(a.Moves) != 1 || a.Moves[0].NeededAfter != a.Moves[0].NeededBefore+1 {
		t.Errorf("%+v", a)
	}
	if err := <-written; err != nil {
		t.Error(err)
	}
}
