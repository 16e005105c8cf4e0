// Package evidence is the first station: what sources report of devices, people and software, and how far it can be
// trusted.
package evidence

import (
	"sync"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/evidence/arriving"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/persons"
	"ensomet/internal/progress"
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

	*arriving.Room // takes in what is said of the software on devices

	Persons *persons.Room // says which names are one person

	forgetting sync.Mutex
	forgot     civil.Day // on which what is too old was forgotten last
}

// Collecting does what can be done with those who send scans: their tokens, and the scans that they are asked for.
type Collecting struct{ *Service }
