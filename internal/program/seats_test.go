package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"testing"

	"ensomet/internal/entitlements"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// Whatever people do with seats, day after day: no line gives more than it has, nobody holds two of one product,
// nobody who left gets one, who holds does not wait, and no seat lies idle while somebody waits and it was to be
// given.
func TestSeatsThroughManyHands(t *testing.T) {
	ctx := context.Background()
	r := rand.New(rand.NewPCG(6, 13))
	done := map[string]int{}
	for round := range 14 {
		prog, clock := desk(t)
		take(
			t,
			prog,
			formats.Titles,
			"publisher,product,licence_model,default_metric",
			"Brack,Notes,commercial,named_user",
		)
		users := []string{"user_id,name,status,left_on"}
		for u := range 9 {
			state := "active,"
			if u == 8 {
				state = "left,2026-01-31"
			}
			users = append(users, fmt.Sprintf("u%d,User %d,%s", u, u, state))
		}
		take(t, prog, formats.Users, users...)
		take(
			t,
			prog,
			formats.Entitlements,
			"entitlement_id,publisher,product,metric,quantity,kind,start,end",
			"L1,Brack,Notes,named_user,2,perpetual,2025-01-01,",
			fmt.Sprintf("L2,Brack,Notes,named_user,%d,subscription,2025-01-01,2026-07-%02d", 1+r.IntN(3), 3+r.IntN(6)),
		)
		ids, err := prog.Position.FindProducts(ctx, "Brack Notes")
		if err != nil || len(ids) != 1 {
			t.Fatal(ids, err)
		}
		notes := ids[0]
		held := func() (out []entitlementsdb.SeatRow) {
			t.Helper()
			page, err := listed(prog, prog.Entitlements.Seats,
				sqlite.ListQuery{Filters: map[string]string{"state": "held|of a leaver"}, Sort: "id"},
			)
			if err != nil {
				t.Fatal(err)
			}
			return page.Rows
		}
		user := func() string { return fmt.Sprintf("u%d", r.IntN(9)) }
		for step := range 60 {
			what := ""
			var err error
			switch r.IntN(8) {
			case 0, 1:
				what = "assign"
				var line string
				u := user()
				line, err = prog.Entitlements.Assign(ctx, entitlements.SeatDraft{Product: notes, User: u}, "w")
				if err == nil && (line == "" || u == "u8") {
					t.Fatalf("a seat of %q for %s", line, u)
				}
			case 2:
				what = "hand back"
				if list := held(); len(list) > 0 {
					give := r.IntN(2) == 0
					var back entitlements.HandedBack
					back, err = prog.Entitlements.HandBack(ctx, []int64{list[r.IntN(len(list))].ID}, give, "w")
					if err == nil && back.Seats != 1 {
						t.Fatalf("%+v", back)
					}
				}
			case 3:
				what = "move"
				if list := held(); len(list) > 0 {
					err = prog.Entitlements.MoveSeat(ctx, list[r.IntN(len(list))].ID, user(), "w")
				}
			case 4:
				what = "wait"
				err = prog.Entitlements.Wait(ctx, notes, user(), "", "w")
			case 5:
				what = "wait no longer"
				if list, _ := prog.Entitlements.Waiting(ctx, notes); len(list) > 0 {
					id := list[r.IntN(len(list))].ID
					if err = prog.Entitlements.EndWait(ctx, id, "w"); err == nil {
						if err := prog.Entitlements.EndWait(ctx, id, "w"); !errors.Is(err, sqlite.ErrNotFound) {
							t.Fatalf("somebody stops waiting twice: %v", err)
						}
					}
				}
			case 6:
				what = "give"
				_, err = prog.Entitlements.GiveWaiting(ctx, notes, "w")
				waiting, _ := prog.Entitlements.Waiting(ctx, notes)
				free, e := prog.Entitlements.SeatsOf(ctx, notes)
				if e != nil {
					t.Fatal(e)
				}
				for _, f := range free {
					for _, w := range waiting {
						if f.Free > 0 && w.User != "u8" {
							t.Fatalf(
								"round %d, step %d: %s waits while %s has %d free (%v)",
								round,
								step,
								w.User,
								f.Line,
								f.Free,
								err,
							)
						}
					}
				}
			default:
				what = "a day"
				clock.now = clock.now.AddDate(0, 0, 1)
			}
			if err == nil {
				done[what]++
			}
			by, lines := map[string]int{}, map[string]int64{}
			for _, s := range held() {
				if s.User == "u8" {
					t.Fatalf("round %d, step %d (%s): who left holds a seat", round, step, what)
				}
				if by[s.User]++; by[s.User] > 1 {
					t.Fatalf("round %d, step %d (%s): %s holds two", round, step, what, s.User)
				}
				lines[s.Line]++
			}
			free, err := prog.Entitlements.SeatsOf(ctx, notes)
			if err != nil {
				t.Fatal(err)
			}
			of := map[string]entitlements.FreeSeats{}
			for _, f := range free {
				of[f.Line] = f
			}
			for line, n := range lines {
				if f, in := of[line]; in && (n > f.Effective || f.Held != n || f.Free != f.Effective-n) {
					t.Fatalf("round %d, step %d (%s): %s has %d held: %+v", round, step, what, line, n, f)
				}
			}
			waiting, err := prog.Entitlements.Waiting(ctx, notes)
			if err != nil {
				t.Fatal(err)
			}
			for i, w := range waiting {
				if by[w.User] > 0 {
					t.Fatalf("round %d, step %d (%s): %s holds a seat and waits for one", round, step, what, w.User)
				}
				for _, other := range waiting[:i] {
					if w.User == other.User {
						t.Fatalf("round %d, step %d (%s): %s waits twice", round, step, what, w.User)
					}
				}
			}
		}
	}
	for _, what := range []string{"assign", "hand back", "move", "wait", "wait no longer", "give"} {
		if done[what] < 5 {
			t.Errorf("%q was done only %d times", what, done[what])
		}
	}
}
