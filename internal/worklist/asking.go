package worklist

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/outbox"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// answerLink stands in the mail where the address of the page belongs; only the mail that leaves has it.
const answerLink = "[the page for your answer]"

// answerKey is what opens the page of a question: 256 bits that follow from the house's own secret, so that nothing
// in the data file opens it.
func (svc *Service) answerKey(question int64) (string, error) {
	secret, err := svc.Secret.ReadOrMake()
	if err != nil {
		return "", err
	}
	mac := hmac.New(sha256.New, secret)
	fmt.Fprintf(mac, "question %d", question)
	return hex.EncodeToString(mac.Sum(nil)), nil
}

func hashOf(key string) []byte {
	sum := sha256.Sum256([]byte(key))
	return sum[:]
}

// addAsk notes that a case's user is asked. Whoever cannot be reached is told.
func (w *caseWorker) addAsk(c *casework.Case) error {
	person, address, name, err := worklistdb.UserOfDevice(w.tx, c.Device)
	if err != nil {
		return err
	}
	switch {
	case name == "":
		return refuse.Errorf("nobody is known as the user of the device")
	case address == "":
		return refuse.Errorf("%s has no mail address: import it with the users", name)
	case !outbox.Reachable(address):
		return refuse.Errorf("mail cannot go to %q, the address of %s: correct it in the list of users", address, name)
	}
	if w.ask == nil {
		w.ask = map[int64][]int64{}
	}
	w.ask[person] = append(w.ask[person], c.ID)
	return nil
}

// sendAsks writes one question and one mail for each user that is asked, about all of his cases.
func (w *caseWorker) sendAsks() error {
	for _, person := range slices.Sorted(maps.Keys(w.ask)) {
		p, err := snapshot.Person(w.tx, person)
		if err != nil {
			return err
		}
		q := worklistdb.Question{
			Person:   person,
			Address:  p.Email,
			AskedAt:  w.now,
			AskedBy:  w.who,
			AnswerBy: w.a.Snapshots.Today() + civil.Day(w.rules.AnswerDays),
		}
		if q.ID, err = worklistdb.AddQuestion(w.tx, q, w.ask[person]); err != nil {
			return err
		}
		key, err := w.a.answerKey(q.ID)
		if err != nil {
			return err
		}
		if err := worklistdb.SetQuestionHash(w.tx, q.ID, hashOf(key)); err != nil {
			return err
		}
		w.leaves = w.now + int64(w.rules.HoldMinutes)*60
		if err := w.a.mailQuestion(w.tx, &q, p.Name, w.leaves, w.deed.Note, false); err != nil {
			return err
		}
	}
	return nil
}

// mailQuestion lets the mail of a question wait.
func (svc *Service) mailQuestion(
	tx *sqlite.Tx,
	q *worklistdb.Question,
	name string,
	after int64,
	note string,
	again bool,
) error {
	lines, err := svc.askingLines(tx, q.ID)
	if err != nil {
		return err
	}
	var b strings.Builder
	fmt.Fprintf(&b, "Dear %s,\n\n", name)
	if again {
		b.WriteString("we have not heard from you. ")
	}
	b.WriteString("Do you still need this software?\n\n")
	for _, l := range lines {
		if l.Answer == "" {
			fmt.Fprintf(&b, "  %s on %s: %s\n", l.Product, l.Device, l.Why)
		}
	}
	fmt.Fprintf(
		&b,
		"\nOne click is enough, and you need not sign in:\n%s\n\nPlease answer by %s. Without an answer we decide "+
			"without you.\n",
		answerLink,
		q.AnswerBy,
	)
	if note != "" {
		fmt.Fprintf(&b, "\n%s\n", note)
	}
	fmt.Fprintf(&b, "\n%s, software asset management\n", q.AskedBy)
	subject := "Do you still need it?"
	if again {
		subject = "Again: do you still need it?"
	}
	return outbox.QueueMail(
		tx,
		outbox.Mail{
			Address:  q.Address,
			Subject:  subject,
			Body:     b.String(),
			QueuedAt: svc.Clock.Now().Unix(),
			After:    after,
			Question: q.ID,
		},
	)
}

