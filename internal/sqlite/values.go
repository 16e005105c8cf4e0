package sqlite

import (
	"database/sql"
	"strings"

	"github.com/shopspring/decimal"
)

// Date and instant turn stored numbers into text within SQL: 719163 is 1970-01-01 counted from 0001-01-01 = 1.
func Date(col string) string {
	return "CASE WHEN " + col + " = 0 THEN '' ELSE date((" + col + " - 719163) * 86400, 'unixepoch') END"
}

func Instant(col string) string {
	return "CASE WHEN coalesce(" + col + ", 0) = 0 THEN '' ELSE strftime('%Y-%m-%dT%H:%M:%SZ', " + col +
		", 'unixepoch') END"
}

func Number(col string) string { return "CASE WHEN " + col + " = 0 THEN '' ELSE " + col + " END" }

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

func SplitList(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, "|")
}

func JoinList(list []string) string { return strings.Join(list, "|") }
