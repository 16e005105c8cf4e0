package money

import (
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/shopspring/decimal"
)

// The apportionment of the first House of Representatives by population that was proposed in 1792: 120 seats among
// fifteen states by the method of largest remainders. Source: M. L. Balinski and H. P. Young, Fair Representation,
// Yale 1982, chapter 2 and the table of 1791 (from memory).
func TestApportionOf1792(t *testing.T) {
	people := []int64{
		236_841,
		55_540,
		70_835,
		68_705,
		278_514,
		475_327,
		141_822,
		179_570,
		331_589,
		353_523,
		432_879,
		68_446,
		206_236,
		85_533,
		630_560,
	}
	want := []int64{8, 2, 2, 2, 9, 16, 5, 6, 11, 12, 14, 2, 7, 3, 21}
	if got := Apportion(120, people); !slices.Equal(got, want) {
		t.Errorf("%v, not %v", got, want)
	}
}

// An amount of ten by three equal weights is the example that every handbook of accounting has (common practice): one
// of them pays the cent that is left.
func TestSplitCents(t *testing.T) {
	for _, c := range []struct {
		amount  string
		weights []int64
		want    []string
	}{
		{"10", []int64{1, 1, 1}, []string{"3.34", "3.33", "3.33"}},
		{"-10", []int64{1, 1, 1}, []string{"-3.34", "-3.33", "-3.33"}},
		{"0.01", []int64{1, 3}, []string{"0", "0.01"}},
		{"0.05", []int64{0, 0, 7}, []string{"0", "0", "0.05"}},
		{"1.005", []int64{1}, []string{"1.01"}},
		{"9000000000000", []int64{1 << 60, 1 << 60}, []string{"4500000000000", "4500000000000"}},
		{"5", []int64{0, 0}, nil},
		{"5", nil, nil},
	} {
		got := Split(decimal.RequireFromString(c.amount), 2, c.weights)
		if len(got) != len(c.want) {
			t.Fatalf("%s by %v: %v", c.amount, c.weights, got)
		}
		for i := range got {
			if !got[i].Equal(decimal.RequireFromString(c.want[i])) {
				t.Errorf("%s by %v: %v, not %v", c.amount, c.weights, got, c.want)
			}
		}
	}
}

// Whatever is split: the parts add up, none is further than one from its exact share, and a greater weight never gets
// less.
func TestApportionAddsUp(t *testing.T) {
	r := rand.New(rand.NewPCG(1, 2))
	for range 20_000 {
		weights := make([]int64, 1+r.IntN(9))
		sum := int64(0)
		for i := range weights {
			if r.IntN(4) > 0 {
				weights[i] = r.Int64N(1 << (1 + r.IntN(40)))
			}
			sum += weights[i]
		}
		total := r.Int64N(1<<40) - 1<<39
		parts := Apportion(total, weights)
		if sum == 0 {
			if parts != nil {
				t.Fatal("without any weight", parts)
			}
			continue
		}
		got := int64(0)
		for i, p := range parts {
			got += p
			share := float64(total) * float64(weights[i]) / float64(sum)
			if d := float64(p) - share; d > 1.001 || d < -1.001 || weights[i] == 0 && p != 0 {
				t.Fatalf("%d by %v: %v", total, weights, parts)
			}
			for k := range parts {
				if weights[i] > weights[k] && max(p, -p) < max(parts[k], -parts[k]) {
					t.Fatalf("%d by %v: %v", total, weights, parts)
				}
			}
		}
		if got != total {
			t.Fatalf("%d by %v: %v come to %d", total, weights, parts, got)
		}
	}
}
