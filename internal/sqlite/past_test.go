package sqlite_test

import (
	"testing"

	"ensomet/internal/clock"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// Of every kind of file that ever landed all figures are computed anew, and they are what a full check finds.
func TestFilesOfThePastAreComputed(t *testing.T) {
	for i, path := range sqlite.FilesOfThePast(t) {
		db, err := sqlite.Open(t.Context(), path)
		if err != nil {
			t.Fatal(err)
		}
		prog := program.New(db, clock.Wall{})
		if err := prog.Pipeline.Refresh(t.Context()); err != nil {
			t.Errorf("kind %d: %v", i+1, err)
		}
		if wrong, err := prog.Pipeline.Check(t.Context()); err != nil || len(wrong) > 0 {
			t.Errorf("kind %d: %v %v", i+1, wrong, err)
		}
		if err := db.Close(); err != nil {
			t.Error(err)
		}
	}
}
