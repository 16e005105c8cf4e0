package program

import (
	"context"
	"fmt"
	"testing"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/pipeline"
	"ensomet/internal/position"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"

	"github.com/shopspring/decimal"
)

// edge changes what lies at the edges: prices, rates, settings, decisions on names, scans that come late, lines and
// bookings that are taken back.
func (c *changing) edge(n int) {
	t, prog, r := c.t, c.prog, c.r
	ctx := context.Background()
	switch r.IntN(8) {
	case 0:
		take(t, prog, formats.Titles, changingTitles, c.title(r.IntN(6), 50+r.IntN(900)))
	case 1:
		take(
			t,
			prog,
			formats.Rates,
			"currency,on,per_eur",
			fmt.Sprintf("NOK,2026-0%d-02,%d", 1+r.IntN(6), 9+r.IntN(5)),
		)
	case 2:
		rules, err := prog.Evidence.Rules(ctx)
		if err != nil {
			t.Fatal(err)
		}
		rules.FreshDays = 5 + r.IntN(40)
		if err := prog.Evidence.SetRules(ctx, rules, "ruler"); err != nil {
			t.Fatal(err)
		}
	case 3:
		name := fmt.Sprintf("Chart Helper %c", 'A'+rune(r.IntN(4)))
		take(t, prog, formats.Installs, installHeader, fmt.Sprintf("D%d,Ostwick,%s,6,,agent,%s", r.IntN(20), name,
			c.seen.Format(time.RFC3339)))
		c.refresh()
		for _, key := range strangeNames(t, prog) {
			d := titles.NameDecision{Keys: []string{key}, Product: mustProduct(t, prog, c.products[r.IntN(6)])}
			_, _ = prog.Titles.Decide(ctx, d, "decider") // a refusal is fine
		}
	case 4: // a scan of before the newest
		at := c.seen.Add(-time.Duration(r.IntN(200)) * time.Hour)
		take(t, prog, formats.Installs, installHeader, fmt.Sprintf("D%d,Ostwick,%s,6.1,,,%s", r.IntN(20),
			c.products[r.IntN(6)], at.Format(time.RFC3339)))
	case 5:
		take(
			t,
			prog,
			formats.Users,
			"user_id,name,org_unit",
			fmt.Sprintf("u%d,N,%s", r.IntN(20), []string{"A", "A/B",
				"C"}[r.IntN(3)]),
		)
	case 6:
		ids := selected[int64](t, prog, "SELECT id FROM txn WHERE gone_at IS NULL ORDER BY id")
		if len(ids) > 0 { // a refusal is fine
			_ = prog.Entitlements.UndoTransaction(
				ctx,
				ids[r.IntN(len(ids))],
				entitlements.ByTakingBack,
				"wrong",
				"booker",
			)
		}
	case 7:
		take(t, prog, formats.Devices, "device_id,status", fmt.Sprintf("D%d,%s", r.IntN(20), []string{"in_service",
			"retired"}[r.IntN(2)]))
	}
}

func (c *changing) refresh() {
	c.t.Helper()
	if err := c.prog.Pipeline.Refresh(context.Background()); err != nil {
		c.t.Fatal(err)
	}
}

// selected reads the file.
func selected[T any](t *testing.T, prog *Program, query string, args ...any) (out []T) {
	t.Helper()
	err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		out, err = sqlite.Select[T](tx, query, args...)
		return err
	})
	if err != nil {
		t.Fatal(err)
	}
	return out
}

// strangeNames are the keys of names that the catalogue does not have.
func strangeNames(t *testing.T, prog *Program) []string {
	return selected[string](t, prog, "SELECT key FROM name_fact WHERE name LIKE 'chart helper%' ORDER BY key")
}

// storedFigures are all positions as they are stored.
func (c *changing) storedFigures() (list []snapshot.Figure) {
	c.t.Helper()
	err := c.prog.DB.View(context.Background(), func(tx *sqlite.Tx) (err error) {
		list, err = snapshot.StoredFigures(tx)
		return err
	})
	if err != nil {
		c.t.Fatal(err)
	}
	return list
}

// Whatever changes, in whatever order: what was handed over comes out again to the last unit of demand as known at its
// moment, each day's figures come out as they were at its end, and what leads from one day's figures to another's adds
// up to the difference.
func TestKnownThen(t *testing.T) {
	seeds := uint64(3)
	if testing.Short() {
		seeds = 1
	}
	for seed := range seeds {
		t.Run(fmt.Sprint(seed), func(t *testing.T) { knownThen(t, newChanging(t, 90+seed)) })
	}
}

