package program

import (
	"testing"

	"ensomet/internal/edits"
	"ensomet/internal/sqlite"
)

// seen is the revision of a thing as whoever acts now sees it.
func seen(t testing.TB, prog *Program, kind string, id int64) int64 {
	t.Helper()
	return seenAt(t, prog, edits.Of(kind, id))
}

func seenAt(t testing.TB, prog *Program, thing edits.Thing) (revision int64) {
	t.Helper()
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) (err error) {
		revision, err = edits.Revision(tx, thing)
		return err
	}); err != nil {
		t.Fatal(err)
	}
	return revision
}
