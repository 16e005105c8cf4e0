// Package entitlements is the third station: what was bought, on which terms, and who holds it.
package entitlements

import (
	"context"

	"ensomet/internal/clock"
	"ensomet/internal/intake"
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
	Evidence  Booker
}

// Booker takes in one thing that somebody typed, where something holds in the transaction that writes it.
type Booker interface {
	BookIf(
		ctx context.Context,
		kind string,
		values map[string]string,
		who string,
		check func(tx *sqlite.Tx) error,
	) (intake.ImportResult, error)
}
