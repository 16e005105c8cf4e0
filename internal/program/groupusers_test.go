package program

import (
	"context"
	"strings"
	"testing"

	"ensomet/internal/edits"
	"ensomet/internal/evidence"
	"ensomet/internal/use"
	"ensomet/internal/worklist"
)

// A group that a rule speaks of neither goes nor changes its name; otherwise the rule would fall silent and what it
// keeps back be proposed.
func TestAGroupStaysWhileARuleSpeaksOfIt(t *testing.T) {
	ctx := context.Background()
	for word, rest := range map[string]func(prog *Program) (end func() error, err error){
		"a reclaim rule": func(prog *Program) (func() error, error) {
			err := prog.Worklist.PutReclaimRule(ctx,
				worklist.ReclaimDraft{Publisher: "Ostwick", Group: "kept back", Window: 90, Least: 0.6}, "me")
			return func() error {
				rules, err := prog.Worklist.ReclaimRules(ctx)
				if err != nil {
					return err
				}
				return prog.Worklist.EndReclaimRule(ctx, rules[len(rules)-1].ID,
					seen(t, prog, edits.Reclaim, rules[len(rules)-1].ID), "me")
			}, err
		},
		"a choice of what is measured": func(prog *Program) (func() error, error) {
			err := prog.Use.Meter(ctx, use.MeteringDraft{Publisher: "Ostwick", Group: "kept back", On: true}, "me")
			return func() error {
				m, err := prog.Use.Metering(ctx)
				if err != nil {
					return err
				}
				return prog.Use.EndMeter(ctx, m.Choices[0].ID, seen(t, prog, edits.Metering, m.Choices[0].ID), "me")
			}, err
		},
	} {
		t.Run(word, func(t *testing.T) {
			prog, _ := desk(t)
			draft := evidence.GroupDraft{Name: "kept back", ByHand: true}
			var err error
			if draft.ID, err = prog.Evidence.SaveGroup(ctx, draft, "me"); err != nil {
				t.Fatal(err)
			}
			end, err := rest(prog)
			if err != nil {
				t.Fatal(err)
			}
			if err := prog.Evidence.DropGroup(ctx, draft.ID, seen(t, prog, edits.Group, draft.ID), "me"); err == nil ||
				!strings.Contains(err.Error(), word) {
				t.Errorf("deleted: %v", err)
			}
			renamed := draft
			renamed.Name = "other"
			if _, err := prog.Evidence.SaveGroup(ctx, renamed, "me"); err == nil ||
				!strings.Contains(err.Error(), word) {
				t.Errorf("renamed: %v", err)
			}
			if groups, err := prog.Evidence.DeviceGroups(ctx); err != nil || len(groups) != 1 ||
				strings.Join(groups[0].UsedBy, ";") != word {
				t.Errorf("%+v, %v", groups, err)
			}
			if err := end(); err != nil {
				t.Fatal(err)
			}
			if err := prog.Evidence.DropGroup(ctx, draft.ID, seen(t, prog, edits.Group, draft.ID), "me"); err != nil {
				t.Errorf("kept after the rule ended: %v", err)
			}
		})
	}
}
