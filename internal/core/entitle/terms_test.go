package entitle

import (
	"slices"
	"testing"
)

// The strictest of what lines say counts, and what they disagree on is named.
func TestTermsOf(t *testing.T) {
	a := &Line{MinPerProcessor: 8, MinPerServer: 16, PackSize: 2, Capacity: "full"}
	b := &Line{MinPerProcessor: 4, PackSize: 1, Capacity: "sub"}
	c := &Line{Capacity: "sub"}
	for _, x := range []struct {
		lines    []*Line
		want     Terms
		disagree []string
	}{
		{nil, Terms{Pack: 1}, nil},
		{[]*Line{a}, Terms{PerProcessor: 8, PerServer: 16, Pack: 2}, nil},
		{[]*Line{c, c}, Terms{Pack: 1, Sub: true}, nil},
		{[]*Line{b, c}, Terms{PerProcessor: 4, Pack: 1, Sub: true}, []string{"least cores for a processor"}},
		{[]*Line{a, b}, Terms{PerProcessor: 8, PerServer: 16, Pack: 2},
			[]string{"least cores for a processor", "least cores for a server", "size of a pack", "capacity"}},
		{[]*Line{{PackSize: 0}, {PackSize: 1}}, Terms{Pack: 1}, nil}, // no pack and a pack of one are the same
	} {
		got := TermsOf(x.lines)
		if got.PerProcessor != x.want.PerProcessor || got.PerServer != x.want.PerServer || got.Pack != x.want.Pack ||
			got.Sub != x.want.Sub ||
			!slices.Equal(got.Disagree, x.disagree) {
			t.Errorf("%+v, want %+v disagreeing on %v", got, x.want, x.disagree)
		}
	}
}
