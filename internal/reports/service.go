// Package reports has what looks over all stations: the course of the work, finding anything, and files of everything.
package reports

import (
	"context"

	"ensomet/internal/clock"
	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Renewal   Renewer
	Position  Positions
}

// Renewer computes figures anew where they rest on something that has changed.
type Renewer interface {
	Current(ctx context.Context) error
}

// Positions writes every position of a day.
type Positions interface {
	Positions(ctx context.Context, asOf civil.Day, write func([]string) error) error
}
