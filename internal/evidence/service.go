// Package evidence is the first station: what sources report of devices, people and software, and how far it can be
// trusted.
package evidence

import (
	"ensomet/internal/clock"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/machines"
	"ensomet/internal/persons"
	"ensomet/internal/progress"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Progress  *progress.Board
	// Kinds are the kinds of files that other stations take in.
	Kinds []map[*formats.Kind]intake.WriterMaker

	Secret  secret.File       // under which licence keys that are found are known
	Numbers *evidencedb.Cache // of records, places and files that were numbered

	Machines *machines.Room // finds the device that what a source says is about
	Persons  *persons.Room  // says which names are one person
}

// Collecting does what can be done with those who send scans: their tokens, and the scans that they are asked for.
type Collecting struct{ *Service }
