package snapshot

import (
	"ensomet/internal/sqlite"
)

// Import is one import of one file.
type Import struct {
	ID                                    int64
	Kind, File, Author                    string
	At                                    int64
	Lines, Added, Changed, Gone, SetAside int64
	State                                 string // running, stopped, done
	Devices, DevicesTaken                 int64  // of a file that is taken in step by step
}

// Imports returns the newest imports.
func Imports(tx *sqlite.Tx, limit int) ([]Import, error) {
	return sqlite.Select[Import](tx, `SELECT id, kind, file, at, author, lines,
		added, changed, gone, set_aside, state, devices, devices_taken FROM import ORDER BY id DESC LIMIT ?`, limit)
}
