package sqlite

import (
	"database/sql"

	"github.com/shopspring/decimal"
)

// Money writes an amount for storage: NULL where there is none.
func Money(d decimal.NullDecimal) any {
	if !d.Valid {
		return nil
	}
	return d.Decimal.String()
}

func ReadMoney(s sql.NullString) decimal.NullDecimal {
	if !s.Valid {
		return decimal.NullDecimal{}
	}
	d, err := decimal.NewFromString(s.String)
	return decimal.NullDecimal{Decimal: d, Valid: err == nil}
}
