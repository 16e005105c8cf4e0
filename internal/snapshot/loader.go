// Package snapshot loads what one computation reads: one consistent state, whole or only for what changed. What is
// counted from it needs nothing else. What more than one station reads is read here.
package snapshot

import (
	"sync/atomic"
	"time"

	"ensomet/internal/clock"
)

// Loader loads snapshots. It keeps what is dear to make and seldom changes: the catalogue, and what is known of devices
// and people.
type Loader struct {
	Clock clock.Clock

	made      madeOnce
	inventory keptInventory
	zone      atomic.Pointer[time.Location] // of the house
}
