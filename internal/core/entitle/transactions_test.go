package entitle

import (
	"fmt"
	"math/rand/v2"
	"reflect"
	"slices"
	"testing"

	"ensomet/internal/core/civil"

	"github.com/shopspring/decimal"
)

var (
	start = civil.MustParse("2025-01-01")
	types = []string{"buy", "renew", "true_up", "transfer_in", "transfer_out", "retire"}
)

func randomTransactions(r *rand.Rand) []Transaction {
	var out []Transaction
	for k := range r.IntN(7) {
		t := Transaction{
			ID:       int64(k + 1),
			Type:     types[r.IntN(len(types))],
			On:       start + civil.Day(r.IntN(400)),
			Quantity: int64(r.IntN(9)),
		}
		if t.Type == Renew {
			t.End = t.On + civil.Day(r.IntN(400))
		}
		if r.IntN(6) == 0 {
			out = append(out, t)
			t = t.Counter()
			t.On += civil.Day(r.IntN(30))
		}
		out = append(out, t)
	}
	return out
}

// The quantity on any day is what a walk through the days gives: the line's own quantity is its first purchase, unless
// a buy on or before its day stands in its place.
func TestQuantityAgainstAWalk(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	instead := 0
	for i := range 3000 {
		l := Line{Code: "L", Kind: Perpetual, Quantity: 5, PackSize: int64(r.IntN(3))}
		if r.IntN(3) > 0 {
			l.Purchased = start + civil.Day(r.IntN(200))
		}
		l.Transactions = randomTransactions(r)
		at := start + civil.Day(r.IntN(440))
		bought := int64(0)
		for _, tx := range l.Transactions {
			if tx.Type == "buy" && l.Purchased.Known() && tx.On <= l.Purchased {
				bought += tx.Quantity
			}
		}
		have := int64(0)
		if bought > 0 {
			instead++
		} else if !l.Purchased.Known() {
			have = 5
		}
		for d := start; d <= at; d++ {
			if d == l.Purchased && bought <= 0 {
				have += 5
			}
			for _, tx := range l.Transactions {
				if tx.On != d {
					continue
				}
				switch tx.Type {
				case "buy", "true_up", "transfer_in":
					have += tx.Quantity
				case "transfer_out", "retire":
					have -= tx.Quantity
				}
			}
		}
		want := max(0, have) * max(1, l.PackSize)
		if l.Purchased > at {
			want = 0 // its term has not begun
		}
		if got := Effective([]Line{l}, at)["L"].Quantity; got != want {
			t.Fatalf("case %d: %s: %d, want %d of %s", i, at, got, want, fmt.Sprint(l))
		}
	}
	if instead < 100 {
		t.Errorf("a buy stood in the place of the line's own in %d cases", instead)
	}
}

// Transactions in any order of booking come to the same: the quantity, the term, what can leave and what was paid.
func TestAnyOrderOfBooking(t *testing.T) {
	r := rand.New(rand.NewPCG(8, 8))
	price := decimal.NewNullDecimal(decimal.NewFromInt(3))
	for i := range 800 {
		l := Line{Code: "L", Kind: Subscription, Quantity: 5, Purchased: start + 20, Start: start + 10,
			End:       start + 200,
			UnitPrice: price}
		if r.IntN(2) == 0 {
			l.MaintenanceEnd = l.End
		}
		l.Transactions = randomTransactions(r)
		other := l
		other.Transactions = slices.Clone(l.Transactions)
		r.Shuffle(len(other.Transactions), func(a, b int) {
			other.Transactions[a], other.Transactions[b] = other.Transactions[b], other.Transactions[a]
		})
		if l.LastDay() != other.LastDay() || l.MaintainedUntil() != other.MaintainedUntil() {
			t.Fatalf("case %d: %v: another end in another order", i, l.Transactions)
		}
		for d := start; d < start+860; d += 7 {
			one, two := []Line{l}, []Line{other}
			if a, b := Effective(one, d)["L"], Effective(two, d)["L"]; a != b {
				t.Fatalf("case %d: on %s %+v in one order, %+v in another: %v", i, d, a, b, l.Transactions)
			}
			if Leaving(one, "L", d) != Leaving(two, "L", d) || l.Maintained(d) != other.Maintained(d) {
				t.Fatalf("case %d: on %s another order, another answer", i, d)
			}
		}
		sum := func(l *Line) (s decimal.Decimal) {
			for _, p := range l.Payments() {
				s = s.Add(p.Price.Mul(decimal.NewFromInt(p.Quantity)))
			}
			return s
		}
		if a, b := sum(&l), sum(&other); !a.Equal(b) {
			t.Fatalf("case %d: %s paid, or %s", i, a, b)
		}
	}
}

