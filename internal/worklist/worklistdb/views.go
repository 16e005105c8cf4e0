package worklistdb

import (
	"database/sql"

	"ensomet/internal/sqlite"
)

// Categories lists the categories of the catalogue.
func Categories(tx *sqlite.Tx) ([]string, error) {
	return sqlite.Query(
		tx,
		func(r *sql.Rows, v *string) error { return r.Scan(v) },
		"SELECT DISTINCT category FROM title WHERE category <> '' ORDER BY 1",
	)
}
