package snapshot

import (
	"database/sql"

	"ensomet/internal/sqlite"
)

// Import is one import of one file.
type Import struct {
	ID                                    int64
	Kind, File, Author                    string
	At                                    int64
	Lines, Added, Changed, Gone, SetAside int64
}

// Imports returns the newest imports.
func Imports(tx *sqlite.Tx, limit int) ([]Import, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *Import) error {
		return r.Scan(&v.ID, &v.Kind, &v.File, &v.At, &v.Author, &v.Lines, &v.Added, &v.Changed, &v.Gone, &v.SetAside)
	}, "SELECT id, kind, file, at, author, lines, added, changed, gone, set_aside FROM import ORDER BY id DESC "+
		"LIMIT ?", limit)
}