// A counter-entry of the same day leaves nothing of what it undoes, neither in the quantity, the term nor the price.
func TestACounterEntryUndoes(t *testing.T) {
	r := rand.New(rand.NewPCG(9, 9))
	for i := range 600 {
		l := Line{Code: "L", Kind: Subscription, Quantity: 5, Purchased: start + 20, End: start + 300,
			UnitPrice: decimal.NewNullDecimal(decimal.NewFromInt(7))}
		l.Transactions = randomTransactions(r)
		more := Transaction{Type: types[r.IntN(len(types))], On: start + civil.Day(r.IntN(400)),
			Quantity: 1 + int64(r.IntN(9))}
		if more.Type == Renew {
			more.End = more.On + civil.Day(r.IntN(600))
		}
		undone := l
		undone.Transactions = append(slices.Clone(l.Transactions), more, more.Counter())
		for d := start; d < start+1000; d += 5 {
			if a, b := Effective([]Line{l}, d)["L"], Effective([]Line{undone}, d)["L"]; a != b {
				t.Fatalf("case %d: %+v undone leaves %+v instead of %+v on %s", i, more, b, a, d)
			}
		}
	}
}

// What can leave can really leave: booking it overdraws the line on no day, and one more would, or takes a right that
// an upgrade uses.
func TestLeavingIsTheMost(t *testing.T) {
	r := rand.New(rand.NewPCG(10, 10))
	could, lines := 0, 0
	for range 1500 {
		l := Line{Code: "L", Kind: Perpetual, Quantity: 5, Purchased: start, PackSize: int64(r.IntN(3))}
		l.Transactions = randomTransactions(r)
		if _, by := l.Overdrawn(); by > 0 {
			continue
		}
		lines++
		on := start + civil.Day(r.IntN(400))
		all := []Line{l}
		if r.IntN(2) == 0 {
			all = append(all, Line{Code: "U", Kind: Upgrade, Base: "L", Quantity: 2, Purchased: start + 100})
		}
		n := Leaving(all, "L", on)
		used := Effective(all, start+500)["U"].Quantity
		book := func(q int64) (overdrawn int64, upgraded int64) {
			with := slices.Clone(all)
			with[0].Transactions = append(slices.Clone(l.Transactions),
				Transaction{Type: "retire", On: on, Quantity: q})
			_, by := with[0].Overdrawn()
			return by, Effective(with, start+500)["U"].Quantity
		}
		if n > 0 {
			could++
		}
		if by, up := book(n); by > 0 || up < used {
			t.Fatalf("%d leave %+v on %s: overdrawn by %d, %d of %d upgrades left", n, l, on, by, up, used)
		}
		by, up := book(n + 1)
		with := slices.Clone(all)
		with[0].Transactions = append(slices.Clone(l.Transactions),
			Transaction{Type: "retire", On: on, Quantity: n + 1})
		less := false // of what an upgrade could use on some day
		for d := on; d < start+500; d++ {
			less = less || Effective(with, d)["U"].Quantity < Effective(all, d)["U"].Quantity
		}
		if by == 0 && up == used && !less {
			t.Fatalf("only %d leave %+v on %s, though %d could", n, l, on, n+1)
		}
	}
	if could < 150 || lines < 400 {
		t.Errorf("%d of %d lines could give something", could, lines)
	}
}

