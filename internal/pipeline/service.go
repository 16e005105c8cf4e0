// Package pipeline computes everything that is derived, station by station, in the order of the work, and checks that
// what is stored is what would be computed.
package pipeline

import (
	"sync"

	"ensomet/internal/clock"
	"ensomet/internal/counts"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/byhand"
	"ensomet/internal/persons"
	"ensomet/internal/position"
	"ensomet/internal/progress"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/use"
	"ensomet/internal/worklist"
)

// Service does what can be done there.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Progress  *progress.Board
	Renewal   *renewal.Loop
	Counts    *counts.Room

	Evidence  *evidence.Service
	Sources   *evidence.Sources
	Persons   *persons.Room
	ByHand    *byhand.Service
	Titles    *titles.Service
	Catalogue *titles.Catalogue
	Use       *use.Service
	Position  *position.Service
	Worklist  *worklist.Service

	Pieces     Pieces
	refreshing sync.Mutex
	moved      moved
}