// WithLink puts the address of its page into the mail of a question that leaves now: under the address of the house,
// whatever the program was called by whoever asked.
func (svc *Service) WithLink(_ context.Context, m *outbox.Mail) (string, error) {
	if m.Question == 0 {
		return m.Body, nil
	}
	key, err := svc.answerKey(m.Question)
	if err != nil {
		return "", err
	}
	return strings.ReplaceAll(m.Body, answerLink, svc.Address+"/answer/"+key), nil
}

// callBack takes a question about a case back whose mail has not left.
func (w *caseWorker) callBack(c *casework.Case) error {
	id, err := worklistdb.QuestionOf(w.tx, c.ID)
	if err != nil || id == 0 {
		return errors.Join(err, refuse.New("the question is not there any more"))
	}
	list, err := worklistdb.Askings(w.tx, id)
	if err != nil {
		return err
	}
	q, err := worklistdb.QuestionByID(w.tx, id)
	if err != nil {
		return err
	}
	left, err := outbox.MailLeft(w.tx, id)
	if err != nil {
		return err
	}
	if left > 0 {
		return refuse.Errorf("the mail has left the house: open the case again instead, and tell the user")
	}
	if err := outbox.CallBackMail(w.tx, id); err != nil {
		return err
	}
	c.AnswerBy = 0
	if err := worklistdb.DropAsking(w.tx, id, c.ID); err != nil {
		return err
	}
	if len(list) == 1 {
		return nil
	}
	p, err := snapshot.Person(w.tx, q.Person)
	if err != nil {
		return err
	}
	return w.a.mailQuestion(w.tx, &q, p.Name, q.AskedAt+int64(w.rules.HoldMinutes)*60, "", false)
}

// endAsking ends what a user is still asked about a case. Mail that would ask about nothing any more is called back.
func (svc *Service) endAsking(tx *sqlite.Tx, id int64) error {
	question, err := worklistdb.QuestionOf(tx, id)
	if err != nil || question == 0 {
		return err
	}
	list, err := worklistdb.Askings(tx, question)
	if err != nil {
		return err
	}
	open := 0
	for _, x := range list {
		if x.Case == id && x.AnsweredAt == 0 {
			if err := worklistdb.PutAnswer(tx, question,
				worklistdb.Asking{
					Case:       id,
					Answer:     "no longer asked",
					AnsweredAt: svc.Clock.Now().Unix(),
				}); err != nil {
				return err
			}
			continue
		}
		if x.AnsweredAt == 0 {
			open++
		}
	}
	if open > 0 {
		return nil
	}
	q, err := worklistdb.QuestionByID(tx, question)
	if err != nil {
		return err
	}
	q.EndedAt = svc.Clock.Now().Unix()
	if err := outbox.CallBackMail(tx, question); err != nil {
		return err
	}
	return worklistdb.PutQuestion(tx, q)
}

// followQuestions reminds users who have not answered, and after that lets the cases wait for a decision here.
func (svc *Service) followQuestions(ctx context.Context) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.OpenQuestions(tx)
		if err != nil {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		for i := range list {
			q := &list[i]
			if q.AnswerBy >= svc.Snapshots.Today() {
				continue
			}
			askings, err := worklistdb.Askings(tx, q.ID)
			if err != nil {
				return err
			}
			p, err := snapshot.Person(tx, q.Person)
			if err != nil {
				return err
			}
			if q.Reminders < int64(rules.Reminders) {
				q.Reminders++
				q.AnswerBy = svc.Snapshots.Today() + civil.Day(rules.AnswerDays)
				if err := svc.mailQuestion(tx, q, p.Name, now, "", true); err != nil {
					return err
				}
			} else {
				q.EndedAt = now
			}
			for _, x := range askings {
				if x.AnsweredAt != 0 {
					continue
				}
				c, err := worklistdb.CaseByID(tx, x.Case)
				if err != nil {
					return err
				}
				if c.State != casework.Asked {
					continue
				}
				deed := casework.Deed{Act: casework.TimeOver, Who: "time", At: now, Until: q.AnswerBy}
				deed.Note = fmt.Sprintf("%s was reminded, and may answer by %s.", p.Name, q.AnswerBy)
				if q.EndedAt != 0 {
					deed.Until = 0
					deed.Note = p.Name + " has not answered in time: somebody here decides."
				}
				if err := worklistdb.Move(tx, &c, c.By(deed)); err != nil {
					return err
				}
			}
			if err := worklistdb.PutQuestion(tx, *q); err != nil {
				return err
			}
		}
		return nil
	})
}
