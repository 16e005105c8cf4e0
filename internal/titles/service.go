// Package titles is the second station: what raw names mean, and what is known of what they mean.
package titles

import (
	"slices"
	"sync"

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

	mu      sync.Mutex
	decided []string // names that somebody decided on since the figures that are being renewed were read
}

// Catalogue does what can be done with publishers, products, titles and releases, and with what is planned about them.
type Catalogue struct{ *Service }

// ForgetDecided begins anew to remember which names are decided on.
func (svc *Service) ForgetDecided() {
	svc.mu.Lock()
	svc.decided = nil
	svc.mu.Unlock()
}

// DecidedMeanwhile are the names that somebody decided on since ForgetDecided.
func (svc *Service) DecidedMeanwhile() []string {
	svc.mu.Lock()
	defer svc.mu.Unlock()
	return slices.Clone(svc.decided)
}

func (svc *Service) noteDecided(keys []string) {
	svc.mu.Lock()
	svc.decided = append(svc.decided, keys...)
	svc.mu.Unlock()
}
