// Package past says how far back the past is kept: what was before is forgotten, and cannot be asked for.
package past

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/sqlite"
)

const from = "history_from"

// From is when the past begins that is kept, in seconds since 1970; 0 where all of it is. It is so whatever was known
// on an earlier day.
func From(tx *sqlite.Tx) (int64, error) {
	list, err := sqlite.Select[int64](tx, "SELECT CAST(value AS INTEGER) FROM main.setting WHERE key = ?", from)
	return append(list, 0)[0], err
}

// SetFrom has the past begin at a time, in seconds since 1970. What went does not come back.
func SetFrom(tx *sqlite.Tx, at int64) error { return tx.SetSetting(from, sqlite.Itoa(at)) }

// Answerable refuses a day that lies before the past that is kept.
func Answerable(tx *sqlite.Tx, day civil.Day) error {
	since, err := From(tx)
	if err != nil || day.EndUnix() > since {
		return err
	}
	return refuse.Errorf("what was on %s is not kept any more: this house keeps what was from %s on", day,
		civil.OfUnix(since))
}
