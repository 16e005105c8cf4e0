package outbox

import (
	"ensomet/internal/sqlite"
)

// MailWaits is when the mail of a question leaves, 0 where it has left.
func MailWaits(tx *sqlite.Tx, question int64) (after int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(max(after, 1)), 0) FROM mail WHERE question_id = ? AND sent_at = 0 AND tries = 0",
		question).
		Scan(&after)
	return after, err
}
