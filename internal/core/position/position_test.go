package position

import (
	"fmt"
	"math"
	"math/rand/v2"
	"reflect"
	"testing"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/demand"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/evidence"
)

// Newcombe 1998, Statistics in Medicine 17: 857-872, table I, method 3.
func TestWilsonPublished(t *testing.T) {
	for _, c := range []struct {
		k, n      int64
		low, high float64
	}{{81, 263, 0.2553, 0.3662}, {15, 148, 0.0624, 0.1605}, {0, 20, 0, 0.1611}, {1, 29, 0.0061, 0.1718}} {
		low, high := Wilson(c.k, c.n)
		if math.Abs(low-c.low) > 5e-5 || math.Abs(high-c.high) > 5e-5 {
			t.Errorf("Wilson(%d, %d) = %.4f, %.4f", c.k, c.n, low, high)
		}
	}
}

var today = civil.MustParse("2026-06-30")

func hold(sets demand.Sets, device, user int64, needs ...demand.Priced) demand.Holding {
	return demand.Holding{
		Bearer: &demand.Bearer{Device: device, User: user, Kind: "client", Fresh: true},
		Set:    sets.Of(needs),
	}
}

func need(v string, price int64) demand.Priced {
	return demand.Priced{Need: entitle.Need{Version: v}, Value: price}
}

func TestReasonsForWhatIsNotCovered(t *testing.T) {
	sets := demand.Sets{}
	ended := civil.MustParse("2026-01-01")
	for _, c := range []struct {
		name string
		line entitle.Line
		want entitle.Gap
	}{
		{"too few",
			entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 0,
				Transactions: []entitle.Transaction{{Type: "buy", On: today - 1, Quantity: 1}}}, entitle.AllUsed},
		{"old rights", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, Version: "5"},
			entitle.VersionTooNew},
		{"new rights", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, Version: "7"}, entitle.OldVersion},
		{"edition", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, Edition: "Basic"},
			entitle.UnknownEdition},
		{"scope", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, ScopeUnit: "Elsewhere"},
			entitle.OutOfScope},
		{"ended", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, End: ended}, entitle.Expired},
		{"metric", entitle.Line{Code: "a", Metric: entitle.Concurrent, Quantity: 9}, 0},
		{"nothing", entitle.Line{Code: "a", Metric: entitle.Device, Quantity: 9, Start: today + 1}, entitle.NoneOwned},
	} {
		in := Input{
			AsOf:  today,
			Lines: []entitle.Line{c.line},
			Found: demand.Found{
				Sets:     sets,
				Holdings: []demand.Holding{hold(sets, 1, 0, need("6", 100)), hold(sets, 2, 0, need("6", 100))},
			},
		}
		ps := Compute(in)
		if c.want == 0 {
			if len(ps) != 1 || ps[0].Counted || ps[0].Owned != 9 {
				t.Errorf("%s: a metric that is not counted has nothing but what is owned: %+v", c.name, ps)
			}
			continue
		}
		if len(ps) != 1 || ps[0].Units[1].Line >= 0 || ps[0].Units[1].Gap != c.want {
			t.Errorf("%s: %+v, want %v", c.name, ps, c.want)
		}
	}
}

func TestNobodyOwns(t *testing.T) {
	sets := demand.Sets{}
	in := Input{
		AsOf:          today,
		DefaultMetric: entitle.NamedUser,
		Found: demand.Found{
			Sets: sets,
			Holdings: []demand.Holding{
				hold(sets, 1, 7, need("1", 50)),
				hold(sets, 2, 7, need("1", 50)),
				hold(sets, 3, 0, need("1", 50)),
			},
		},
	}
	p := Compute(in)[0]
	if p.Metric != entitle.NamedUser || p.Needed != 2 || p.Short != 2 || p.Exposure != 100 ||
		p.Units[0].Gap != entitle.NoneOwned {
		t.Errorf("%+v", p)
	}
	if got := Compute(Input{AsOf: today, Found: demand.Found{Sets: sets}}); got != nil {
		t.Errorf("nothing owned and nothing needed has no position: %v", got)
	}
}

// What named-user rights cover makes no demand on device rights; what neither covers is short once.
func TestMetricsInOrder(t *testing.T) {
	sets := demand.Sets{}
	in := Input{AsOf: today, Found: demand.Found{Sets: sets}, Lines: []entitle.Line{
		{Code: "u", Metric: entitle.NamedUser, Quantity: 1, Kind: entitle.Perpetual},
		{Code: "d", Metric: entitle.Device, Quantity: 1, Kind: entitle.Perpetual},
	}}
	in.Holdings = []demand.Holding{
		hold(sets, 1, 7, need("1", 50)),
		hold(sets, 2, 7, need("1", 50)),
		hold(sets, 3, 8, need("1", 50)),
		hold(sets, 4, 9, need("1", 50)),
	}
	ps := Compute(in)
	if len(ps) != 2 || ps[0].Metric != entitle.NamedUser {
		t.Fatalf("%+v", ps)
	}
	if ps[0].Needed != 1 || ps[0].Short != 0 || ps[1].Needed != 2 || ps[1].Covered != 1 || ps[1].Short != 1 {
		t.Errorf("named user %+v, device %+v", ps[0], ps[1])
	}
}

