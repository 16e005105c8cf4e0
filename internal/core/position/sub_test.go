package position

import (
	"math/rand/v2"
	"testing"

	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

// The parts of a position, whichever way it is split, sum up to it; each keeps the identities.
func TestPartsSumUp(t *testing.T) {
	for seed := range uint64(6000) {
		r := rand.New(rand.NewPCG(seed, 17))
		in := mixedInput(r)
		if seed%2 == 0 {
			in = smallInput(r)
		}
		for i := range in.Lines {
			in.Lines[i].Contract = []string{"", "K1", "K2"}[r.IntN(3)]
		}
		for _, p := range Compute(in) {
			for _, what := range []string{"unit", "country", "contract"} {
				var sum Sub
				for _, s := range p.By(what) {
					if s.Covered+s.Short != s.Needed || s.Used+s.Surplus != s.Owned {
						t.Fatalf("seed %d, %s by %s: %+v", seed, p.Metric, what, s)
					}
					sum.Owned, sum.Needed, sum.Covered, sum.Short, sum.Surplus, sum.Exposure = sum.Owned+
						s.Owned, sum.Needed+s.Needed, sum.Covered+s.Covered, sum.Short+s.Short, sum.Surplus+
						s.Surplus, sum.Exposure+s.Exposure
				}
				if sum.Owned != p.Owned || sum.Needed != p.Needed || sum.Covered != p.Covered ||
					sum.Short != p.Short ||
					sum.Surplus != p.Surplus ||
					sum.Exposure != p.Exposure {
					t.Fatalf(
						"seed %d, %s by %s: the parts sum up to %+v, not to %+v",
						seed,
						p.Metric,
						what,
						sum,
						p.Figures(),
					)
				}
			}
		}
	}
}

// What is proposed to move is there to be moved, and moving it makes just so much less short.
func TestTransfersDoWhatTheySay(t *testing.T) {
	proposed := 0
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 18))
		in := mixedInput(r)
		for i := range in.Lines {
			in.Lines[i].Metric, in.Lines[i].Rights = entitle.Device, nil
		}
		ps := Compute(in)
		if len(ps) == 0 {
			continue
		}
		before := ps[0].Short
		moved := int64(0)
		var failed bool
		for i, x := range ps[0].Transfers() {
			quantity := x.Quantity
			for _, l := range in.Lines {
				if l.Code == x.Line && l.PackSize > 1 {
					failed = true
				}
			}
			if failed {
				break
			}
			next, err := Apply(
				in,
				Measure{Kind: Move, Line: x.Line, Quantity: quantity, Unit: x.Unit, Country: x.Country},
				i,
			)
			if err != nil {
				t.Fatalf("seed %d: %v", seed, err)
			}
			in = next
			moved += quantity
		}
		if failed || moved == 0 {
			continue
		}
		proposed++
		if after := Compute(in)[0].Short; after != before-moved {
			t.Fatalf("seed %d: %d short, %d moved, and %d are short", seed, before, moved, after)
		}
	}
	if proposed < 100 {
		t.Errorf("only %d estates had something to move", proposed)
	}
}

func TestTransfer(t *testing.T) {
	sets := demand.Sets{}
	in := Input{
		AsOf: today,
		Lines: []entitle.Line{
			{Code: "w", Metric: entitle.Device, Quantity: 5, Kind: entitle.Perpetual, ScopeUnit: "W"},
		},
		Found: demand.Found{
			Sets:     sets,
			Holdings: []demand.Holding{hold(sets, 1, 0, need("1", 100)), hold(sets, 2, 0, need("1", 100))},
		},
	}
	in.Holdings[0].Place.Unit, in.Holdings[1].Place.Unit = "W/x", "C"
	p := Compute(in)[0]
	if got := p.Transfers(); len(got) != 1 || got[0] != (Transfer{"w", "C", "", 1}) {
		t.Errorf("%+v", got)
	}
	by := p.By("unit")
	if len(by) != 3 || by[0] != (Sub{Name: "C", Needed: 1, Short: 1, Exposure: 100}) ||
		by[1] != (Sub{Name: "W", Owned: 4, Surplus: 4}) ||
		by[2] != (Sub{Name: "W/x", Owned: 1, Used: 1, Needed: 1, Covered: 1}) {
		t.Errorf("%+v", by)
	}
}
