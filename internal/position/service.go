// Package position is the fifth station: what is owned against what is needed, why, and what could be done about it.
package position

import (
	"context"

	"ensomet/internal/clock"
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
	Renewal   Renewer

	// ChargedAtOnce is of how many installs at most charges of a machine are worked out in one answer; 0 is as many as
	// is usual.
	ChargedAtOnce int64

	onDays onDays
}

// Renewer computes figures anew where they rest on something that has changed.
type Renewer interface {
	Current(ctx context.Context) error
}
