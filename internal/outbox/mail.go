package outbox

import (
	"context"
	"database/sql"
	"fmt"
	"time"

	"ensomet/internal/sqlite"
)

// Letter is a message as it leaves. Its number is the same each time it is tried.
type Letter struct {
	ID                int64
	To, Subject, Body string
}

// Mailer sends mail. An error means that the message was not taken. One letter may come twice with one number, when
// nobody knows whether it was taken.
type Mailer interface {
	Send(ctx context.Context, letter Letter) error
}

// Mail is a message that waits to be sent or was.
type Mail struct {
	ID        int64  `column:"id"`
	Address   string `column:"address"`
	Subject   string `column:"subject"`
	Body      string `column:"body"`
	QueuedAt  int64  `column:"queuedAt"` // seconds since 1970
	SentAt    int64  `column:"sentAt"`   // seconds since 1970
	Tries     int64  `column:"tries"`
	Error     string `column:"error"`
	After     int64  `column:"after"`     // it leaves then or later, and can be called back until then
	Question  int64  `column:"question"`  // the question that it asks, 0 where it asks none
	DueAt     int64  `column:"dueAt"`     // when it is tried next
	GivenUpAt int64  `column:"givenUpAt"` // when nobody tried it any more, 0 where it is not given up
}

// QueueMail lets a message wait to be sent. One to an address that mail cannot go to is refused.
func QueueMail(tx *sqlite.Tx, m Mail) error {
	if err := CheckAddress(m.Address); err != nil {
		return err
	}
	tx.Announce(Topic)
	_, err := tx.Exec(
		"INSERT INTO mail(address, subject, body, queued_at, after, due_at, question_id) VALUES (?, ?, ?, ?, ?, ?, ?)",
		m.Address, m.Subject, m.Body, m.QueuedAt, m.After, m.After, m.Question)
	return err
}

// MailList is the list of messages.
func MailList() *sqlite.List[Mail] {
	l := &sqlite.List[Mail]{From: "mail m", Key: "m.id", Sort: "-id", Columns: []sqlite.Column{
		sqlite.Plain("id", "m.id"),
		sqlite.Searched("address", "m.address"),
		sqlite.Searched("subject", "m.subject"),
		sqlite.Searched("body", "m.body"),
		sqlite.Plain("queuedAt", "m.queued_at"),
		sqlite.Plain("sentAt", "m.sent_at"),
		sqlite.Plain("tries", "m.tries"),
		sqlite.Plain("error", "m.error"),
		sqlite.Plain("after", "m.after"),
		sqlite.Plain("question", "m.question_id"),
		sqlite.Plain("dueAt", "m.due_at"),
		sqlite.Plain("givenUpAt", "m.given_up_at"),
	}}
	return l
}

// CallBackMail takes back the mail of a question that has not left.
func CallBackMail(tx *sqlite.Tx, question int64) error {
	_, err := tx.Exec("DELETE FROM mail WHERE question_id = ? AND sent_at = 0 AND tries = 0", question)
	return err
}

// MailLeft counts the mail of a question that has left, or may have.
func MailLeft(tx *sqlite.Tx, question int64) (left int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT count(*) FROM mail WHERE question_id = ? AND (sent_at <> 0 OR tries > 0)", question).Scan(&left)
	return left, err
}

// MailWaits is when the mail of a question leaves, 0 where it has left.
func MailWaits(tx *sqlite.Tx, question int64) (after int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(max(after, 1)), 0) FROM mail WHERE question_id = ? AND sent_at = 0 AND tries = 0",
		question).Scan(&after)
	return after, err
}

// TryAgain lets a message that was given up, or waits for its next try, be tried now.
func (svc *Service) TryAgain(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		err := tx.One(`UPDATE mail SET given_up_at = 0, due_at = ?1, tries = min(tries, 1) WHERE id = ?2
			AND sent_at = 0`,
			now.Unix(), id)
		if err != nil {
			return err
		}
		tx.Announce(Topic)
		return tx.Note(now, who, "tried mail again", fmt.Sprint(id), "")
	})
}

// letters is mail as a channel.
type letters struct{ svc *Service }

// Claim takes the message that is due for the longest, in one statement, and counts a try. From then on nobody can be
// sure that it has not left, and it cannot be called back any more.
func (l letters) Claim(ctx context.Context, now time.Time) (*Parcel, error) {
	svc := l.svc
	if svc.Mail == nil {
		return nil, nil
	}
	var claimed []Mail
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		claimed, err = sqlite.Query(tx, func(r *sql.Rows, m *Mail) error {
			return r.Scan(&m.ID, &m.Address, &m.Subject, &m.Body, &m.Question, &m.Tries)
		}, `UPDATE mail SET tries = tries + 1, claimed_until = ?1 WHERE id = (SELECT id FROM mail
			WHERE sent_at = 0 AND given_up_at = 0 AND due_at <= ?2 AND claimed_until <= ?3 ORDER BY due_at, id LIMIT 1)
			RETURNING id, address, subject, body, question_id, tries`,
			time.Now().Add(Lease).Unix(), now.Unix(), time.Now().Unix())
		return err
	})
	if err != nil || len(claimed) == 0 {
		return nil, err
	}
	m := &claimed[0]
	return &Parcel{
		Name:  fmt.Sprint("mail ", m.ID),
		Tries: m.Tries,
		Send: func(ctx context.Context) error {
			body, err := m.Body, error(nil)
			if svc.Finish != nil {
				body, err = svc.Finish(ctx, m)
			}
			if err != nil {
				return err
			}
			return svc.Mail.Send(ctx, Letter{m.ID, m.Address, m.Subject, body})
		},
		Settle: func(ctx context.Context, sent error) error {
			return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
				now := svc.Clock.Now()
				if sent == nil {
					return tx.One("UPDATE mail SET sent_at = ?, error = '', claimed_until = 0 WHERE id = ?",
						now.Unix(), m.ID)
				}
				givenUp := int64(0)
				if m.Tries >= MostTries {
					givenUp = now.Unix()
				}
				return tx.One("UPDATE mail SET error = ?, due_at = ?, given_up_at = ?, claimed_until = 0 WHERE id = ?",
					sent.Error(), now.Add(Pause(m.Tries)).Unix(), givenUp, m.ID)
			})
		},
	}, nil
}
