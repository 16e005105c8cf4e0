package money

import (
	"testing"

	"ensomet/internal/core/civil"

	"github.com/shopspring/decimal"
)

func TestConvert(t *testing.T) {
	d := civil.MustParse
	r := NewRates([]Rate{{"NOK", d("2026-03-01"), decimal.RequireFromString("11.5")},
		{"NOK", d("2026-01-01"), decimal.RequireFromString("12")},
		{"ISK", d("2026-01-01"), decimal.RequireFromString("150")}}, "")
	for _, c := range []struct{ amount, from, to, day, want string }{
		{"120", "NOK", "EUR", "2026-02-28", "10"}, {"115", "NOK", "EUR", "2026-03-01", "10"},
		{"10", "EUR", "NOK", "2026-06-30", "115"},
		{"12", "NOK", "ISK", "2026-01-15", "150"}, {"0.1", "EUR", "EUR", "2020-01-01", "0.1"},
		{"1", "NOK", "EUR", "2026-06-30", "0.087"},
	} {
		got, err := r.Convert(decimal.RequireFromString(c.amount), c.from, c.to, d(c.day))
		if err != nil || !got.Equal(decimal.RequireFromString(c.want)) {
			t.Errorf("%s %s on %s is %s %s, %v; want %s", c.amount, c.from, c.day, got, c.to, err, c.want)
		}
	}
	for _, c := range []struct{ from, to, day string }{{"NOK", "EUR", "2025-12-31"}, {"EUR", "SEK", "2026-06-30"}} {
		if _, err := r.Convert(decimal.NewFromInt(1), c.from, c.to, d(c.day)); err == nil {
			t.Errorf("%s to %s on %s has no rate and was converted", c.from, c.to, c.day)
		}
	}
}
