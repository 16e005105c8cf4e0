package entitle

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"ensomet/internal/core/civil"
)

var day = civil.MustParse

func TestEffective(t *testing.T) {
	lines := []Line{
		{Code: "perpetual", Kind: Perpetual, Quantity: 10, Purchased: day("2024-01-01")},
		{Code: "later", Kind: Perpetual, Quantity: 10, Purchased: day("2027-01-01")},
		{Code: "lapsed", Kind: Subscription, Quantity: 5, Start: day("2025-01-01"), End: day("2025-12-31")},
		{Code: "last-day", Kind: Subscription, Quantity: 5, Start: day("2025-07-01"), End: day("2026-06-30")},
		{Code: "packs", Kind: Perpetual, Quantity: 3, PackSize: 2, Start: day("2024-01-01")},
		{Code: "traded", Kind: Perpetual, Quantity: 99, Purchased: day("2024-01-01"), Transactions: []Transaction{
			{Type: "buy", On: day("2024-01-01"), Quantity: 20}, {Type: "true_up", On: day("2025-01-01"), Quantity: 5},
			{Type: "renew", On: day("2025-06-01"), Quantity: 25},
			{Type: "transfer_out", On: day("2026-01-01"), Quantity: 4},
			{Type: "retire", On: day("2026-02-01"), Quantity: 1},
			{Type: "buy", On: day("2026-12-01"), Quantity: 100}}},
		{Code: "maintenance", Kind: Maintenance, Quantity: 10, Start: day("2024-01-01")},
		{Code: "up", Kind: Upgrade, Base: "perpetual", Quantity: 12, Start: day("2025-01-01")},
		{Code: "up2", Kind: Upgrade, Base: "up", Quantity: 4, Start: day("2025-01-01")},
		{Code: "alone", Kind: Upgrade, Quantity: 3, Start: day("2025-01-01")},
		{Code: "ring-a", Kind: Upgrade, Base: "ring-b", Quantity: 3},
		{Code: "ring-b", Kind: Upgrade, Base: "ring-a", Quantity: 3},
	}
	got := Effective(lines, day("2026-06-30"))
	for code, want := range map[string][3]int64{
		"perpetual": {0, 0, 10}, "later": {0, 0, 0}, "lapsed": {0, 0, 0}, "last-day": {5, 0, 0}, "packs": {6, 0, 0},
		"traded": {20, 0, 0}, "maintenance": {0, 0, 0},
		"up": {6, 2, 4}, "up2": {4, 0, 0}, "alone": {0, 3, 0}, "ring-a": {0, 3, 0}, "ring-b": {0, 3, 0},
	} {
		e := got[code]
		if [3]int64{e.Quantity, e.Unmatched, e.Consumed} != want {
			t.Errorf("%s: %+v, want %v", code, e, want)
		}
		if (e.Quantity == 0) != (e.Why != "") {
			t.Errorf("%s: counts %d and says why not: %q", code, e.Quantity, e.Why)
		}
	}
	if !got["lapsed"].Expired || got["later"].Expired {
		t.Error("only the lapsed line has expired")
	}
}

// An upgrade never makes more rights than there were: base and upgrades together are the base's own quantity at most.
func TestUpgradesNeverAddRights(t *testing.T) {
	for seed := range uint64(300) {
		r := rand.New(rand.NewPCG(seed, 1))
		base := int64(r.IntN(20))
		lines := []Line{{Code: "a", Kind: Perpetual, Quantity: base}}
		codes := []string{"a"}
		for i := range r.IntN(4) {
			code := string(rune('b' + i))
			lines = append(
				lines,
				Line{Code: code, Kind: Upgrade, Base: codes[r.IntN(len(codes))], Quantity: int64(r.IntN(15))},
			)
			codes = append(codes, code)
		}
		var sum int64
		for code, e := range Effective(lines, day("2026-06-30")) {
			if e.Quantity < 0 {
				t.Fatalf("seed %d: %s is negative", seed, code)
			}
			sum += e.Quantity
		}
		if sum != base {
			t.Fatalf("seed %d: %d rights became %d", seed, base, sum)
		}
	}
}

func TestCovers(t *testing.T) {
	five := Line{Version: "5"}
	older := Line{Version: "5", Rights: []Right{OlderVersions}}
	kept := Line{Version: "5", Start: day("2024-01-01"), MaintenanceEnd: day("2026-03-31")}
	pro := Line{Edition: "Professional", EditionRank: 2, Rights: []Right{LowerEditions}}
	workshop := Line{ScopeUnit: "Shore/Workshop", ScopeCountry: "NO"}
	v := func(versions ...string) []Need {
		var out []Need
		for _, x := range versions {
			out = append(out, Need{Version: x})
		}
		return out
	}
	for i, c := range []struct {
		l     Line
		needs []Need
		at    Place
		r     Reason
		gaps  []Gap
	}{
		{five, v("5.2"), Place{}, Exact, nil},
		{five, v("50"), Place{}, 0, []Gap{VersionTooNew}},
		{five, v("4"), Place{}, 0, []Gap{OldVersion}},
		{five, v(""), Place{}, 0, []Gap{UnknownVersion}},
		{Line{}, v(""), Place{}, Exact, nil},
		{older, v("4.9", "5"), Place{}, OlderVersion, nil},
		{older, v("4.9", "6"), Place{}, OlderVersion, []Gap{VersionTooNew}},
		{kept, []Need{{Version: "6", Released: day("2026-03-31")}}, Place{}, NewerVersion, nil},
		{kept, []Need{{Version: "6", Released: day("2026-04-01")}}, Place{}, 0, []Gap{VersionTooNew}},
		{kept, []Need{{Version: "6", Released: day("2023-12-31")}}, Place{}, 0, []Gap{VersionTooNew}},
		{kept, v("6"), Place{}, 0, []Gap{VersionTooNew}},
		{pro, []Need{{Edition: "Standard", EditionRank: 1}}, Place{}, LowerEdition, nil},
		{pro, []Need{{Edition: "Enterprise", EditionRank: 3}}, Place{}, 0, []Gap{EditionTooHigh}},
		{pro, []Need{{Edition: ""}}, Place{}, 0, []Gap{UnknownEdition}},
		{Line{Edition: "Pro", EditionRank: 2}, []Need{{Edition: "Standard", EditionRank: 1}}, Place{}, 0,
			[]Gap{LowerEditionAlone}},
		{pro, []Need{{Edition: "Studio", EditionRank: 2}}, Place{}, 0, []Gap{OtherEdition}},
		{workshop, v("1"), Place{"Shore/Workshop/Bench", "NO"}, Exact, nil},
		{workshop, v("1"), Place{"Shore/Workshops", "NO"}, 0, []Gap{OutOfScope}},
		{workshop, v("1"), Place{"Shore/Workshop", "IS"}, 0, []Gap{OutOfScope}},
	} {
		r, gaps := c.l.Covers(c.needs, c.at)
		if !reflect.DeepEqual(gaps, c.gaps) || gaps == nil && r != c.r {
			t.Errorf("case %d: %v %v, want %v %v", i, r, gaps, c.r, c.gaps)
		}
	}
}
