package position

import (
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

// Over random estates: what removals avoid adds up to what those that avoid something do together, is never more than
// the shortfall is worth, and none of them avoids anything that ends no part of it.
func TestAvoidNeverCountsTwice(t *testing.T) {
	some, none, several := 0, 0, 0
	for seed := range uint64(600) {
		r := rand.New(rand.NewPCG(seed, 77))
		in := mixedInput(r)
		var list []Measure
		for i := range in.Holdings {
			if r.IntN(2) == 0 {
				list = append(list, Measure{Kind: Remove, Devices: []int64{in.Holdings[i].Device}})
			}
		}
		for _, p := range in.Persons {
			if p.Why == "assigned" && r.IntN(2) == 0 {
				list = append(list, Measure{Kind: Reclaim, Users: []int64{p.User}})
			}
		}
		before := exposureOf(Compute(in))
		var sum int64
		counted := in
		n := 0
		for i, amount := range Avoid(in, list) {
			if amount < 0 {
				t.Fatalf("seed %d: %+v avoids %d", seed, list[i], amount)
			}
			if amount == 0 {
				none++
				continue
			}
			n++
			sum += amount
			var err error
			if counted, err = Apply(counted, list[i], 0); err != nil {
				t.Fatal(err)
			}
		}
		if n > 0 {
			some++
		}
		if n > 2 {
			several++
		}
		if sum > before || before-exposureOf(Compute(counted)) != sum {
			t.Fatalf("seed %d: %d are avoided one by one, %d together, of %d", seed, sum,
				before-exposureOf(Compute(counted)), before)
		}
	}
	if some < 100 || several < 30 || none < 100 {
		t.Errorf("%d estates in which something is avoided, %d with several, %d removals that avoid nothing", some,
			several, none)
	}
}

// Two are short on a version that one line covers; removing what another line covers avoids nothing, and a third
// removal beside two avoids nothing either.
func TestAvoidByName(t *testing.T) {
	sets := demand.Sets{}
	in := Input{
		AsOf: today,
		Lines: []entitle.Line{
			{Code: "new", Metric: entitle.Device, Quantity: 3, Kind: entitle.Perpetual, Version: "5"},
			{Code: "old", Metric: entitle.Device, Quantity: 2, Kind: entitle.Perpetual, Version: "3"},
		},
		Found: demand.Found{Sets: sets},
	}
	for i := range int64(5) {
		in.Holdings = append(in.Holdings, hold(sets, 1+i, 0, need("5", 100)))
	}
	in.Holdings = append(in.Holdings, hold(sets, 6, 0, need("3", 100)), hold(sets, 7, 0, need("3", 100)))
	remove := func(devices ...int64) (out []Measure) {
		for _, d := range devices {
			out = append(out, Measure{Kind: Remove, Devices: []int64{d}})
		}
		return out
	}
	sum := func(list []int64) (n, k int64) {
		for _, x := range list {
			if n += x; x > 0 {
				k++
			}
		}
		return n, k
	}
	if n, k := sum(Avoid(in, remove(6, 7))); n != 0 || k != 0 {
		t.Errorf("what an old right covers avoids %d by %d", n, k)
	}
	if n, k := sum(Avoid(in, remove(1, 2, 3, 4, 6))); n != 200 || k != 2 {
		t.Errorf("four removals of which two end the shortfall avoid %d by %d", n, k)
	}
	if n, k := sum(Avoid(in, remove(9))); n != 0 || k != 0 {
		t.Errorf("a device without it avoids %d by %d", n, k)
	}
}
