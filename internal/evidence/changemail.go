package evidence

import (
	"fmt"
	"log/slog"
	"slices"
	"strings"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
)

// maxMailLines is how many changes one mail lists.
const maxMailLines = 200

// QueueChangeMail lets mail wait for the changes that happened since the last one, one message for each rule.
func (svc *Service) QueueChangeMail(tx *sqlite.Tx) error {
	rules, err := evidencedb.ChangeRules(tx)
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
			is, err := evidencedb.Mailed(tx, r.ID, &list[i].LoggedChange)
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
	return nil
}
