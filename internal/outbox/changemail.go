package outbox

import (
	"context"

	"ensomet/internal/sqlite"
)

// mailLeaves notes that a message is about to leave, so that it cannot be called back any more; it reports false
// where it was called back meanwhile.
func (svc *Service) mailLeaves(ctx context.Context, id int64) (leaves bool, err error) {
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		leaves, err = MailLeaves(tx, id)
		return err
	})
	return leaves, err
}

// SendMail sends the messages that wait. One that cannot be sent waits for the next time, up to ten tries.
func (svc *Service) SendMail(ctx context.Context) error {
	if svc.Mail == nil {
		return nil
	}
	var waiting sqlite.Page[Mail]
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		waiting, err = MailPage(tx,
			sqlite.ListQuery{Filters: map[string]string{"sentAt": "0"}, Sort: "id", Limit: 200})
		return err
	})
	if err != nil {
		return err
	}
	for _, m := range waiting.Rows {
		if m.Tries >= 10 || m.After > svc.Clock.Now().Unix() {
			continue
		}
		body, err := svc.Finish(ctx, &m)
		if err != nil {
			return err
		}
		if left, err := svc.mailLeaves(ctx, m.ID); err != nil || !left {
			if err != nil {
				return err
			}
			continue
		}
		reason := ""
		if err := svc.Mail.Send(ctx, m.Address, m.Subject, body); err != nil {
			reason = err.Error()
		}
		if err := svc.DB.Update(ctx,
			func(tx *sqlite.Tx) error { return MailSent(tx, m.ID, svc.Clock.Now().Unix(), reason) }); err != nil {
			return err
		}
	}
	return nil
}
