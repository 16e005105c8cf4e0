// Package entitlements is the third station: what was bought, on which terms, and who holds it.
package entitlements

import (
	"ensomet/internal/clock"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB        *sqlite.DB
	Clock     clock.Clock
	Snapshots *snapshot.Loader
	Secret    secret.File
}
