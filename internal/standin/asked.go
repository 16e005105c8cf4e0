package standin

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/entitlements"
	"ensomet/internal/lists"
	"ensomet/internal/program"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
)

// askFor lets the people of the demo ask for what ends shortfalls: one purchase is only wanted, one approved and
// ordered, one booked already, and one thing is to be done elsewhere.
func askFor(ctx context.Context, prog *program.Program) error {
	wants := func(product string, m snapshot.Measure, note string) (worklist.CaseView, error) {
		var out worklist.CaseView
		ids, err := prog.Position.FindProducts(ctx, product)
		if err != nil || len(ids) != 1 {
			return out, fmt.Errorf("the demo's catalogue has %d products named %s: %w", len(ids), product, err)
		}
		if m.Product = ids[0]; m.Kind == "buy" {
			m.Line = lineOfEngine(ctx, prog, ids[0])
		}
		if _, err := prog.Requests.Ask(ctx, worklist.Wanted{Measures: []snapshot.Measure{m}, Note: note},
			"Worker"); err != nil {
			return out, err
		}
		var id int64
		err = prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			page, err := lists.CaseList().Page(tx, sqlite.ListQuery{
				Sort:    "id",
				Filters: map[string]string{"productId": fmt.Sprint(ids[0]), "kind": "purchase|elsewhere"},
			})
			for _, c := range page.Rows {
				id = c.ID // the newest
			}
			return err
		})
		if err != nil {
			return out, err
		}
		return prog.Worklist.Case(ctx, id)
	}
	acts := func(id int64, who string, a worklist.CaseAction) error {
		a.IDs = []int64{id}
		_, err := prog.Worklist.CaseAct(ctx, a, who)
		return err
	}
	ordered := func(id int64, number, expected string) error {
		return errors.Join(
			acts(id, "Runner", worklist.CaseAction{Act: casework.Approve}),
			acts(id, "Worker", worklist.CaseAction{Act: casework.Order, Number: number, Until: expected}),
		)
	}
	if _, err := wants("Murrelet Survey", snapshot.Measure{Kind: "buy", Quantity: 1},
		"the other four come back from who does not use them"); err != nil {
		return err
	}
	if _, err := wants("Gannet Store", snapshot.Measure{Kind: "pin", Devices: storeGuests(ctx, prog)},
		"the hosts’ team has a window in July"); err != nil {
		return err
	}
	grid, err := wants(gridName, snapshot.Measure{Kind: "buy", Quantity: 2}, "")
	if err != nil {
		return err
	}
	if err := ordered(grid.ID, "PO-52301", (civil.Of(Now) + 14).String()); err != nil {
		return err
	}
	agent, err := wants("Cairnhopper Agent", snapshot.Measure{Kind: "buy", Quantity: 6}, "")
	if err != nil {
		return err
	}
	if err := ordered(agent.ID, "PO-52296", (civil.Of(Now) - 1).String()); err != nil {
		return err
	}
	_, err = prog.Entitlements.Trade(ctx, entitlements.TransactionDraft{
		Line:     agent.Request.Measure.Line,
		Type:     "true_up",
		On:       (civil.Of(Now) - 2).String(),
		Quantity: "6",
		Order:    "PO-52296",
		Request:  fmt.Sprint(agent.ID),
	}, "Worker")
	return err
}

// storeGuests are the virtual machines that the store runs on.
func storeGuests(ctx context.Context, prog *program.Program) []string {
	ids, err := prog.Position.FindProducts(ctx, "Gannet Store")
	if err != nil || len(ids) != 1 {
		return nil
	}
	units, err := prog.Position.Units(ctx, ids[0], "", 0, 0, 100)
	if err != nil {
		return nil
	}
	var out []string
	for _, u := range units {
		for _, g := range u.Guests {
			out = append(out, g.Device)
		}
	}
	slices.Sort(out)
	return slices.Compact(out)
}
