package position

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
)

// later changes an estate in every way that time does.
func later(r *rand.Rand, in Input) Input {
	out := in
	out.AsOf = in.AsOf + 90
	out.Holdings = nil
	for _, h := range in.Holdings {
		switch r.IntN(5) {
		case 0:
			continue
		case 1:
			h.Set = in.Sets.Of([]demand.Priced{need("5", 200)})
		case 2:
			b := *h.Bearer
			b.Place.Unit = "C"
			h.Bearer = &b
		}
		out.Holdings = append(out.Holdings, h)
	}
	for i := range r.IntN(6) {
		out.Holdings = append(out.Holdings, hold(in.Sets, int64(50+i), int64(r.IntN(4)), need("4", 100)))
	}
	out.Sessions = rehold(in.Sessions[:len(in.Sessions)/2], out.Holdings)
	if r.IntN(2) == 0 {
		out.Persons = nil
	}
	return out
}

// lifetimes gives lines dates and transactions around the two days.
func lifetimes(r *rand.Rand, in *Input) {
	day := func() civil.Day { return in.AsOf - 40 + civil.Day(r.IntN(170)) }
	for i := range in.Lines {
		l := &in.Lines[i]
		switch r.IntN(6) {
		case 5:
			l.End = day()
			renewed := entitle.Transaction{Type: entitle.Renew, On: l.End + civil.Day(r.IntN(40)) - 30, Quantity: 1}
			renewed.End = renewed.On + civil.Day(r.IntN(90))
			l.Transactions = append(l.Transactions, renewed)
			if r.IntN(3) == 0 {
				renewed = renewed.Counter()
				renewed.On += civil.Day(r.IntN(20))
				l.Transactions = append(l.Transactions, renewed)
			}
		case 0:
			l.Start = day()
		case 1:
			l.End = day()
		case 2:
			for _, kind := range []string{"buy", "transfer_in", "transfer_out", "retire", "true_up"} {
				l.Transactions = append(
					l.Transactions,
					entitle.Transaction{Type: kind, On: day(), Quantity: int64(r.IntN(5))},
				)
			}
		case 3:
			l.Kind, l.Base, l.Start = entitle.Upgrade, "L0", day()
		}
	}
}

// Whatever changes between two days, the steps add up to the difference of the two positions, metric by metric and
// figure by figure.
func TestStepsAddUp(t *testing.T) {
	causes := map[Cause]int{}
	for seed := range uint64(3000) {
		r := rand.New(rand.NewPCG(seed, 21))
		before := mixedInput(r)
		lifetimes(r, &before)
		after := later(r, before)
		if r.IntN(3) == 0 && len(after.Lines) > 0 {
			after.Lines = slices.Clone(after.Lines)
			after.Lines[0].Metric, after.Lines[0].Quantity = entitle.Device, 7
		}
		was, is := holdingsByDevice(before.Holdings), holdingsByDevice(after.Holdings)
		why := func(device int64) Cause {
			_, a := was[device]
			_, b := is[device]
			switch {
			case a && b:
				return Changed
			case a:
				return []Cause{InstallsGone, DevicesOut, Folded, LeftOut, RecogniseLost}[device%5]
			}
			return []Cause{Appeared, DevicesIn, Unfolded, BackIn, Recognised}[device%5]
		}
		sum := byMetric(Compute(before))
		for _, s := range Steps(before, after, why) {
			causes[s.Cause]++
			for m, f := range s.By {
				sum[m] = sum[m].Plus(f)
			}
		}
		want := byMetric(Compute(after))
		for _, m := range entitle.Metrics {
			if sum[m] != want[m] {
				t.Fatalf("seed %d: by %s the steps give %+v, the later day is %+v", seed, m, sum[m], want[m])
			}
		}
	}
	for _, c := range Causes {
		if causes[c] < 20 {
			t.Errorf("%q stood in only %d comparisons", c, causes[c])
		}
	}
}

// Each cause alone is found under its name, and nothing else is.
func TestStepsByName(t *testing.T) {
	sets := demand.Sets{}
	base := func() Input {
		return Input{
			AsOf: today,
			Lines: []entitle.Line{
				{Code: "a", Metric: entitle.Device, Quantity: 2, Kind: entitle.Perpetual},
				{Code: "s", Metric: entitle.Device, Quantity: 1, Kind: entitle.Subscription, End: today + 10},
			},
			Found: demand.Found{
				Sets: sets,
				Holdings: []demand.Holding{
					hold(sets, 1, 0, need("1", 100)),
					hold(sets, 2, 0, need("1", 100)),
					hold(sets, 3, 0, need("1", 100)),
				},
			},
		}
	}
	for _, c := range []struct {
		cause  Cause
		change func(in *Input)
		owned  int64
		needed int64
	}{
		{InstallsGone, func(in *Input) { in.Holdings = in.Holdings[:2] }, 0, -1},
		{Appeared, func(in *Input) { in.Holdings = append(in.Holdings, hold(sets, 4, 0, need("1", 100))) }, 0, 1},
		{Expired, func(in *Input) { in.AsOf = today + 11 }, -1, 0},
		{Bought, func(in *Input) {
			in.AsOf = today + 5
			in.Lines = append(in.Lines,
				entitle.Line{Code: "b", Metric: entitle.Device, Quantity: 4, Kind: entitle.Perpetual,
					Purchased: today + 3})
		}, 4, 0},
	} {
		before, after := base(), base()
		c.change(&after)
		if c.cause == Bought {
			before.Lines = after.Lines // what is known now says when it was bought
		}
		steps := Steps(before, after, func(int64) Cause { return c.cause })
		if len(steps) != 1 || steps[0].Cause != c.cause || steps[0].By[entitle.Device].Owned != c.owned ||
			steps[0].By[entitle.Device].Needed != c.needed {
			t.Errorf("%s: %+v", c.cause, fmt.Sprint(steps))
		}
	}
}
