package position

import (
	"math/rand/v2"
	"reflect"
	"testing"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

func TestMeasures(t *testing.T) {
	sets := demand.Sets{}
	base := Input{AsOf: today, Lines: []entitle.Line{
		{Code: "a", Metric: entitle.Device, Quantity: 2, Kind: entitle.Perpetual, Version: "5", ScopeUnit: "A"},
		{Code: "s", Metric: entitle.Device, Quantity: 1, Kind: entitle.Subscription, Version: "5", End: today + 10}},
		Found: demand.Found{
			Sets: sets,
			Holdings: []demand.Holding{
				hold(sets, 1, 7, need("5", 100)),
				hold(sets, 2, 8, need("6", 100)),
				hold(sets, 3, 9, need("5", 100)),
			},
		}}
	base.Holdings[0].Place.Unit = "B"
	// As it is: s covers device 1 or 3; a reaches nobody in A. Two of three are short.
	if p := Compute(base)[0]; p.Owned != 3 || p.Short != 2 || p.Surplus != 2 {
		t.Fatalf("%+v", p)
	}
	for _, c := range []struct {
		m                     Measure
		owned, short, surplus int64
	}{
		{Measure{Kind: Remove, Devices: []int64{2}}, 3, 1, 2},
		{Measure{Kind: Move, Line: "a", Quantity: 1, Unit: "B"}, 3, 1, 1},
		{Measure{Kind: Buy, Line: "s", Quantity: 4}, 7, 1, 5},
		{Measure{Kind: Buy, Metric: entitle.Device, Quantity: 1}, 4, 1, 2},
		{Measure{Kind: UpgradeTo, Line: "s", Quantity: 1, Version: "6"}, 3, 2, 2},
		{Measure{Kind: Capacity, Line: "a", Capacity: "sub"}, 3, 2, 2},
		{Measure{Kind: Lapse, Line: "s"}, 2, 3, 2},
		{Measure{Kind: Metric, Line: "a", Metric: entitle.NamedUser}, 3, 2, 2},
		{Measure{Kind: Right, Line: "s", Right: entitle.SecondDevice}, 3, 2, 2},
	} {
		in, err := Apply(base, c.m, 0)
		if err != nil {
			t.Errorf("%s: %v", c.m.Kind, err)
			continue
		}
		var owned, short, surplus int64
		for _, p := range Compute(in) {
			owned, short, surplus = owned+p.Owned, short+p.Short, surplus+p.Surplus
		}
		if owned != c.owned || short != c.short || surplus != c.surplus {
			t.Errorf(
				"%s: owned %d short %d spare %d, want %d, %d, %d",
				c.m.Kind,
				owned,
				short,
				surplus,
				c.owned,
				c.short,
				c.surplus,
			)
		}
	}
	for _, m := range []Measure{{Kind: Remove}, {Kind: Reclaim}, {Kind: Move, Line: "a", Quantity: 3},
		{Kind: Move, Line: "x", Quantity: 1}, {Kind: Buy}, {Kind: Buy, Quantity: 2}, {Kind: UpgradeTo, Line: "a"},
		{Kind: Lapse, Line: "x"}, {Kind: "wish"}, {Kind: Capacity, Line: "a", Capacity: "half"},
		{Kind: Reversion, Devices: []int64{1}, Version: "5"}} { // what machines have is tried from the installs on
		if _, err := Apply(base, m, 0); err == nil {
			t.Errorf("%+v cannot be done, and nothing says so", m)
		}
	}
}

// Trying never changes what is there, buying never makes more short, and removing never needs more.
func TestTryingLeavesThingsAlone(t *testing.T) {
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 5))
		in := mixedInput(r)
		before := Compute(in)
		kept := in
		for i, kind := range MeasureKinds {
			m := Measure{
				Kind:     kind,
				Line:     "L0",
				Quantity: 1,
				Devices:  []int64{1, 2},
				Users:    []int64{1},
				Version:  "5",
				Metric:   entitle.Device,
				Right:    entitle.TestUse,
				Until:    today + 5,
			}
			next, err := Apply(in, m, i)
			if err == nil {
				ps := Compute(next)
				for k := range ps {
					checkIdentities(t, seed, &ps[k])
				}
			}
		}
		if !reflect.DeepEqual(in, kept) || !sameFigures(before, Compute(in)) {
			t.Fatalf("seed %d: what was tried changed what is there", seed)
		}
	}
}
