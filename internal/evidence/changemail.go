package evidence

import (
	"fmt"
	"log/slog"
	"strings"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
)

// maxMailLines is how many changes one mail lists.
const maxMailLines = 200

// QueueChangeMail lets mail wait for the changes that happened since the last one, one message for each rule.
func (svc *Service) QueueChangeMail(tx *sqlite.Tx) error {
	if any, err := evidencedb.AnyNews(tx); err != nil || !any {
		return err
	}
	rules, err := evidencedb.ChangeRules(tx)
	if err != nil {
		return err
	}
	for i := range rules {
		r := &rules[i]
		if r.What != "mail" {
			continue
		}
		var listed []int64
		fresh := 0
		if err := touches(tx, r, true, func(c *evidencedb.StoredChange) error {
			is, err := evidencedb.Mailed(tx, r.ID, &c.LoggedChange)
			if err != nil || !is {
				return err
			}
			if fresh++; fresh <= maxMailLines {
				listed = append(listed, c.ID)
			}
			return nil
		}); err != nil {
			return err
		}
		if fresh == 0 {
			continue
		}
		lines, err := evidencedb.ChangeWords(tx, listed)
		if err != nil {
			return err
		}
		if fresh > maxMailLines {
			lines = append(lines, fmt.Sprintf("and %d more", fresh-maxMailLines))
		}
		body := fmt.Sprintf(
			"Since the last message, as of %s:\n\n%s\n\nYou get this because of a rule that %s set: %s.\n",
			svc.Clock.Now().Format("2006-01-02 15:04"),
			strings.Join(lines, "\n"),
			r.Author,
			ruleWords(r),
		)
		if !outbox.Reachable(r.Address) { // a rule of before addresses were looked at
			slog.Warn("mail cannot go to the address of a rule for changes", "rule", r.ID, "address", r.Address)
			continue
		}
		if err := outbox.QueueMail(tx,
			outbox.Mail{
				Address:  r.Address,
				Subject:  fmt.Sprintf("Changes on devices: %d", fresh),
				Body:     body,
				QueuedAt: svc.Clock.Now().Unix(),
			}); err != nil {
			return err
		}
	}
	return evidencedb.NewsSeen(tx)
}
