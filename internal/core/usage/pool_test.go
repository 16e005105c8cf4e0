package usage

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"ensomet/internal/core/civil"
)

// erlangLoad is the offered load in erlangs at which n licences deny the share target of requests.
func erlangLoad(n int, target float64) float64 {
	lo, hi := 0.0, 1.0
	for ErlangB(n, hi) < target {
		hi *= 2
	}
	for range 200 {
		mid := (lo + hi) / 2
		if ErlangB(n, mid) < target {
			lo = mid
		} else {
			hi = mid
		}
		if math.Abs(hi-lo) < 1e-12 {
			break
		}
	}
	return (lo + hi) / 2
}

// Offered load at a share of denials, standard traffic tables of Erlang B (from memory, recomputed with the recursion).
func TestErlangTables(t *testing.T) {
	sizes := []int{1, 2, 5, 10, 20, 50, 100}
	for target, loads := range map[float64][]float64{
		0.01: {0.0101, 0.1526, 1.361, 4.461, 12.03, 37.90, 84.06},
		0.02: {0.0204, 0.2235, 1.657, 5.084, 13.18, 40.26, 87.97},
		0.05: {0.0526, 0.3813, 2.219, 6.216, 15.25, 44.53, 95.24},
	} {
		for i, n := range sizes {
			got := erlangLoad(n, target)
			if math.Abs(got-loads[i]) > 0.0006*math.Max(1, loads[i]) {
				t.Errorf("%d licences at %v: %.4f erlangs, the table has %v", n, target, got, loads[i])
			}
			if back := ErlangSize(got*0.9999, target); back != n {
				t.Errorf("%v erlangs at %v: %d licences, want %d", got, target, back, n)
			}
		}
	}
	// The definition, as a sum: B = (A^n / n!) / sum of (A^k / k!).
	for _, a := range []float64{0.3, 2, 11} {
		term, sum := 1.0, 1.0
		for n := 1; n <= 20; n++ {
			term *= a / float64(n)
			sum += term
			if got := ErlangB(n, a); math.Abs(got-term/sum) > 1e-12 {
				t.Errorf("B(%d, %v) = %v, the sum says %v", n, a, got, term/sum)
			}
		}
	}
}

// Random requests at random lengths, served by replay, are denied as often as the formula says.
func TestReplayOfPoissonArrivalsIsErlang(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for _, c := range []struct {
		n    int64
		load float64
	}{{5, 3}, {10, 8}, {20, 18}} {
		var list []Request
		at := 0.0
		for range 120_000 {
			at += r.ExpFloat64() * 1000 / c.load
			list = append(
				list,
				Request{At: int64(at * 1000), Licences: 1, Length: max(1, int64(r.ExpFloat64()*1_000_000))},
			)
		}
		got := float64(Replay(list, c.n, nil, 1).Denied) / float64(len(list))
		want := ErlangB(int(c.n), c.load)
		if math.Abs(got-want) > 0.05*want+0.002 {
			t.Errorf("%d licences at %v erlangs: replay denies %.4f, the formula %.4f", c.n, c.load, got, want)
		}
		if load := Load(list, nil, int64(at*1000)); math.Abs(load-c.load) > 0.05*c.load {
			t.Errorf("offered load %v, want %v", load, c.load)
		}
	}
}

// Replay against a walk that keeps every session in a list.
func TestReplayAgainstAWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(4, 4))
	for range 800 {
		var list []Request
		at := int64(0)
		for range r.IntN(40) {
			at += r.Int64N(6)
			list = append(list, Request{At: at, Licences: 1 + r.Int64N(3), Length: r.Int64N(30)})
		}
		n := r.Int64N(8)
		var lengths []int64
		if r.IntN(2) == 0 {
			lengths = []int64{12}
		}
		want := int64(0)
		type held struct{ end, k int64 }
		var out []held
		for _, q := range list {
			busy := int64(0)
			for _, h := range out {
				if h.end > q.At {
					busy += h.k
				}
			}
			length := q.Length
			if length == 0 && lengths != nil {
				length = 12
			}
			if busy+q.Licences > n {
				want++
				continue
			}
			out = append(out, held{q.At + length, q.Licences})
		}
		got := Replay(list, n, lengths, 3)
		if got.Denied != want || got.Peak > n {
			t.Fatalf("%d denied with %d, want %d: %+v", got.Denied, n, want, list)
		}
		if Replay(list, n, lengths, 3) != got {
			t.Fatal("the same seed gives another answer")
		}
	}
}