func knownThen(t *testing.T, c *changing) {
	ctx := context.Background()
	type end struct {
		day     civil.Day
		figures []snapshot.Figure
	}
	var ends []end
	var statements []int64
	moved := 0
	for range 7 {
		for n := range 12 {
			if c.r.IntN(3) == 0 {
				c.edge(n)
			} else {
				c.change(n)
			}
			if c.r.IntN(8) == 0 {
				scope := position.StatementScope{Unit: []string{"", "", "A"}[c.r.IntN(3)]}
				asOf := c.prog.Snapshots.Today() - civil.Day(c.r.IntN(3))
				id, err := c.prog.Position.MakeStatement(ctx, asOf, scope, "auditor", "", "me")
				if err != nil {
					t.Fatal(err)
				}
				statements = append(statements, id)
			}
		}
		today := c.clock.now.Truncate(24 * time.Hour)
		c.clock.now = today.Add(24*time.Hour - time.Second)
		c.refresh()
		ends = append(ends, end{c.prog.Snapshots.Today(), c.storedFigures()})
		c.clock.now = today.Add(time.Duration(24*(1+c.r.IntN(3))+8) * time.Hour) // some days nothing is written
	}
	c.edge(0)
	c.refresh()
	units := 0
	for _, id := range statements {
		s, err := c.prog.Position.CheckStatement(ctx, id)
		if err != nil {
			t.Fatal(err)
		}
		units += s.Units
		for _, w := range s.Wrong {
			t.Errorf("statement %d of %s: %s", id, s.AsOf, w)
		}
	}
	if units == 0 || len(statements) == 0 {
		t.Errorf("nothing was compared: %d statements", len(statements))
	}
	for _, e := range ends {
		got, err := c.prog.Position.FiguresOn(ctx, e.day, e.day)
		if err != nil {
			t.Fatal(err)
		}
		if wrong := pipeline.Differences(e.figures, got); len(wrong) > 0 {
			t.Errorf("as known on %s: %v\nwas %+v\nis  %+v", e.day, wrong, e.figures, got)
		}
	}
	for i := range ends[1:] {
		moved += c.stepsAddUp(ends[i].day, ends[i+1].day, ends[i].figures, ends[i+1].figures)
	}
	if moved == 0 {
		t.Error("nothing was ever only learnt later")
	}
}

// stepsAddUp holds what leads from one day to another against the figures of both as they were, and says how many
// steps were learnt later.
func (c *changing) stepsAddUp(from, to civil.Day, was, is []snapshot.Figure) (learnt int) {
	c.t.Helper()
	ctx := context.Background()
	amount := decimal.RequireFromString
	ends := map[string][2]snapshot.Figure{}
	for k, list := range [][]snapshot.Figure{was, is} {
		for _, f := range list {
			e := ends[fmt.Sprint(f.Product, f.Metric)]
			e[k] = f
			ends[fmt.Sprint(f.Product, f.Metric)] = e
		}
	}
	for _, name := range c.products {
		id := mustProduct(c.t, c.prog, name)
		s, err := c.prog.Position.ProductSteps(ctx, id, from, to, position.KnownThen)
		if err != nil {
			c.t.Fatal(err)
		}
		sums, exposure := map[string]snapshot.Figures{}, map[string]decimal.Decimal{}
		for _, step := range s.Steps {
			if step.Learnt {
				learnt++
			}
			g := sums[step.Metric]
			g.Owned, g.Needed, g.Covered = g.Owned+step.Change.Owned, g.Needed+step.Change.Needed,
				g.Covered+step.Change.Covered
			g.Short, g.Surplus = g.Short+step.Change.Short, g.Surplus+step.Change.Surplus
			sums[step.Metric] = g
			exposure[step.Metric] = exposure[step.Metric].Add(amount(step.Change.Exposure))
		}
		for _, m := range s.Metrics {
			e := ends[fmt.Sprint(id, m.Metric)]
			if m.Before.Needed != e[0].Needed || m.Before.Owned != e[0].Owned || m.Before.Short != e[0].Short {
				c.t.Errorf("%s by %s on %s: %+v, and it was %+v", name, m.Metric, from, m.Before, e[0])
			}
			if m.After.Needed != e[1].Needed || m.After.Owned != e[1].Owned || m.After.Short != e[1].Short {
				c.t.Errorf("%s by %s on %s: %+v, and it was %+v", name, m.Metric, to, m.After, e[1])
			}
			g := sums[m.Metric]
			if m.Before.Needed+g.Needed != m.After.Needed || m.Before.Owned+g.Owned != m.After.Owned ||
				m.Before.Covered+g.Covered != m.After.Covered || m.Before.Short+g.Short != m.After.Short ||
				m.Before.Surplus+g.Surplus != m.After.Surplus ||
				!amount(m.Before.Exposure).Add(exposure[m.Metric]).Equal(amount(m.After.Exposure)) {
				c.t.Errorf(
					"%s by %s: %+v and the steps %+v do not come to %+v",
					name,
					m.Metric,
					m.Before,
					g,
					m.After,
				)
			}
		}
	}
	return learnt
}
