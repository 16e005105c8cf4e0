// Package people has the accounts of those who use the program.
package people

import (
	"ensomet/internal/clock"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB    *sqlite.DB
	Clock clock.Clock
}
