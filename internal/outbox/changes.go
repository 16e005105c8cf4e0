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
	_, err := tx.Exec("INSERT INTO mail(address, subject, body, queued_at, after, question_id) VALUES (?, ?, ?, ?, ?, ?)", m.Address, m.Subject, m.Body, m.QueuedAt, m.After, m.Question)
	return err
}

// MailPage reads a page of messages.
func MailPage(tx *sqlite.Tx, q sqlite.ListQuery) (sqlite.Page[Mail], error) {
	l := sqlite.List[Mail]{From: "mail m", Key: "m.id", Sort: "-id", Columns: []sqlite.Column[Mail]{
		{Name: "id", Sql: "m.id", Into: func(r *Mail) any { return &r.ID }, Search: false}, {Name: "address", Sql: "m.address", Into: func(r *Mail) any { return &r.Address }, Search: true}, {Name: "subject", Sql: "m.subject", Into: func(r *Mail) any { return &r.Subject }, Search: true},
		{Name: "body", Sql: "m.body", Into: func(r *Mail) any { return &r.Body }, Search: true}, {Name: "queuedAt", Sql: "m.queued_at", Into: func(r *Mail) any { return &r.QueuedAt }, Search: false}, {Name: "sentAt", Sql: "m.sent_at", Into: func(r *Mail) any { return &r.SentAt }, Search: false},
		{Name: "tries", Sql: "m.tries", Into: func(r *Mail) any { return &r.Tries }, Search: false}, {Name: "error", Sql: "m.error", Into: func(r *Mail) any { return &r.Error }, Search: false},
		{Name: "after", Sql: "m.after", Into: func(r *Mail) any { return &r.After }, Search: false}, {Name: "question", Sql: "m.question_id", Into: func(r *Mail) any { return &r.Question }, Search: false},
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
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM mail WHERE question_id = ? AND (sent_at <> 0 OR tries > 0)", question).Scan(&left)
	return left, err
}

// MailLeaves counts one more try to send a message. It reports false where the message is not there any more, or was sent.
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
