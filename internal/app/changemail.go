package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/store"
)

// maxMailLines is how many changes one mail lists.
const maxMailLines = 200

// queueChangeMail lets mail wait for the changes that happened since the last one, one message for each rule.
func (a *App) queueChangeMail(tx *store.Tx) error {
	rules, err := tx.ChangeRules()
	if err != nil {
		return err
	}
	for i := range rules {
		r := &rules[i]
		if r.What != "mail" {
			continue
		}
		_, list, err := touches(tx, *r)
		if err != nil {
			return err
		}
		var lines []string
		fresh := 0
		for i := range list {
			is, err := tx.Mailed(r.ID, &list[i].LoggedChange)
			if err != nil {
				return err
			}
			if !is {
				continue
			}
			if fresh++; fresh <= maxMailLines {
				lines = append(lines, list[i].Words)
			}
		}
		if fresh == 0 {
			continue
		}
		slices.Sort(lines)
		if fresh > maxMailLines {
			lines = append(lines, fmt.Sprintf("and %d more", fresh-maxMailLines))
		}
		body := fmt.Sprintf("Since the last message, as of %s:\n\n%s\n\nYou get this because of a rule that %s set: %s.\n", a.Clock.Now().Format("2006-01-02 15:04"), strings.Join(lines, "\n"), r.Author, ruleWords(r))
		if err := tx.QueueMail(store.Mail{Address: r.Address, Subject: fmt.Sprintf("Changes on devices: %d", fresh), Body: body, QueuedAt: a.Clock.Now().Unix()}); err != nil {
			return err
		}
	}
	return nil
}

// mailLeaves notes that a message is about to leave, so that it cannot be called back any more; it reports false where it was called back meanwhile.
func (a *App) mailLeaves(ctx context.Context, id int64) (leaves bool, err error) {
	err = a.DB.Update(ctx, func(tx *store.Tx) (err error) {
		leaves, err = tx.MailLeaves(id)
		return err
	})
	return leaves, err
}

// SendMail sends the messages that wait. One that cannot be sent waits for the next time, up to ten tries.
func (a *App) SendMail(ctx context.Context) error {
	if a.Mail == nil {
		return nil
	}
	var waiting store.Page[store.Mail]
	err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		waiting, err = tx.MailPage(store.ListQuery{Filters: map[string]string{"sentAt": "0"}, Sort: "id", Limit: 200})
		return err
	})
	if err != nil {
		return err
	}
	for _, m := range waiting.Rows {
		if m.Tries >= 10 || m.After > a.Clock.Now().Unix() {
			continue
		}
		body, err := a.withLink(ctx, &m)
		if err != nil {
			return err
		}
		if left, err := a.mailLeaves(ctx, m.ID); err != nil || !left {
			if err != nil {
				return err
			}
			continue
		}
		reason := ""
		if err := a.Mail.Send(ctx, m.Address, m.Subject, body); err != nil {
			reason = err.Error()
		}
		if err := a.DB.Update(ctx, func(tx *store.Tx) error { return tx.MailSent(m.ID, a.Clock.Now().Unix(), reason) }); err != nil {
			return err
		}
	}
	return nil
}
