package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// namedDesk is a desk with names that nobody knows, each on as many devices as its number says, and two titles.
func namedDesk(t *testing.T, names int) (*Program, []string, []int64) {
	t.Helper()
	prog, clock := desk(t)
	base(t, prog)
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
		"Brack,Notes,commercial,95,EUR", "Brack,Sheet,commercial,40,EUR")
	devices := []string{"device_id,name,kind,primary_user"}
	installs := []string{installHeader}
	keys := []string{}
	for i := range names {
		keys = append(keys, fmt.Sprintf("quern|odd thing %c", 'a'+i))
		for d := range i + 1 {
			installs = append(installs, fmt.Sprintf("W%d,Quern,Odd Thing %c,1,,scan,%s", d, 'A'+i,
				clock.now.Add(-time.Hour).Format(time.RFC3339)))
		}
		devices = append(devices, fmt.Sprintf("W%d,w-%d,client,w%d", i, i, i))
	}
	take(t, prog, formats.Devices, devices...)
	take(t, prog, formats.Installs, installs...)
	renew(t, prog)
	var known []string
	if err := prog.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		page, err := lists.NameList().Page(tx, sqlite.ListQuery{Filters: map[string]string{"publisher": "Quern"}})
		for _, n := range page.Rows {
			known = append(known, n.Key)
		}
		return err
	}); err != nil {
		t.Fatal(err)
	}
	slices.Sort(known)
	if !slices.Equal(known, keys) {
		t.Fatalf("the names are %q, want %q", known, keys)
	}
	return prog, keys, []int64{mustProduct(t, prog, "Notes"), mustProduct(t, prog, "Sheet")}
}

// Decisions are looked at, taken, taken again otherwise, withdrawn and undone in any order by two people: what each
// name is, how many devices need each title, and what undoing would take back follow a plain list of who said what.
func TestDecisionsAgainstAPlainList(t *testing.T) {
	ctx := context.Background()
	prog, keys, products := namedDesk(t, 5)
	r := rand.New(rand.NewPCG(3, 15))
	type step struct {
		who  string
		keys []string
		gone bool
	}
	holds := map[string]int64{} // by name, the product; 0 is no software that counts
	by := map[string]int{}      // by name, the step that decided
	var steps []*step
	needed := func() map[int64]int64 {
		t.Helper()
		renew(t, prog)
		out := map[int64]int64{}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := snapshot.StoredFigures(tx)
			for _, f := range list {
				if slices.Contains(products, f.Product) {
					out[f.Product] = f.Needed
				}
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	for n := range 60 {
		who := []string{"me", "you"}[r.IntN(2)]
		switch r.IntN(5) {
		case 0, 1, 2:
			some := slices.Clone(keys)
			r.Shuffle(len(some), func(i, j int) { some[i], some[j] = some[j], some[i] })
			some = some[:1+r.IntN(2)]
			d := titles.NameDecision{Keys: some, Product: append([]int64{0}, products...)[r.IntN(3)]}
			said, err := prog.Titles.PreviewDecision(ctx, d, who)
			if err != nil {
				t.Fatal(err)
			}
			did, err := prog.Titles.Decide(ctx, d, who)
			if err != nil {
				t.Fatal(err)
			}
			if fmt.Sprint(said.Moves, said.Installs) != fmt.Sprint(did.Moves, did.Installs) {
				t.Fatalf("step %d: said %+v, did %+v", n, said, did)
			}
			for _, key := range some {
				holds[key], by[key] = d.Product, len(steps)
			}
			steps = append(steps, &step{who: who, keys: some})
		case 3:
			key := keys[r.IntN(len(keys))]
			_, decided := holds[key]
			err := prog.Titles.Withdraw(ctx, key, seenAt(t, prog, edits.Thing{Kind: edits.Name, Key: key}), who)
			if decided != (err == nil) || err != nil && !errors.Is(err, sqlite.ErrNotFound) {
				t.Fatalf("step %d: %q is decided: %v, withdrawing says %v", n, key, decided, err)
			}
			delete(holds, key)
			delete(by, key)
		case 4:
			// undoing is held against the program's own word of what it takes back, since it may be something that
			// others have decided on since
			q, err := prog.Titles.Queue(ctx, who)
			if err != nil {
				t.Fatal(err)
			}
			u, err := prog.Titles.Undo(ctx, who)
			if (q.Undo == nil) != refuse.Is(err) || err != nil && !refuse.Is(err) {
				t.Fatalf("step %d: %+v, %v", n, q.Undo, err)
			}
			if err != nil {
				continue
			}
			if u.What != q.Undo.What {
				t.Fatalf("step %d: undid %q, said %q", n, u.What, q.Undo.What)
			}
			undone := map[string]bool{}
			for i := len(steps) - 1; i >= 0; i-- {
				if s := steps[i]; !s.gone && s.who == who {
					s.gone = true
					for _, key := range s.keys {
						undone[key] = true
						if at, decided := by[key]; decided && at == i {
							delete(holds, key)
							delete(by, key)
						}
					}
					break
				}
			}
			// what an undone step took the place of may hold again: of its names the file says what is so
			if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
				list, err := snapshot.Decisions(tx)
				now := map[string]int64{}
				for _, d := range list {
					now[d.Key] = d.Product
				}
				for _, key := range keys {
					p, decided := holds[key]
					got, is := now[key]
					// of what came back once, the list does not know whose it is
					if undone[key] && (!decided || by[key] < 0) {
						delete(holds, key)
						if is {
							holds[key], by[key] = got, -1
						}
					} else if decided != is || got != p {
						t.Fatalf("step %d: undoing changed %q, on which something else holds", n, key)
					}
				}
				return err
			}); err != nil {
				t.Fatal(err)
			}
		}
		want := map[int64]map[int]bool{products[0]: {}, products[1]: {}}
		for i, key := range keys {
			if p := holds[key]; p != 0 {
				for d := range i + 1 {
					want[p][d] = true
				}
			}
		}
		for p, n2 := range needed() {
			if n2 != int64(len(want[p])) {
				t.Fatalf("step %d: %d devices need product %d, by the list %d (%v)", n, n2, p, len(want[p]), holds)
			}
		}
	}
}

