package program

import (
	"context"
	"fmt"
	"slices"
	"testing"

	"ensomet/internal/core/casework"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// Cases are put in order by what they are worth in one currency, page by page; a lot of several currencies is summed
// up in euros.
func TestCasesOfSeveralCurrenciesInOrder(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	take(
		t,
		prog,
		formats.Rates,
		"currency,on,per_eur",
		"NOK,2026-01-01,11.5",
		"SEK,2025-01-01,9",
		"SEK,2026-01-01,11",
		"XXX,2026-01-01,0.5",
	)
	titles := []string{"publisher,product,licence_model,list_price,currency"}
	installs := []string{"device_id,publisher,name,version,seen_at,source"}
	devices := []string{"device_id,kind"}
	// 86.96, 95, 100, 80 and, without a rate, 30
	for i, price := range []string{"1000,NOK", "95,EUR", "1100,SEK", "40,XXX", "30,USD"} {
		titles = append(titles, fmt.Sprintf("Ostwick,Prod %d,commercial,%s", i, price))
		installs = append(installs, fmt.Sprintf("D%d,Ostwick,Prod %d,1,2026-06-29T10:00:00Z,s", i, i))
		devices = append(devices, fmt.Sprintf("D%d,client", i))
	}
	take(t, prog, formats.Titles, titles...)
	take(t, prog, formats.Devices, devices...)
	take(t, prog, formats.Installs, installs...)
	if err := prog.Pipeline.Refresh(ctx); err != nil {
		t.Fatal(err)
	}
	for _, down := range []bool{true, false} {
		want := []string{"Prod 2", "Prod 1", "Prod 0", "Prod 3", "Prod 4"}
		if !down {
			slices.Reverse(want)
		}
		var got []string
		cursor := ""
		for range 10 {
			var page sqlite.Page[lists.CaseRow]
			if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
				page, err = lists.CaseList().Page(tx,
					sqlite.ListQuery{Sort: "amount", Descending: down, Limit: 1, Cursor: cursor,
						Filters: map[string]string{"kind": "uncovered"}})
				return err
			}); err != nil {
				t.Fatal(err)
			}
			for _, r := range page.Rows {
				got = append(got, r.Product)
			}
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		if !slices.Equal(got, want) {
			t.Errorf("down %v: %v, want %v", down, got, want)
		}
	}
	// two cases of one product in two currencies, and one that is worth nothing
	if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for product, amounts := range map[int64][][2]string{1: {{"115", "NOK"}, {"7", "EUR"}, {"0", "SEK"}},
			2: {{"115", "NOK"}, {"0", "EUR"}}} {
			for i, a := range amounts {
				c, step := casework.Find(casework.Case{Kind: casework.IdleLicence, Device: int64(i + 1),
					Product: product},
					casework.Finding{Worth: "reuse", Amount: a[0], Currency: a[1], Proof: []string{"not used"}}, 1)
				if err := worklistdb.Move(tx, &c, step); err != nil {
					return err
				}
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	lots, err := prog.Worklist.CaseGroups(ctx)
	if err != nil {
		t.Fatal(err)
	}
	seen := map[string]string{}
	for _, g := range lots {
		if g.Kind == "idle" {
			seen[g.Product] = fmt.Sprintf("%d: %s %s", g.Count, g.Amount, g.Currency)
		}
	}
	if seen["Prod 0"] != "3: 17 EUR" || seen["Prod 1"] != "2: 115 NOK" {
		t.Errorf("%v", seen)
	}
}

// Whatever a program is removed for, a removal that ends a part of a shortfall avoids that purchase, and no part twice:
// three are short of four that must not be there, one of which a right covers.
func TestWhatARemovalIsWorth(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Titles, "publisher,product,licence_model,list_price,currency",
		"Ostwick,Derby,commercial,30,EUR")
	take(t, prog, formats.Devices, "device_id,kind", "D4,client", "D5,client")
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,kind,start,end,unit_price,currency",
		"R-1,Ostwick,Derby,device,1,subscription,2026-01-01,2026-12-31,12,EUR")
	take(t, prog, formats.Policies, "publisher,product,stance,reason", "Ostwick,Derby,restricted,not at work")
	installs := []string{installHeader}
	for i := range 4 {
		installs = append(installs, fmt.Sprintf("D%d,Ostwick,Derby,1,,,2026-06-29T10:00:00Z", i+1))
	}
	take(t, prog, formats.Installs, installs...)
	sums := func() map[string]string {
		t.Helper()
		renew(t, prog)
		n := map[string]int{}
		for _, c := range casesOf(t, prog) {
			if c.Kind == casework.RestrictedTitle {
				n[fmt.Sprint(c.Worth, " ", c.Amount)]++
			}
		}
		out := map[string]string{}
		for k, v := range n {
			out[k] = fmt.Sprint(v)
		}
		return out
	}
	if got := fmt.Sprint(sums()); got != "map[at renewal 12:1 purchase avoided 30:3]" {
		t.Errorf("three of four are short: %s", got)
	}
	all, err := prog.Worklist.Ledger(t.Context())
	if err != nil {
		t.Fatal(err)
	}
	said := map[string]string{}
	for _, l := range all.Sums {
		said[l.Worth] = l.Potential
	}
	if said["purchase avoided"] != "90" || said["at renewal"] != "12" {
		t.Errorf("what could be saved: %v", said)
	}
	// two rights more: one is short, and one removal avoids it
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"R-2,Ostwick,Derby,device,2")
	if got := sums(); got["purchase avoided 30"] != "1" {
		t.Errorf("one of four is short: %v", got)
	}
	// none is short, and none avoids a purchase
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"R-2,Ostwick,Derby,device,9")
	if got := sums(); got["purchase avoided 30"] != "" {
		t.Errorf("none is short: %v", got)
	}
}

