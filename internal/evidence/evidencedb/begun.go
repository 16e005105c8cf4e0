package evidencedb

import "ensomet/internal/sqlite"

// BegunImport is an import that runs, or that was broken off when the program ended. Kind is empty where the file told
// its own.
type BegunImport struct {
	ID                 int64
	Kind, File, Author string
	BeganAt            int64
	BrokenAt           int64 // 0 while it runs
}

// BeginImport notes that an import runs, and returns its number.
func BeginImport(tx *sqlite.Tx, b BegunImport) (int64, error) {
	return tx.Insert("INSERT INTO import_begun(kind, file, author, began_at) VALUES (?, ?, ?, ?)",
		b.Kind, b.File, b.Author, b.BeganAt)
}

// EndImport forgets an import that has ended, or that was broken off and has been told.
func EndImport(tx *sqlite.Tx, id int64) error {
	return tx.One("DELETE FROM import_begun WHERE id = ?", id)
}

// BreakImports notes that all imports that ran were broken off, and returns how many.
func BreakImports(tx *sqlite.Tx, at int64) (int64, error) {
	return tx.Touched("UPDATE import_begun SET broken_at = ? WHERE broken_at = 0", at)
}

// BrokenImports reads the imports that were broken off, the newest first.
func BrokenImports(tx *sqlite.Tx) ([]BegunImport, error) {
	return sqlite.Select[BegunImport](tx, "SELECT id, kind, file, author, began_at, broken_at FROM import_begun "+
		"WHERE broken_at > 0 ORDER BY id DESC LIMIT 100")
}
