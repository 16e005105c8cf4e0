// Package outbox has what leaves the house.
package outbox

import (
	"context"

	"ensomet/internal/clock"
	"ensomet/internal/sqlite"
)

// Service does what can be done there.
type Service struct {
	DB    *sqlite.DB
	Clock clock.Clock
	Mail  Mailer // nil where none is connected
	// Finish puts into a letter what only the one that leaves may have, such as the address of a page.
	Finish func(ctx context.Context, m *Mail) (body string, err error)
}

// Connected reports whether letters can leave.
func (svc *Service) Connected() bool { return svc.Mail != nil }