// What somebody decided to remove is worth what the position of today says of it, and not what it was worth then.
func TestWhatAPlannedRemovalIsWorth(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Installs, installHeader, "D1,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z",
		"D2,Ostwick,Skerrymap,6.1,,,2026-06-29T10:00:00Z")
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"S-1,Ostwick,Skerrymap,device,1")
	renew(t, prog)
	s, err := prog.Worklist.SaveScenario(ctx, worklist.Scenario{Name: "one less", Measures: []snapshot.Measure{
		{Kind: "remove", Product: mustProduct(t, prog, "Skerrymap"), Devices: []string{"D1"}}}}, "me")
	if err != nil {
		t.Fatal(err)
	}
	if _, err := prog.Worklist.DoScenario(ctx, s.ID, s.Revision, "me"); err != nil {
		t.Fatal(err)
	}
	planned := func() string {
		t.Helper()
		renew(t, prog)
		for _, c := range casesOf(t, prog) {
			if c.Kind == casework.Planned {
				return fmt.Sprint(c.State, " ", c.Worth, " ", c.Amount)
			}
		}
		return ""
	}
	if got := planned(); got != "agreed purchase avoided 100" {
		t.Errorf("one of two is short: %s", got)
	}
	take(t, prog, formats.Entitlements, "entitlement_id,publisher,product,metric,quantity",
		"S-1,Ostwick,Skerrymap,device,2")
	if got := planned(); got != "agreed reuse 0" {
		t.Errorf("none is short: %s", got)
	}
}

// Both ledgers add up in the currency of the house as well: what could be saved at the rates of today, what was saved
// at those of the day on which it was booked. What has no rate is named, and in no sum.
func TestLedgersInTheCurrencyOfTheHouse(t *testing.T) {
	ctx := t.Context()
	prog, clock := desk(t)
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2026-01-01,10", "NOK,2026-06-15,12.5")
	take(t, prog, formats.Titles, "publisher,product,category,licence_model", "Ostwick,Derby,game,free")
	take(t, prog, formats.Devices, "device_id,name,kind", "D1,dev-1,client", "D2,dev-2,client", "D3,dev-3,client",
		"D4,dev-4,client")
	take(t, prog, formats.Policies, "publisher,product,stance,reason", "Ostwick,Derby,restricted,not at work")
	var lines []string
	for i := range 4 {
		lines = append(lines, fmt.Sprintf("D%d,Ostwick,Derby,1,,scan,2026-06-29T10:00:00Z", i+1))
	}
	take(t, prog, formats.Installs, append([]string{installHeader}, lines...)...)
	renew(t, prog)
	const march = 1773446400 // 2026-03-14
	put := func(text string, args ...any) {
		t.Helper()
		if err := prog.DB.Update(ctx, func(tx *sqlite.Tx) error {
			_, err := tx.Exec(text, args...)
			return err
		}); err != nil {
			t.Fatal(err)
		}
	}
	for id, c := range map[int]string{1: "NOK", 2: "EUR", 3: "XTS"} { // ISO 4217 keeps XTS for tests
		put("UPDATE worklist_case SET worth = 'at renewal', amount = '100', currency = ? WHERE id = ?", c, id)
	}
	put(`INSERT INTO saving(case_id, product_id, at, worth, amount, currency, money_on, scan_at, note)
		VALUES (4, 1, ?, 'at renewal', '50', 'NOK', 0, 0, ''), (4, 1, ?, 'at renewal', '-25', 'NOK', 0, 0, '')`, march,
		clock.now.Unix())
	look := func(house string) string {
		t.Helper()
		l, err := prog.Worklist.Ledger(ctx)
		if err != nil {
			t.Fatal(err)
		}
		out := fmt.Sprintf("%s: %s, %s, without %v;", l.House, l.Potential, l.Realised, l.Without)
		for _, s := range l.Sums {
			out += fmt.Sprintf(" %s %s (%s) %s (%s);", s.Currency, s.Potential, s.PotentialInHouse, s.Realised,
				s.RealisedInHouse)
		}
		return out
	}
	// 100 NOK are 8 EUR at 12.5; 50 NOK were 5 EUR at 10, and 25 were 2 EUR when they came back
	want := "EUR: 108, 3, without [XTS]; NOK 100 (8) 25 (3); EUR 100 (100) 0 (0); XTS 100 () 0 (0);"
	if got := look("EUR"); got != want {
		t.Errorf("%s\n, not %s", got, want)
	}
	put("INSERT INTO setting(key, value) VALUES ('house_currency', 'NOK') ON CONFLICT(key) DO UPDATE SET value = 'NOK'")
	want = "NOK: 1350, 25, without [XTS]; NOK 100 (100) 25 (25); EUR 100 (1250) 0 (0); XTS 100 () 0 (0);"
	if got := look("NOK"); got != want {
		t.Errorf("%s\n, not %s", got, want)
	}
	groups, err := prog.Worklist.CaseGroups(ctx)
	if err != nil || len(groups) != 1 {
		t.Errorf("%+v, %v", groups, err)
	}
}
