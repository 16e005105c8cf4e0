// Package use is the fourth station: who really uses what, and how shared licences are used.
package use

import (
	"sync"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
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

	mu     sync.Mutex
	forgot civil.Day // when what is older than it is kept was last forgotten
}
