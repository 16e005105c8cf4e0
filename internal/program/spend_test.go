package program

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"

	"ensomet/internal/core/entitle"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"
	"ensomet/internal/position"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// amounts adds up spend by use, by year.
func amounts(t *testing.T, prog *Program, asked entitlements.UseAsked, keep func(entitlements.UseSpend) bool) (
	byYear map[int]string) {
	t.Helper()
	s, err := prog.Spending.ByUse(context.Background(), asked)
	if err != nil {
		t.Fatal(err)
	}
	sums := map[int]decimal.Decimal{}
	for _, r := range s.Rows {
		if keep == nil || keep(r) {
			sums[r.Year] = sums[r.Year].Add(decimal.RequireFromString(r.Amount))
		}
	}
	byYear = map[int]string{}
	for year, sum := range sums {
		byYear[year] = sum.String()
	}
	return byYear
}

// However licences are used: what each unit is charged adds up to what was spent, to the cent, in the house and of each
// product, whether what nobody uses stands apart or is shared out; and a unit alone is charged what it is charged among
// all.
func TestSpendByUseAddsUp(t *testing.T) {
	seeds := uint64(25)
	if testing.Short() {
		seeds = 5
	}
	charged := 0
	for seed := range seeds {
		s := newEstate(t, 900+seed)
		spent, err := s.prog.Spending.Spend(context.Background(), entitlements.OwnBy{})
		if err != nil {
			t.Fatal(err)
		}
		whole := map[int]decimal.Decimal{}
		ofProduct := map[int64]map[int]decimal.Decimal{}
		for _, r := range spent.Rows {
			amount := decimal.RequireFromString(r.Amount)
			whole[r.Year] = whole[r.Year].Add(amount)
			if ofProduct[r.ProductID] == nil {
				ofProduct[r.ProductID] = map[int]decimal.Decimal{}
			}
			ofProduct[r.ProductID][r.Year] = ofProduct[r.ProductID][r.Year].Add(amount)
		}
		same := func(what string, got map[int]string, want map[int]decimal.Decimal) {
			t.Helper()
			text := map[int]string{}
			for year, sum := range want {
				if !sum.IsZero() {
					text[year] = sum.String()
				}
			}
			if !maps.Equal(got, text) {
				t.Errorf("seed %d, %s: %v, and %v was spent", seed, what, got, text)
			}
		}
		for _, spread := range []bool{false, true} {
			for _, products := range []bool{false, true} {
				same(
					"all",
					amounts(t, s.prog, entitlements.UseAsked{Spread: spread, ByProduct: products}, nil),
					whole,
				)
			}
			for product, want := range ofProduct {
				same(fmt.Sprint("product ", product), amounts(t, s.prog,
					entitlements.UseAsked{Spread: spread, Product: product}, nil), want)
			}
			for _, unit := range []string{"A", "A/B", "C"} {
				alone := amounts(t, s.prog, entitlements.UseAsked{Spread: spread, Unit: unit}, nil)
				among := amounts(
					t,
					s.prog,
					entitlements.UseAsked{Spread: spread},
					func(r entitlements.UseSpend) bool {
						return entitle.InUnit(r.Unit, unit)
					},
				)
				if !maps.Equal(alone, among) {
					t.Errorf("seed %d: %s alone %v, among all %v", seed, unit, alone, among)
				}
				charged += len(alone)
			}
		}
	}
	if charged == 0 {
		t.Error("no unit was ever charged anything")
	}
}

// Ten rights for 1,000 EUR, of which one unit uses three and another two: 300, 200, and 500 that nobody uses; shared
// out, 600 and 400. A line whose term is over stays with whom it was bought for.
func TestSpendByUse(t *testing.T) {
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Devices, "device_id,kind,org_unit", "D1,client,A", "D2,client,A", "D3,client,A/B",
		"D4,client,C", "D5,client,C")
	var lines []string
	for i := range 5 {
		lines = append(lines, fmt.Sprintf("D%d,Ostwick,Skerrymap,6.1,,,2026-06-20T10:00:00Z", i+1))
	}
	take(t, prog, formats.Installs, append([]string{installHeader}, lines...)...)
	take(
		t,
		prog,
		formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,unit_price,currency,"+
			"kind,start,end,scope_unit",
		"E,Ostwick,Skerrymap,device,10,2025-03-01,100,EUR,perpetual,,,",
		"F,Ostwick,Suite,device,1,2024-03-01,77.77,EUR,subscription,2024-03-01,2025-02-28,C",
		"G,Ostwick,Suite,device,1,2024-03-01,50,XXX,subscription,2024-03-01,2025-02-28,C",
	)
	figure(t, prog, "Skerrymap")
	for _, c := range []struct {
		asked entitlements.UseAsked
		want  map[string]string
	}{
		{entitlements.UseAsked{}, map[string]string{"2025 used A": "200", "2025 used A/B": "100", "2025 used C": "200",
			"2025 spare ": "500", "2024 not in force C": "77.77"}},
		{entitlements.UseAsked{Spread: true}, map[string]string{"2025 used A": "400", "2025 used A/B": "200",
			"2025 used C": "400", "2024 not in force C": "77.77"}},
		{entitlements.UseAsked{Unit: "A"}, map[string]string{"2025 used A": "200", "2025 used A/B": "100"}},
	} {
		s, err := prog.Spending.ByUse(context.Background(), c.asked)
		if err != nil {
			t.Fatal(err)
		}
		got := map[string]string{}
		for _, r := range s.Rows {
			got[fmt.Sprint(r.Year, " ", r.Part, " ", r.Unit)] = r.Amount
		}
		if !maps.Equal(got, c.want) {
			t.Errorf("%+v: %v, not %v", c.asked, got, c.want)
		}
		if len(s.Without) != 1 || s.Without[0].Line != "G" || s.Without[0].Amount != "50" {
			t.Errorf("what has no rate: %+v", s.Without)
		}
	}
}