func TestRequests(t *testing.T) {
	den := func(at int64, user string) PoolEvent { return PoolEvent{At: at, Kind: Denial, User: user} }
	outs := []Out{{Session: "1", User: "a", Start: 100, End: 400, Licences: 2},
		{Session: "2", User: "b", Start: 2000, End: 2100, Licences: 1}}
	list, repeats := Requests(
		outs,
		[]PoolEvent{den(40, "a"), den(60, "a"), den(90, "b"), den(5000, "b"), den(5001, "c"), den(5002, "")},
		900,
	)
	want := "[{40 1 300 a} {90 1 0 b} {2000 1 100 b} {5000 1 0 b} {5001 1 0 c} {5002 1 0 }]"
	if got := fmt.Sprint(list); got != want || repeats != 2 {
		t.Errorf("%s with %d repeats, want %s with 2", got, repeats, want)
	}
	if l := Lengths(list); !slices.Equal(l, []int64{300, 100}) {
		t.Errorf("lengths %v", l)
	}
	sizes, err := Sizes(list, []int64{0, 1, 2, 9}, 5, 2, Load(list, Lengths(list), 6000), nil)
	if err != nil || sizes[0].Share != 1 || sizes[3].Denied != 0 || sizes[1].Denied < sizes[2].Denied {
		t.Errorf("%+v %v", sizes, err)
	}
	for i := 1; i < len(sizes); i++ {
		if sizes[i].Erlang > sizes[i-1].Erlang || sizes[i].Least > sizes[i].Most ||
			sizes[i].Denied < float64(sizes[i].Least) {
			t.Errorf("%+v after %+v", sizes[i], sizes[i-1])
		}
	}
}

// The sweep against a naive count on random sessions, and Little's law on the same data: the mean number out is
// arrivals per time times mean length.
func TestPoolDaysAgainstANaiveCount(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	r := rand.New(rand.NewPCG(7, 3))
	for n := range 150 {
		base := civil.MustParse([]string{"2026-03-28", "2026-10-24", "2026-01-05"}[n%3]).Start(oslo).Unix()
		span := int64(4 * 86400)
		var outs []Out
		held := int64(0)
		for range 1 + r.IntN(30) {
			o := Out{User: fmt.Sprint("u", r.IntN(5)), Start: base + 60*r.Int64N(span/60), Licences: 1 + r.Int64N(3)}
			o.End = o.Start + 60*r.Int64N(900)
			outs = append(outs, o)
			held += o.Licences * (o.End - o.Start)
		}
		days := PoolDays(outs, []PoolEvent{{At: base + 5}}, oslo)
		sum, checkouts, denials := int64(0), int64(0), int64(0)
		for _, d := range days {
			sum, checkouts, denials = sum+d.Seconds, checkouts+d.Checkouts, denials+d.Denials
			var peak, when, users int64
			seen := map[string]bool{}
			for m := d.Day.Start(oslo).Unix(); m < (d.Day + 1).Start(oslo).Unix(); m += 60 {
				level := int64(0)
				for _, o := range outs {
					if o.Start <= m && m < o.End {
						level += o.Licences
						if !seen[o.User] {
							seen[o.User] = true
							users++
						}
					}
				}
				if level > peak {
					peak, when = level, m
				}
			}
			if d.Peak != peak || d.PeakAt != when || d.Users != users {
				t.Fatalf("%+v, naive count %d at %d by %d", d, peak, when, users)
			}
		}
		if sum != held || checkouts != int64(len(outs)) || denials != 1 {
			t.Fatalf("%d licence-seconds, want %d; %d checkouts, %d denials", sum, held, checkouts, denials)
		}
		// Little's law: L = lambda x W over any time that holds all sessions.
		time := float64(8 * 86400)
		mean := float64(sum) / time
		arrivals, length := 0.0, 0.0
		for _, o := range outs {
			arrivals += float64(o.Licences)
			length += float64(o.Licences * (o.End - o.Start))
		}
		if law := arrivals / time * (length / arrivals); math.Abs(law-mean) > 1e-9 {
			t.Fatalf("Little's law: %v, counted %v", law, mean)
		}
	}
}