// Worked examples of terms and transactions.
func TestWorkedTransactions(t *testing.T) {
	d := civil.MustParse
	trueUp := Line{Code: "a", Quantity: 20, Purchased: d("2025-03-01"), Transactions: []Transaction{
		{Type: "true_up", On: d("2026-02-01"), Quantity: 4}}}
	renewed := Line{Code: "b", Kind: Subscription, Quantity: 10, Start: d("2025-01-01"), End: d("2025-12-31"),
		Transactions: []Transaction{{Type: "renew", On: d("2025-11-15"), Quantity: 10, End: d("2026-12-31")}}}
	late := renewed
	late.Transactions = []Transaction{{Type: "renew", On: d("2026-02-01"), Quantity: 10, End: d("2027-01-31")}}
	dropped := Line{Code: "c", Quantity: 3, Start: d("2024-01-01"), MaintenanceEnd: d("2024-12-31"), Version: "4",
		Transactions: []Transaction{{Type: "renew", On: d("2025-07-01"), Quantity: 3, End: d("2026-06-30")}}}
	for _, c := range []struct {
		name string
		line Line
		on   string
		want int64
		why  string
	}{
		{"a true-up adds to the line's own quantity", trueUp, "2026-02-01", 24, ""},
		{"and did not the day before", trueUp, "2026-01-31", 20, ""},
		{"a renewal keeps the line in force", renewed, "2026-06-01", 10, ""},
		{"until its own end", renewed, "2027-01-01", 0, "ended on 2026-12-31"},
		{"a late one leaves a gap", late, "2026-01-15", 0, "ended on 2025-12-31"},
		{"and is good from its day on", late, "2026-02-01", 10, ""},
	} {
		e := Effective([]Line{c.line}, d(c.on))[c.line.Code]
		if e.Quantity != c.want || e.Why != c.why {
			t.Errorf("%s: %+v", c.name, e)
		}
	}
	for released, want := range map[string]bool{"2024-06-01": true, "2025-03-01": false, "2026-01-01": true,
		"2026-07-01": false} {
		reason, gaps := dropped.Covers([]Need{{Version: "5", Released: d(released)}}, Place{})
		if (len(gaps) == 0) != want || want && reason != NewerVersion {
			t.Errorf("a release of %s under a maintenance that was dropped and bought again: %v %v", released, reason,
				gaps)
		}
	}
	if got := dropped.MaintainedUntil(); got != d("2026-06-30") {
		t.Errorf("maintained until %s", got)
	}
	if flat := renewed.Restated(4); flat.End != d("2026-12-31") || flat.Quantity != 4 || flat.Transactions != nil {
		t.Errorf("%+v", flat)
	}
	if !reflect.DeepEqual(renewed.Transactions[0].End, d("2026-12-31")) || len(renewed.Transactions) != 1 {
		t.Error("restating changed the line itself")
	}
}

// What was paid: the line's own purchase unless a buy stands in its place, and what was booked later at its own price
// or else the line's; what another line gave costs nothing.
func TestPayments(t *testing.T) {
	d := civil.MustParse
	money := func(s string) decimal.NullDecimal { return decimal.NewNullDecimal(decimal.RequireFromString(s)) }
	l := Line{Quantity: 20, Purchased: d("2025-03-01"), UnitPrice: money("100"), Currency: "EUR",
		Transactions: []Transaction{
			{Type: "true_up", On: d("2026-02-01"), Quantity: 4, Price: money("90.5"), Currency: "NOK"},
			{Type: "renew", On: d("2026-03-01"), Quantity: 24},
			{Type: "transfer_in", On: d("2026-03-01"), Quantity: 5, Price: money("1")},
			{Type: "retire", On: d("2026-04-01"), Quantity: 5, Price: money("1")},
		}}
	say := func(l Line) (out []string) {
		for _, p := range l.Payments() {
			out = append(out, fmt.Sprint(p.On, " ", p.Quantity, " x ", p.Price, " ", p.Currency))
		}
		return out
	}
	want := []string{"2025-03-01 20 x 100 EUR", "2026-02-01 4 x 90.5 NOK", "2026-03-01 24 x 100 EUR"}
	if got := say(l); !slices.Equal(got, want) {
		t.Errorf("%q", got)
	}
	l.Transactions = []Transaction{{Type: "buy", On: d("2025-02-01"), Quantity: 18, Price: money("95")}}
	if got := say(l); !slices.Equal(got, []string{"2025-02-01 18 x 95 EUR"}) {
		t.Errorf("%q", got)
	}
	l.UnitPrice, l.Transactions[0].Price = decimal.NullDecimal{}, decimal.NullDecimal{}
	if got := say(l); got != nil {
		t.Errorf("what has no price costs %q", got)
	}
}
