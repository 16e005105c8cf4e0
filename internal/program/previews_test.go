package program

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// idleDesk is a desk with titles of two houses on some devices, measured for 150 days, more or less used.
func idleDesk(t *testing.T, r *rand.Rand) (*Program, *movable) {
	t.Helper()
	prog, clock := desk(t)
	clock.now = time.Date(2026, 6, 30, 20, 0, 0, 0, time.UTC)
	titles := []string{"publisher,product,aliases,licence_model,category,list_price,currency"}
	devices := []string{"device_id,name,kind,org_unit,primary_user"}
	installs := []string{"device_id,publisher,name,version,install_date,seen_at,source"}
	sessions := []string{"device_id,user_id,file_name,started_at,ended_at"}
	rights := []string{"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency"}
	for p := range 6 {
		titles = append(
			titles,
			fmt.Sprintf(
				"House %d,Prod %d,p%d.exe,commercial,cat%d,%d,%s",
				p%2,
				p,
				p,
				p%3,
				50+10*p,
				[]string{"EUR", "NOK"}[p%2],
			),
		)
		end := ""
		kind := "perpetual"
		if p%2 == 0 {
			kind, end = "subscription", "2026-12-31"
		}
		rights = append(
			rights,
			fmt.Sprintf(
				"E%d,House %d,Prod %d,device,%d,%s,2025-01-01,%s,%d,EUR",
				p,
				p%2,
				p,
				2+r.IntN(8),
				kind,
				end,
				40+p,
			),
		)
	}
	for d := range 10 {
		devices = append(devices, fmt.Sprintf("D%d,dev%d,client,Unit%d,u%d", d, d, d%2, d))
		sessions = append(sessions, fmt.Sprintf("D%d,u%d,other.exe,2026-02-01T09:00:00Z,2026-02-01T10:00:00Z", d, d))
		for day := range 14 {
			at := time.Date(2026, 2, 10, 9, 0, 0, 0, time.UTC).AddDate(0, 0, 10*day)
			sessions = append(
				sessions,
				fmt.Sprintf(
					"D%d,u%d,p%d.exe,%s,%s",
					d,
					d,
					r.IntN(3),
					at.Format(time.RFC3339),
					at.Add(time.Hour).Format(time.RFC3339),
				),
			)
		}
		sessions = append(
			sessions,
			fmt.Sprintf("D%d,u%d,p%d.exe,2026-02-03T09:00:00Z,2026-02-03T10:00:00Z", d, d, 3+r.IntN(3)),
		)
		for p := range 6 {
			if r.IntN(3) > 0 {
				installs = append(
					installs,
					fmt.Sprintf(
						"D%d,House %d,Prod %d,1,%s,2026-06-29T10:00:00Z,s",
						d,
						p%2,
						p,
						[]string{"2025-03-01", "2026-05-20"}[r.IntN(2)],
					),
				)
			}
		}
	}
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2026-01-01,11.5")
	take(t, prog, formats.Titles, titles...)
	take(t, prog, formats.Devices, devices...)
	take(t, prog, formats.Users, "user_id,name", "u0,Nought", "u1,One")
	take(t, prog, formats.Entitlements, rights...)
	take(t, prog, formats.Installs, installs...)
	take(t, prog, formats.Usage, sessions...)
	if err := prog.Pipeline.Refresh(context.Background()); err != nil {
		t.Fatal(err)
	}
	return prog, clock
}