// The house chooses the currency of its sums, where a rate of it is known: what is spent, what ends, what a scenario
// does, between two days and on the first page come in it, and orders by money stay as they were.
func TestTheCurrencyOfTheHouse(t *testing.T) {
	ctx := context.Background()
	prog, _ := desk(t)
	base(t, prog)
	take(t, prog, formats.Rates, "currency,on,per_eur", "NOK,2025-01-01,10", "NOK,2026-06-01,12", "SEK,2025-01-01,11")
	take(t, prog, formats.Titles, "publisher,product,version,licence_model,list_price,currency",
		"Ostwick,Oyster,,commercial,1200,NOK", "Ostwick,Gannet,,commercial,70,XXX")
	take(t, prog, formats.Installs, installHeader,
		"D1,Ostwick,Skerrymap,6.1,,,2026-06-20T10:00:00Z",
		"D2,Ostwick,Oyster,1,,,2026-06-20T10:00:00Z", "D3,Ostwick,Gannet,1,,,2026-06-20T10:00:00Z")
	take(t, prog, formats.Entitlements,
		"entitlement_id,publisher,product,metric,quantity,purchased,unit_price,currency",
		"E,Ostwick,Suite,device,1,2025-03-01,100,EUR")
	set := func(currency string) error {
		rules, err := prog.Evidence.Rules(ctx)
		if err != nil {
			t.Fatal(err)
		}
		rules.Currency = &currency
		return prog.Evidence.SetRules(ctx, rules, "me")
	}
	look := func() (spent, money, steps string, order []string) {
		t.Helper()
		if err := prog.Pipeline.Refresh(ctx); err != nil {
			t.Fatal(err)
		}
		s, err := prog.Spending.Spend(ctx, entitlements.OwnBy{})
		if err != nil || len(s.Rows) != 1 {
			t.Fatal(s, err)
		}
		o, err := prog.Reports.Overview(ctx)
		if err != nil {
			t.Fatal(err)
		}
		for _, m := range o.Money {
			money += m.Exposure + " " + m.Currency + "; "
		}
		all, err := prog.Position.AllSteps(ctx, prog.Snapshots.Today()-30, 0, position.KnownNow)
		if err != nil {
			t.Fatal(err)
		}
		page, err := listed(prog, prog.Position.PositionsOn, sqlite.ListQuery{Limit: 10, Sort: "money"})
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range page.Rows {
			order = append(order, p.Product)
		}
		return s.Rows[0].Amount, money, all.ExposureAfter, order
	}
	spent, money, steps, order := look()
	if spent != "100" || money != "200 EUR; 70 XXX; " || steps != "200" {
		t.Errorf("in euros: %s, %s, %s", spent, money, steps)
	}
	for _, wrong := range []string{"XXX", "QQQ"} {
		if err := set(wrong); err == nil || !strings.Contains(err.Error(), "rates.csv") {
			t.Errorf("%s has no rate: %v", wrong, err)
		}
	}
	if err := set("nok"); err != nil {
		t.Fatal(err)
	}
	// a payment at the rate of its day, what is short at that of today
	spentNow, moneyNow, stepsNow, orderNow := look()
	if spentNow != "1000" || moneyNow != "2400 NOK; 70 XXX; " || stepsNow != "2400" {
		t.Errorf("in kroner: %s, %s, %s", spentNow, moneyNow, stepsNow)
	}
	if !slices.Equal(order, orderNow) {
		t.Errorf("in order: %v, in kroner %v", order, orderNow)
	}
	if rules, err := prog.Evidence.Rules(ctx); err != nil || *rules.Currency != "NOK" {
		t.Errorf("%+v, %v", rules, err)
	}
	if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
		t.Error(wrong, err)
	}
	if err := set("EUR"); err != nil {
		t.Fatal(err)
	}
	if again, _, _, _ := look(); again != "100" {
		t.Errorf("back in euros: %s", again)
	}
}
