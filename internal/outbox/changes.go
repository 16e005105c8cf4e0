package outbox

import (
	"ensomet/internal/sqlite"
)

// Mail is a message that waits to be sent or was.
type Mail struct {
	ID       int64  `json:"id"`
	Address  string `json:"address"`
	Subject  string `json:"subject"`
	Body     string `json:"body"`
	QueuedAt int64  `json:"queuedAt" unit:"unix"`
	SentAt   int64  `json:"sentAt" unit:"unix"`
	Tries    int64  `json:"tries"`
	Error    string `json:"error"`
	After    int64  `json:"after" unit:"unix" doc:"it leaves at this time or later, and can be called back until then"`
	Question int64  `json:"question" doc:"the question that it asks, 0 where it asks none"`
}

// QueueMail lets a message wait to be sent.
func QueueMail(tx *sqlite.Tx, m Mail) error {
	_, err := tx.Exec(
		"INSERT INTO mail(address, subject, body, queued_at, after, question_id) VALUES (?, ?, ?, ?, ?, ?)",
		m.Address,
		m.Subject,
		m.Body,
		m.QueuedAt,
		m.After,
		m.Question,
	)
	return err
}

// MailPage reads a page of messages.
func MailPage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[Mail], error) {
	l := sqlite.List[Mail]{From: "mail m", Key: "m.id", Sort: "-id", Columns: []sqlite.Column[Mail]{
		sqlite.Plain("id", "m.id", func(r *Mail) any { return &r.ID }),
		sqlite.Searched("address", "m.address", func(r *Mail) any { return &r.Address }),
		sqlite.Searched("subject", "m.subject", func(r *Mail) any { return &r.Subject }),
		sqlite.Searched("body", "m.body", func(r *Mail) any { return &r.Body }),
		sqlite.Plain("queuedAt", "m.queued_at", func(r *Mail) any { return &r.QueuedAt }),
		sqlite.Plain("sentAt", "m.sent_at", func(r *Mail) any { return &r.SentAt }),
		sqlite.Plain("tries", "m.tries", func(r *Mail) any { return &r.Tries }),
		sqlite.Plain("error", "m.error", func(r *Mail) any { return &r.Error }),
		sqlite.Plain("after", "m.after", func(r *Mail) any { return &r.After }),
		sqlite.Plain("question", "m.question_id", func(r *Mail) any { return &r.Question }),
	}}
	return l.Page(tx, q)
}

// CallBackMail takes back the mail of a question that has not left.
func CallBackMail(tx *sqlite.Tx, question int64) error {
	_, err := tx.Exec("DELETE FROM mail WHERE question_id = ? AND sent_at = 0 AND tries = 0", question)
	return err
}

// MailLeft counts the mail of a question that has left, or may have.
func MailLeft(tx *sqlite.Tx, question int64) (left int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM mail WHERE question_id = ? AND (sent_at <> 0 OR tries > 0)",
		question).
		Scan(&left)
	return left, err
}

// MailLeaves counts one more try to send a message. It reports false where the message is not there any more, or was
// sent.
func MailLeaves(tx *sqlite.Tx, id int64) (bool, error) {
	res, err := tx.Exec("UPDATE mail SET tries = tries + 1 WHERE id = ? AND sent_at = 0", id)
	if err != nil {
		return false, err
	}
	n, err := res.RowsAffected()
	return n > 0, err
}

// MailSent notes how sending a message went.
func MailSent(tx *sqlite.Tx, id, at int64, reason string) error {
	if reason != "" {
		at = 0
	}
	return tx.One("UPDATE mail SET sent_at = ?, error = ? WHERE id = ?", at, reason, id)
}