// proposed lists the idle licences that are proposed, by product and device.
func proposed(t *testing.T, prog *Program) map[string]bool {
	t.Helper()
	out := map[string]bool{}
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		list, err := worklistdb.Cases(tx)
		for _, c := range list {
			if (c.Kind == casework.IdleLicence || c.Kind == casework.IdlePool) && !c.State.Ended() {
				out[fmt.Sprint(c.Product, "/", c.Device)] = true
			}
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return out
}

// What a reclaim rule would change is what it changes: after any rules in any order, as many proposals come and go as
// was said before, and the end of each undoes it.
func TestTheEffectOfAReclaimRuleIsWhatHappens(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(6, 11))
	came, went := 0, 0
	for round := range 4 {
		prog, _ := idleDesk(t, r)
		differ := func(x, y map[string]bool) (n int) {
			for k := range x {
				if !y[k] {
					n++
				}
			}
			return n
		}
		hold := func(what string, e worklist.ReclaimEffect, before, after map[string]bool) {
			t.Helper()
			if e.Now != len(before) || e.Then != len(after) || e.Comes != differ(after, before) ||
				e.Goes != differ(before, after) {
				t.Errorf(
					"round %d, %s: said %d → %d, %d come, %d go; it was %d → %d, %d, %d",
					round,
					what,
					e.Now,
					e.Then,
					e.Comes,
					e.Goes,
					len(before),
					len(after),
					differ(after, before),
					differ(before, after),
				)
			}
			if n := len(e.Samples); n != min(8, e.Comes)+min(8, e.Goes) {
				t.Errorf("round %d, %s: %d samples of %d and %d", round, what, n, e.Comes, e.Goes)
			}
			came, went = came+e.Comes, went+e.Goes
		}
		for step := range 6 {
			d := worklist.ReclaimDraft{
				Propose:   r.IntN(4) > 0,
				Window:    []int{30, 60, 90, 140}[r.IntN(4)],
				Grace:     []int{0, 30, 60}[r.IntN(3)],
				Least:     []float64{0.5, 0.8, 1}[r.IntN(3)],
				PoolShare: 0.6,
			}
			switch r.IntN(3) {
			case 0:
				d.Category = fmt.Sprintf("cat%d", r.IntN(3))
			case 1:
				d.Publisher = fmt.Sprintf("House %d", r.IntN(2))
			default:
				d.Product = int64(1 + r.IntN(6))
			}
			if r.IntN(2) == 0 {
				d.Group = "Unit1"
			}
			if step > 2 { // one that is there is changed
				rules, err := prog.Worklist.ReclaimRules(ctx)
				if err != nil {
					t.Fatal(err)
				}
				is := rules[1+r.IntN(len(rules)-1)].Says
				d.ID, d.Revision = is.ID, is.Revision
			}
			before := proposed(t, prog)
			e, err := prog.Worklist.PreviewReclaim(ctx, d, 0)
			if err != nil {
				t.Fatal(d, err)
			}
			if again := proposed(t, prog); len(again) != len(before) {
				t.Fatal("looking has changed something")
			}
			if err := prog.Worklist.PutReclaimRule(ctx, d, "w"); err != nil {
				t.Fatal(err)
			}
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			hold(fmt.Sprintf("step %d %+v", step, d), e, before, proposed(t, prog))
		}
		rules, err := prog.Worklist.ReclaimRules(ctx)
		if err != nil {
			t.Fatal(err)
		}
		if len(rules) != 4 {
			t.Fatalf("%d rules, want the usual one and the three that were made: %+v", len(rules), rules)
		}
		for len(rules) > 1 { // the first is what holds without a rule
			id := rules[1+r.IntN(len(rules)-1)].ID
			before := proposed(t, prog)
			e, err := prog.Worklist.PreviewReclaim(ctx, worklist.ReclaimDraft{}, id)
			if err != nil {
				t.Fatal(err)
			}
			if err := prog.Worklist.EndReclaimRule(ctx, id, seen(t, prog, edits.Reclaim, id), "w"); err != nil {
				t.Fatal(err)
			}
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			hold(fmt.Sprintf("the end of %d", id), e, before, proposed(t, prog))
			rules = slices.DeleteFunc(rules, func(v worklist.ReclaimView) bool { return v.ID == id })
		}
	}
	if came < 20 || went < 20 {
		t.Errorf("only %d came and %d went; the test shows little", came, went)
	}
}

// To leave installs out of the count shows the positions that move before, changes nothing by looking, and moves just
// those.
func TestTheEffectOfLeavingOutIsWhatHappens(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(6, 12))
	prog, _ := idleDesk(t, r)
	figures := func() map[int64]snapshot.Figure {
		t.Helper()
		out := map[int64]snapshot.Figure{}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := snapshot.StoredFigures(tx)
			for _, f := range list {
				out[f.Product] = f
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	out := map[string]bool{}
	for range 25 {
		product := int64(1 + r.IntN(6))
		l := titles.ExclusionDraft{
			Devices: []string{fmt.Sprintf("D%d", r.IntN(10))},
			Product: product,
			Reason:  "a spare machine",
		}
		key := fmt.Sprint(product, l.Devices)
		if l.Again = out[key]; l.Again {
			l.Reason = ""
		}
		before := figures()
		effect, err := prog.Titles.PreviewExclusion(ctx, l, "w")
		if err != nil {
			t.Fatal(l, err)
		}
		if now := figures(); fmt.Sprint(now) != fmt.Sprint(before) {
			t.Fatal("looking has changed something")
		}
		did, err := prog.Titles.Exclude(ctx, l, "w")
		if err != nil {
			t.Fatal(err)
		}
		if fmt.Sprint(did.Moves) != fmt.Sprint(effect.Moves) || did.Installs != effect.Installs {
			t.Errorf("%+v: said %+v, was %+v", l, effect, did)
		}
		out[key] = !l.Again
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		after := figures()
		moved := map[string]bool{}
		for _, m := range effect.Moves {
			moved[m.Product] = true
		}
		for id, f := range after {
			if changed := f.Needed != before[id].Needed ||
				f.Covered != before[id].Covered; changed != (id == product && len(moved) > 0) {
				t.Errorf("%+v: product %d moves %v; said %v", l, id, changed, effect.Moves)
			}
		}
	}
	if len(out) < 10 {
		t.Errorf("only %d installs were left out", len(out))
	}
}
