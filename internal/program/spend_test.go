package program

import (
	"context"
	"fmt"
	"maps"
	"testing"

	"ensomet/internal/core/entitle"
	"ensomet/internal/entitlements"
	"ensomet/internal/formats"

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
		spent, err := s.prog.Spending.Spend(context.Background())
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
