package snapshot

import (
	"ensomet/internal/core/money"
	"ensomet/internal/sqlite"
)

func LoadRates(tx *sqlite.Tx) (money.Rates, error) {
	rates, err := Rates(tx)
	var list []money.Rate
	for _, r := range rates {
		list = append(list, money.Rate(r))
	}
	return money.NewRates(list), err
}
