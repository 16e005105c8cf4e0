// Package money converts amounts by a table of dated rates.
package money

import (
	"cmp"
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"

	"github.com/shopspring/decimal"
)

// Base is the currency that rates are stated against.
const Base = "EUR"

// Rate says that from a day on, PerEUR units of a currency make one euro.
type Rate struct {
	Currency string
	On       civil.Day
	PerEUR   decimal.Decimal
}

// Rates is a table of dated rates, and the currency of the house, in which it has its sums.
type Rates struct {
	byCurrency map[string][]Rate
	house      string
}

// NewRates makes a table for a house; an empty currency of the house is the base.
func NewRates(list []Rate, house string) Rates {
	r := Rates{map[string][]Rate{}, cmp.Or(house, Base)}
	for _, x := range list {
		r.byCurrency[x.Currency] = append(r.byCurrency[x.Currency], x)
	}
	for _, l := range r.byCurrency {
		slices.SortFunc(l, func(a, b Rate) int { return cmp.Compare(a.On, b.On) })
	}
	return r
}

// House is the currency of the house.
func (r Rates) House() string { return cmp.Or(r.house, Base) }

// InHouse turns an amount into the currency of the house at the rates of a day, to four decimals; one without a
// currency is in it already. It is an error where the table has no rate.
func (r Rates) InHouse(amount decimal.Decimal, from string, day civil.Day) (decimal.Decimal, error) {
	return r.Convert(amount, cmp.Or(from, r.House()), r.House(), day)
}

// OneInHouse is what one of a currency is in that of the house at the rates of a day, to twenty decimals: parts that
// are multiplied by it still add up to the whole. It is an error where the table has no rate.
func (r Rates) OneInHouse(from string, day civil.Day) (decimal.Decimal, error) {
	if _, err := r.InHouse(decimal.NewFromInt(1), from, day); err != nil {
		return decimal.Zero, err
	}
	a, _ := r.at(cmp.Or(from, r.House()), day)
	b, _ := r.at(r.House(), day)
	return b.DivRound(a, 20), nil
}

// at returns the newest rate of a currency that was stated on or before a day.
func (r Rates) at(currency string, day civil.Day) (decimal.Decimal, bool) {
	if currency == Base || currency == "" {
		return decimal.NewFromInt(1), true
	}
	list := r.byCurrency[currency]
	for i := len(list) - 1; i >= 0; i-- {
		if list[i].On <= day {
			return list[i].PerEUR, true
		}
	}
	return decimal.Zero, false
}

// Convert turns an amount of one currency into another at the rates of a day, to four decimals. It is an error where
// the table has no rate.
func (r Rates) Convert(amount decimal.Decimal, from, to string, day civil.Day) (decimal.Decimal, error) {
	if from == to {
		return amount, nil
	}
	a, ok := r.at(from, day)
	b, ok2 := r.at(to, day)
	switch {
	case !ok:
		return decimal.Zero, refuse.Errorf("there is no rate of %s on or before %s", from, day)
	case !ok2:
		return decimal.Zero, refuse.Errorf("there is no rate of %s on or before %s", to, day)
	}
	return amount.Mul(b).DivRound(a, 4), nil
}