func TestHoursAgainstAWalk(t *testing.T) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	r := rand.New(rand.NewPCG(8, 3))
	for n := range 60 {
		from := civil.MustParse([]string{"2026-03-27", "2026-10-23", "2026-01-05"}[n%3]).Start(oslo).Unix()
		to := from + 5*86400
		var outs []Out
		for range 1 + r.IntN(20) {
			s := from - 86400 + 60*r.Int64N(6*1440)
			outs = append(outs, Out{Start: s, End: s + 60*r.Int64N(2000), Licences: 1 + r.Int64N(2)})
		}
		got := Hours(outs, []PoolEvent{{At: from + 10*3600}, {At: to + 5}}, from, to, n%2 == 0, oslo)
		var peak [24]int64
		var sum, minutes [24]float64
		for m := from; m < to; m += 60 {
			w := time.Unix(m, 0).In(oslo)
			if n%2 == 0 && (w.Weekday() == time.Saturday || w.Weekday() == time.Sunday) {
				continue
			}
			level := int64(0)
			for _, o := range outs {
				if o.Start <= m && m < o.End {
					level += o.Licences
				}
			}
			h := w.Hour()
			peak[h] = max(peak[h], level)
			sum[h] += float64(level)
			minutes[h]++
		}
		denials := int64(0)
		for h := range got {
			if got[h].Peak != peak[h] || minutes[h] > 0 && math.Abs(got[h].Mean-sum[h]/minutes[h]) > 1e-9 {
				t.Fatalf("hour %d: %+v, want %d and %v", h, got[h], peak[h], sum[h]/minutes[h])
			}
			denials += got[h].Denials
		}
		if denials != 1 {
			t.Fatalf("%d denials", denials)
		}
	}
}

func TestOuts(t *testing.T) {
	list := []PoolEvent{
		{At: 50, Kind: Return, Session: "a", Active: 900}, {At: 10, Session: "a", User: "u", Licences: 3},
		{At: 10, Session: "a", User: "u", Licences: 3},
		{At: 60, Session: "a", User: "v"}, {At: 70, Kind: Lost}, {At: 90, Kind: Found},
		{At: 95, Session: "b", User: "w"}, {At: 99, Kind: Return, Session: "z"}, {At: 400, Session: "c"},
	}
	got := Outs(list, 200)
	want := []Out{
		{Session: "a", User: "u", Start: 10, End: 50, Licences: 3, Active: 40},
		{Session: "a", User: "v", Start: 60, End: 70, Licences: 1, Active: -1},
		{Session: "b", User: "w", Start: 95, End: 200, Licences: 1, Active: -1, Open: true},
	}
	if !slices.Equal(got, want) {
		t.Errorf("%+v", got)
	}
}

// At a limit of 60 % of the quantity, an idle pool gives 40 % of its rights (common practice).
func TestSpare(t *testing.T) {
	for _, c := range [][3]int64{{100, 0, 40}, {100, 30, 40}, {100, 59, 40}, {100, 60, 0}, {100, 95, 0}, {10, 5, 4},
		{7, 1, 2}, {1, 0, 0}, {0, 0, 0}, {5, 9, 0}} {
		if got := Spare(c[0], c[1], 0.6); got != c[2] {
			t.Errorf("%d licences, peak %d: %d to give back, want %d", c[0], c[1], got, c[2])
		}
	}
}

func TestBunched(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 1))
	var even, bunched []Request
	for range 20_000 {
		at := r.Int64N(3600 * 1000)
		even = append(even, Request{At: at})
		bunched = append(bunched, Request{At: at / 36_000 * 36_000})
	}
	if b := Bunched(even, 0, 3600*1000); b < 0.85 || b > 1.15 {
		t.Errorf("random arrivals: %v", b)
	}
	if b := Bunched(bunched, 0, 3600*1000); b < 5 {
		t.Errorf("arrivals every ten hours: %v", b)
	}
}

func BenchmarkPoolDays(b *testing.B) {
	oslo, _ := time.LoadLocation("Europe/Oslo")
	r := rand.New(rand.NewPCG(5, 1))
	outs := make([]Out, 500_000)
	for i := range outs {
		s := 1_770_000_000 + r.Int64N(365*86400)
		outs[i] = Out{User: "u", Start: s, End: s + 3600 + r.Int64N(7200), Licences: 1}
	}
	for b.Loop() {
		PoolDays(outs, nil, oslo)
	}
}
