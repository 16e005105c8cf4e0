package program

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"ensomet/internal/core/entitle"
	"ensomet/internal/position"
)

// A statement of one publisher, contract or unit says what the position says of it, opens down to machines and what
// they reported, and says so whatever becomes of them since.
func TestStatementsOfAPart(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(6) {
		s := newEstate(t, 500+seed)
		whole := map[string]int64{} // needed by product and metric
		for product, metrics := range s.before {
			for m, f := range metrics {
				whole[product+" "+m] = f.Needed
			}
		}
		if _, err := s.prog.Position.MakeStatement(ctx, 0, position.StatementScope{Publisher: "Ostwik"}, "me", "",
			"me"); err == nil {
			t.Error("a publisher that there is not")
		}
		freeze := func(scope position.StatementScope) (position.StatementView, []position.StatementUnit) {
			t.Helper()
			id, err := s.prog.Position.MakeStatement(ctx, 0, scope, "auditor", "", "me")
			if err != nil {
				t.Fatal(err)
			}
			v, err := s.prog.Position.Statement(ctx, id, false)
			if err != nil || v.Differ != 0 || !v.Opened {
				t.Fatalf("seed %d: just made, and %d differ: %v", seed, v.Differ, err)
			}
			units, err := s.prog.Position.StatementUnits(ctx, id, 0, "")
			if err != nil {
				t.Fatal(err)
			}
			return v, units
		}
		v, units := freeze(position.StatementScope{Publisher: "ostwick"})
		if v.Of.Publisher != "Ostwick" || v.StoredStatement.Scope != "Ostwick" {
			t.Errorf("%+v", v.StoredStatement)
		}
		count := func(units []position.StatementUnit) map[string]int64 {
			out := map[string]int64{}
			for _, u := range units {
				out[u.Product+" "+u.Metric] += u.Count
				if u.Device != "" && strings.HasPrefix(u.Device, "D") && u.Metric == "device" && len(u.Records) == 0 {
					t.Errorf("seed %d: %+v has no record", seed, u)
				}
			}
			return out
		}
		got := count(units)
		for _, p := range v.Compared {
			key := p.Product + " " + p.Metric
			if p.Said.Needed != whole[key] || got[key] != p.Said.Needed {
				t.Errorf("seed %d: %s needs %d, its machines %d, the position %d", seed, key, p.Said.Needed, got[key],
					whole[key])
			}
		}
		// the units add up to the whole where every machine is in one of them
		sum := map[string]int64{}
		for _, unit := range []string{"A", "C"} {
			v, units := freeze(position.StatementScope{Unit: unit})
			for _, u := range units {
				if !entitle.InUnit(u.Unit, unit) {
					t.Errorf("seed %d: %+v is not in %s", seed, u, unit)
				}
			}
			got := count(units)
			for _, p := range v.Compared {
				key := p.Product + " " + p.Metric
				sum[key] += p.Said.Needed
				if got[key] != p.Said.Needed || p.Said.Covered+p.Said.Short != p.Said.Needed {
					t.Errorf("seed %d: %s in %s needs %+v, its machines %d", seed, key, unit, p.Said, got[key])
				}
			}
		}
		for _, u := range units {
			if u.Unit == "" {
				sum[u.Product+" "+u.Metric] += u.Count
			}
		}
		for key, n := range whole {
			if sum[key] != n {
				t.Errorf("seed %d: %s needs %d in the units, %d in the house", seed, key, sum[key], n)
			}
		}
		// what is said stays when all of it goes
		said := fmt.Sprint(units)
		for device := range s.installs {
			s.installs[device] = map[string]string{"Tool|": "1"}
			s.scan(device)
		}
		s.figures()
		after, err := s.prog.Position.StatementUnits(ctx, v.ID, 0, "")
		if err != nil || fmt.Sprint(after) != said {
			t.Errorf("seed %d: what was said changed: %v", seed, err)
		}
		var lines []string
		if err := s.prog.Position.ExportStatement(ctx, v.ID, func(row []string) error {
			if len(row) != len(position.StatementColumns) {
				t.Errorf("%d cells", len(row))
			}
			lines = append(lines, strings.Join(row, ","))
			return nil
		}); err != nil || len(lines) != len(units) {
			t.Errorf("%d lines for %d units: %v", len(lines), len(units), err)
		}
	}
}