// Beside rights whose use is not measured, nothing may be called short: those rights may cover it.
func TestNothingIsShortBesideUseThatIsNotMeasured(t *testing.T) {
	sets := demand.Sets{}
	in := Input{AsOf: today, Found: demand.Found{Sets: sets}, Lines: []entitle.Line{
		{Code: "c", Metric: entitle.Concurrent, Quantity: 16, Kind: entitle.Perpetual},
		{Code: "d", Metric: entitle.Device, Quantity: 1, Kind: entitle.Perpetual},
	}}
	in.Holdings = []demand.Holding{
		hold(sets, 1, 0, need("1", 50)),
		hold(sets, 2, 0, need("1", 50)),
		hold(sets, 3, 0, need("1", 50)),
	}
	ps := Compute(in)
	if len(ps) != 2 || ps[0].Metric != entitle.Device || ps[0].Needed != 1 || ps[0].Short != 0 || ps[1].Counted ||
		ps[1].Owned != 16 {
		t.Errorf("%+v", ps)
	}
}

func TestDoubt(t *testing.T) {
	sets := demand.Sets{}
	in := Input{
		AsOf:  today,
		Found: demand.Found{Sets: sets},
		Fleet: map[evidence.DeviceKind]Fleet{"client": {Fresh: 29, Stale: 1, Never: 10},
			"server": {Fresh: 4, Never: 0}},
	}
	in.Holdings = []demand.Holding{hold(sets, 1, 0, need("1", 0)), hold(sets, 2, 0, need("1", 0))}
	in.Holdings[1].Fresh = false
	p := Compute(in)[0]
	// 1 of 29 fresh clients: upper end 0.1718 (Newcombe), of 10 never scanned at most ceil(1.718) = 2 more.
	if p.Needed != 2 || p.Low != 1 || p.High != 4 {
		t.Errorf("needed %d, between %d and %d", p.Needed, p.Low, p.High)
	}
	// a laptop that was never seen adds no core to a database that only servers have; a server adds what one needs
	fleet := map[evidence.DeviceKind]Fleet{"client": {Fresh: 263, Never: 500}, "server": {Fresh: 29, Never: 10}}
	if n := Unseen(fleet, map[evidence.DeviceKind]Seen{"server": {Units: 1, Licences: 16}}); n != 2*16 {
		t.Errorf("%d cores for ten servers that were never seen", n)
	}
	if n := Unseen(fleet, nil); n != 0 {
		t.Errorf("%d of what no machine needs", n)
	}
}

// Over random estates: the identities hold, every unit says why, the same input gives the same output, and a second
// computation on top of the first moves nothing.
func TestIdentitiesOverRandomInputs(t *testing.T) {
	for seed := range uint64(500) {
		r := rand.New(rand.NewPCG(seed, 3))
		in := randomInput(r)
		ps := Compute(in)
		var shortBefore bool
		in.Yesterday = map[Way]int64{}
		for i, p := range ps {
			var used int64
			for _, l := range p.Lines {
				if l.Used < 0 || l.Spare < 0 || l.Used+l.Spare != l.Effect.Quantity {
					t.Fatalf("seed %d: line %+v", seed, l)
				}
				used += l.Used
			}
			if p.Covered+p.Short != p.Needed || used+p.Surplus != p.Owned || used != p.Covered || p.Low > p.Needed ||
				p.High < p.Needed {
				t.Fatalf("seed %d: %+v", seed, p)
			}
			if shortBefore = shortBefore || p.Short > 0; shortBefore && i < len(ps)-1 && p.Short > 0 {
				t.Fatalf("seed %d: %s is short though %s follows", seed, p.Metric, ps[i+1].Metric)
			}
			for _, u := range p.Units {
				if (u.Line < 0) == (u.Gap == 0) || u.Device == 0 && u.User == 0 {
					t.Fatalf("seed %d: unit %+v says nothing", seed, u)
				}
			}
			for w, n := range p.Ways {
				in.Yesterday[w] = n
			}
		}
		if again := Compute(in); !sameFigures(ps, again) {
			t.Fatalf("seed %d: computed on top of itself, it moved", seed)
		}
	}
}

func sameFigures(a, b []Position) bool {
	if len(a) != len(b) {
		return false
	}
	for i := range a {
		if !reflect.DeepEqual(a[i].Ways, b[i].Ways) || !reflect.DeepEqual(a[i].Units, b[i].Units) {
			return false
		}
	}
	return true
}

