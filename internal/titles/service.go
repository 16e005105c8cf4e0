// Package titles is the second station: what raw names mean, and what is known of what they mean.
package titles

import (
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
}

// Catalogue does what can be done with publishers, products, titles and releases, and with what is planned about them.
type Catalogue struct{ *Service }
