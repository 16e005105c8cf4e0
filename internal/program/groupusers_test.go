package program

import (
	"context"
	"strings"
	"testing"

	"ensomet/internal/evidence"
	"ensomet/internal/use"
	"ensomet/internal/worklist"
)

// A group that a rule speaks of neither goes nor changes its name; otherwise the rule would fall silent and what it
// keeps back be proposed.
func TestAGroupStaysWhileARuleSpeaksOfIt(t *testing.T) {
	ctx := context.Background()
	for word, rest := range map[string]func(a *Program) (end func() error, err error){
		"a reclaim rule": func(a *Program) (func() error, error) {
			err := a.Worklist.PutReclaimRule(ctx,
				worklist.ReclaimDraft{Publisher: "Ostwick", Group: "kept back", Window: 90, Least: 0.6}, "me")
			return func() error {
				rules, err := a.Worklist.ReclaimRules(ctx)
				if err != nil {
					return err
				}
				return a.Worklist.EndReclaimRule(ctx, rules[len(rules)-1].ID, "me")
			}, err
		},
		"a choice of what is measured": func(a *Program) (func() error, error) {
			err := a.Use.Meter(ctx, use.MeteringDraft{Publisher: "Ostwick", Group: "kept back", On: true}, "me")
			return func() error {
				m, err := a.Use.Metering(ctx)
				if err != nil {
					return err
				}
				return a.Use.EndMeter(ctx, m.Choices[0].ID, "me")
			}, err
		},
	} {
		t.Run(word, func(t *testing.T) {
			a, _ := desk(t)
			draft := evidence.GroupDraft{Name: "kept back", ByHand: true}
			var err error
			if draft.ID, err = a.Evidence.SaveGroup(ctx, draft, "me"); err != nil {
				t.Fatal(err)
			}
			end, err := rest(a)
			if err != nil {
				t.Fatal(err)
			}
			if err := a.Evidence.DropGroup(ctx, draft.ID, "me"); err == nil || !strings.Contains(err.Error(), word) {
				t.Errorf("deleted: %v", err)
			}
			renamed := draft
			renamed.Name = "other"
			if _, err := a.Evidence.SaveGroup(ctx, renamed, "me"); err == nil || !strings.Contains(err.Error(), word) {
				t.Errorf("renamed: %v", err)
			}
			if groups, err := a.Evidence.DeviceGroups(ctx); err != nil || len(groups) != 1 ||
				strings.Join(groups[0].UsedBy, ";") != word {
				t.Errorf("%+v, %v", groups, err)
			}
			if err := end(); err != nil {
				t.Fatal(err)
			}
			if err := a.Evidence.DropGroup(ctx, draft.ID, "me"); err != nil {
				t.Errorf("kept after the rule ended: %v", err)
			}
		})
	}
}
