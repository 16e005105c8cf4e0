package program

import (
	"fmt"
	"strings"
	"sync"
	"testing"

	"ensomet/internal/core/refuse"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// atOnce lets several do one thing at the same time, and counts who could.
func atOnce(t *testing.T, n int, do func(i int) error) (could int) {
	t.Helper()
	var ready, all sync.WaitGroup
	var mu sync.Mutex
	ready.Add(1)
	for i := range n {
		all.Go(func() {
			ready.Wait()
			err := do(i)
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				could++
			} else if !refuse.Is(err) && !strings.Contains(err.Error(), "there is no such thing") {
				t.Error(err)
			}
		})
	}
	ready.Done()
	all.Wait()
	return could
}

// What is checked holds in the transaction that writes: of several who do one thing at once, one does it.
func TestCheckedAndDoneInOne(t *testing.T) {
	for range 5 {
		prog, _ := desk(t)
		base(t, prog)
		// two people book one number
		if n := atOnce(t, 6, func(i int) error {
			_, err := prog.Evidence.Book(t.Context(), "entitlements", map[string]string{
				"entitlement_id": "N-7", "publisher": "Ostwick", "product": "Skerrymap", "metric": "device",
				"quantity": fmt.Sprint(i + 1),
			}, "me")
			return err
		}); n != 1 {
			t.Errorf("%d booked one number", n)
		}
		// rights that seats need are given away once
		take(t, prog, formats.Users, "user_id,name", "u1,One", "u2,Two")
		take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity,purchased",
			"S-1,Ostwick,Skerrymap,named_user,3,2026-01-01")
		take(t, prog, formats.Assignments, "entitlement_id,user_id,device_id,from,until", "S-1,u1,,2026-01-01,")
		if n := atOnce(t, 6, func(i int) error {
			_, err := prog.Entitlements.Trade(t.Context(), entitlements.TransactionDraft{
				Line: "S-1", Type: "retire", On: "2026-06-0" + fmt.Sprint(i+1), Quantity: "1",
			}, "me")
			return err
		}); n != 2 {
			t.Errorf("%d of 3 rights were retired beside one seat", n)
		}
		// what waits for a second person is signed once
		if err := prog.Titles.SetNaming(t.Context(), titles.NamingSettings{SignOff: []string{"title"}},
			"boss"); err != nil {
			t.Fatal(err)
		}
		take(t, prog, formats.Installs, installHeader, "D1,Nobody,Something odd,1,,,2026-06-20T08:00:00Z")
		if err := prog.Pipeline.Refresh(t.Context()); err != nil {
			t.Fatal(err)
		}
		key := ""
		if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
			page, err := lists.NameList().Page(tx, sqlite.ListQuery{Search: "Something odd"})
			if err == nil {
				key = page.Rows[0].Key
			}
			return err
		}); err != nil {
			t.Fatal(err)
		}
		if _, err := prog.Titles.Decide(t.Context(), titles.NameDecision{Keys: []string{key}, Product: 1},
			"one"); err != nil {
			t.Fatal(err)
		}
		waits, err := prog.Titles.Unsigned(t.Context())
		if err != nil || len(waits) != 1 {
			t.Fatalf("%+v, %v", waits, err)
		}
		if n := atOnce(t, 6, func(i int) error {
			return prog.Titles.Sign(t.Context(), waits[0].Kind, waits[0].ID, waits[0].Revision, true,
				fmt.Sprint("signer ", i))
		}); n != 1 {
			t.Errorf("%d signed one decision", n)
		}
	}
}