// Where somebody has decided on a name since, undoing an older decision leaves his alone; and when he undoes his, too,
// what held before both holds again.
func TestUndoingBelowAnother(t *testing.T) {
	ctx := context.Background()
	prog, keys, products := namedDesk(t, 1)
	decide := func(who string, product int64) {
		t.Helper()
		if _, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: keys, Product: product}, who); err != nil {
			t.Fatal(err)
		}
	}
	undo := func(who string, want int64) {
		t.Helper()
		if _, err := prog.Titles.Undo(ctx, who); err != nil {
			t.Fatal(err)
		}
		if err := prog.DB.View(ctx, func(tx *sqlite.Tx) error {
			list, err := snapshot.Decisions(tx)
			if len(list) != 1 || list[0].Product != want {
				t.Errorf("after %s: %+v, want product %d", who, list, want)
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	decide("first", products[0])
	decide("second", products[1])
	decide("third", 0)
	undo("second", 0)
	undo("third", products[0])
}

// Seats that become free go to those who wait in their order, each to one, and whoever has left is passed over; who
// holds one gets no second, and nobody gets more than there are.
func TestSeatsGoInTheOrderOfWaiting(t *testing.T) {
	ctx := context.Background()
	for seed := range uint64(8) {
		r := rand.New(rand.NewPCG(seed, 21))
		prog, _ := desk(t)
		base(t, prog)
		take(t, prog, formats.Titles, "publisher,product,default_metric", "Brack,Notes,named_user")
		users := []string{"user_id,name,status"}
		for i := range 12 {
			users = append(users, fmt.Sprintf("q%02d,Queuer %02d,active", i, i))
		}
		take(t, prog, formats.Users, users...)
		seats := 2 + r.IntN(4)
		take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,kind,start",
			fmt.Sprintf("S-1,Brack,Notes,named_user,%d,perpetual,2025-01-01", seats),
			"S-2,Brack,Notes,named_user,1,perpetual,2025-01-01")
		seats++
		product := mustProduct(t, prog, "Notes")
		order := r.Perm(12)
		for _, i := range order {
			if err := prog.Entitlements.Wait(ctx, product, fmt.Sprintf("q%02d", i), "", "w"); err != nil {
				t.Fatal(err)
			}
		}
		left := order[r.IntN(len(order))]
		take(t, prog, formats.Users, "user_id,name,status", fmt.Sprintf("q%02d,Queuer %02d,left", left, left))
		var want []string
		for _, i := range order {
			if i != left && len(want) < seats {
				want = append(want, fmt.Sprintf("q%02d", i))
			}
		}
		given, err := prog.Entitlements.GiveWaiting(ctx, product, "w")
		if err != nil {
			t.Fatal(err)
		}
		var got []string
		by := map[string]int{}
		for _, g := range given.Given {
			got = append(got, g.User)
			by[g.Line]++
		}
		if !slices.Equal(got, want) || by["S-1"] != seats-1 || by["S-2"] != 1 {
			t.Fatalf("seed %d: %v got seats (%v), want %v", seed, got, by, want)
		}
		if again, err := prog.Entitlements.GiveWaiting(ctx, product, "w"); err == nil {
			t.Errorf("seed %d: %+v were given where none is free", seed, again)
		}
		if err := prog.Entitlements.Wait(ctx, product, want[0], "", "w"); !refuse.Is(err) {
			t.Errorf("seed %d: who holds a seat waits for one: %v", seed, err)
		}
	}
}