func randomInput(r *rand.Rand) Input {
	sets := demand.Sets{}
	in := Input{
		AsOf:          today,
		Found:         demand.Found{Sets: sets},
		DefaultMetric: entitle.Device,
		Fleet:         map[evidence.DeviceKind]Fleet{"client": {Fresh: 30, Never: int64(r.IntN(4))}},
	}
	units := []string{"A", "A/B", "C"}
	for i := range r.IntN(5) {
		l := entitle.Line{
			Code:      fmt.Sprint("L", i),
			Metric:    []entitle.Metric{entitle.NamedUser, entitle.Device, entitle.Installation}[r.IntN(3)],
			Quantity:  int64(r.IntN(6)),
			Kind:      entitle.Perpetual,
			ScopeUnit: []string{"", "", "A", "C"}[r.IntN(4)],
		}
		if r.IntN(2) == 0 {
			l.Version = fmt.Sprint(3 + r.IntN(3))
		}
		for _, right := range []entitle.Right{entitle.OlderVersions, entitle.LowerEditions} {
			if r.IntN(2) == 0 {
				l.Rights = append(l.Rights, right)
			}
		}
		if r.IntN(3) == 0 {
			l.Edition, l.EditionRank = "Pro", 2
		}
		in.Lines = append(in.Lines, l)
	}
	for d := range r.IntN(12) {
		var needs []demand.Priced
		for range 1 + r.IntN(2) {
			n := need(fmt.Sprint(3+r.IntN(4)), int64(r.IntN(3)*100))
			if r.IntN(3) == 0 {
				n.Edition, n.EditionRank = "Basic", 1
			}
			needs = append(needs, n)
		}
		h := hold(sets, int64(d+1), int64(r.IntN(6)), needs...)
		h.Fresh = r.IntN(4) > 0
		h.Place.Unit = units[r.IntN(3)]
		in.Holdings = append(in.Holdings, h)
	}
	for range r.IntN(3) {
		in.Persons = append(
			in.Persons,
			demand.Person{User: int64(1 + r.IntN(8)), Set: sets.Of([]demand.Priced{need("4", 100)}), Why: "used"},
		)
	}
	return in
}

// The whole way from holdings to figures against brute force: of all ways to give rights of one metric to units, none
// leaves less value uncovered, and of those none has a lower sum of ranks. Rights are asked one by one here, without
// classes.
func TestFiguresAgainstBruteForce(t *testing.T) {
	shorts := 0
	for seed := range uint64(1500) {
		r := rand.New(rand.NewPCG(seed, 77))
		in := randomInput(r)
		in.Persons, in.Yesterday = nil, nil
		in.Holdings = in.Holdings[:min(len(in.Holdings), 5)]
		for i := range in.Lines {
			in.Lines[i].Metric = entitle.Device
			in.Lines[i].Quantity = min(in.Lines[i].Quantity, 3)
		}
		ps := Compute(in)
		if len(ps) == 0 {
			continue
		}
		p := ps[0]
		var gotValue, gotRank int64
		for _, u := range p.Units {
			if u.Line < 0 {
				gotValue += max(1, u.Set.Value)
			} else {
				gotRank += int64(u.Reason)
			}
		}
		wantValue, wantRank := bruteForce(in)
		if gotValue != wantValue || gotRank != wantRank {
			t.Fatalf(
				"seed %d: value %d rank %d uncovered, brute force finds %d and %d",
				seed,
				gotValue,
				gotRank,
				wantValue,
				wantRank,
			)
		}
		if p.Short > 0 {
			shorts++
		}
	}
	if shorts < 100 {
		t.Errorf("only %d estates were short: the cases are too easy", shorts)
	}
}

func bruteForce(in Input) (value, rank int64) {
	left := make([]int64, len(in.Lines))
	for i, l := range in.Lines {
		left[i] = l.Quantity
	}
	best := [2]int64{1 << 60, 0}
	var try func(i int, value, rank int64)
	try = func(i int, value, rank int64) {
		if i == len(in.Holdings) {
			if value < best[0] || value == best[0] && rank < best[1] {
				best = [2]int64{value, rank}
			}
			return
		}
		h := in.Holdings[i]
		try(i+1, value+max(1, h.Set.Value), rank)
		for j := range in.Lines {
			if left[j] == 0 {
				continue
			}
			if reason, gaps := in.Lines[j].Covers(h.Set.Needs, h.Place); len(gaps) == 0 {
				left[j]--
				try(i+1, value, rank+int64(reason))
				left[j]++
			}
		}
	}
	try(0, 0, 0)
	return best[0], best[1]
}

// More rights never leave more short, and more demand never less.
func TestMonotone(t *testing.T) {
	short := func(in Input) (n int64) {
		for _, p := range Compute(in) {
			n += p.Short
		}
		return n
	}
	for seed := range uint64(400) {
		r := rand.New(rand.NewPCG(seed, 13))
		in := randomInput(r)
		in.Persons = nil
		for i := range in.Lines {
			in.Lines[i].Metric = entitle.Device
		}
		before := short(in)
		more := in
		more.Lines = append([]entitle.Line{}, in.Lines...)
		more.Lines = append(
			more.Lines,
			entitle.Line{Code: "more", Metric: entitle.Device, Quantity: 2, Kind: entitle.Perpetual},
		)
		if after := short(more); after > before {
			t.Fatalf("seed %d: two rights more, and %d short became %d", seed, before, after)
		}
		if len(in.Holdings) > 0 {
			fewer := in
			fewer.Holdings = in.Holdings[1:]
			if after := short(fewer); after > before {
				t.Fatalf("seed %d: one device fewer, and %d short became %d", seed, before, after)
			}
		}
	}
}
