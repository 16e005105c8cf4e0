package outbox

import (
	"context"
)

// Mailer sends mail. An error means that the message was not taken.
type Mailer interface {
	Send(ctx context.Context, to, subject, body string) error
}
