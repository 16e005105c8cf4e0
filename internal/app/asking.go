package app

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
	"ensomet/internal/store"
)

// answerLink stands in the mail where the address of the page belongs; only the mail that leaves has it.
const answerLink = "[the page for your answer]"

// answerKey is what opens the page of a question: 256 bits that follow from the house's own secret, so that nothing in the data file opens it.
func (a *App) answerKey(question int64) (string, error) {
	secret, err := a.Secret.ReadOrMake()
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
func (w *caseWorker) addAsk(c *store.Case) error {
	person, address, name, err := w.tx.UserOfDevice(c.Device)
	if err != nil {
		return err
	}
	switch {
	case name == "":
		return refuseCase("nobody is known as the user of the device")
	case address == "":
		return refuseCase("%s has no mail address: import it with the users", name)
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
		p, err := w.tx.Person(person)
		if err != nil {
			return err
		}
		q := store.Question{Person: person, Address: p.Email, Base: w.deed.Base, AskedAt: w.now, AskedBy: w.who, AnswerBy: w.a.Today() + civil.Day(w.rules.AnswerDays)}
		if q.ID, err = w.tx.AddQuestion(q, w.ask[person]); err != nil {
			return err
		}
		key, err := w.a.answerKey(q.ID)
		if err != nil {
			return err
		}
		if err := w.tx.SetQuestionHash(q.ID, hashOf(key)); err != nil {
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
func (a *App) mailQuestion(tx *store.Tx, q *store.Question, name string, after int64, note string, again bool) error {
	lines, err := a.askingLines(tx, q.ID)
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
	fmt.Fprintf(&b, "\nOne click is enough, and you need not sign in:\n%s\n\nPlease answer by %s. Without an answer we decide without you.\n", answerLink, q.AnswerBy)
	if note != "" {
		fmt.Fprintf(&b, "\n%s\n", note)
	}
	fmt.Fprintf(&b, "\n%s, software asset management\n", q.AskedBy)
	subject := "Do you still need it?"
	if again {
		subject = "Again: do you still need it?"
	}
	return tx.QueueMail(store.Mail{Address: q.Address, Subject: subject, Body: b.String(), QueuedAt: a.Clock.Now().Unix(), After: after, Question: q.ID})
}

// withLink puts the address of its page into the mail of a question that leaves now.
func (a *App) withLink(ctx context.Context, m *store.Mail) (string, error) {
	if m.Question == 0 {
		return m.Body, nil
	}
	key, err := a.answerKey(m.Question)
	if err != nil {
		return "", err
	}
	base := ""
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		q, err := tx.Question(m.Question)
		base = q.Base
		return err
	})
	return strings.ReplaceAll(m.Body, answerLink, base+"/answer/"+key), err
}

// callBack takes a question about a case back whose mail has not left.
func (w *caseWorker) callBack(c *store.Case) error {
	id, err := w.tx.QuestionOf(c.ID)
	if err != nil || id == 0 {
		return errors.Join(err, errors.New("the question is not there any more"))
	}
	list, err := w.tx.Askings(id)
	if err != nil {
		return err
	}
	q, err := w.tx.Question(id)
	if err != nil {
		return err
	}
	left, err := w.tx.MailLeft(id)
	if err != nil {
		return err
	}
	if left > 0 {
		return refuseCase("the mail has left the house: open the case again instead, and tell the user")
	}
	if err := w.tx.CallBackMail(id); err != nil {
		return err
	}
	c.AnswerBy = 0
	if err := w.tx.DropAsking(id, c.ID); err != nil {
		return err
	}
	if len(list) == 1 {
		return nil
	}
	p, err := w.tx.Person(q.Person)
	if err != nil {
		return err
	}
	return w.a.mailQuestion(w.tx, &q, p.Name, q.AskedAt+int64(w.rules.HoldMinutes)*60, "", false)
}

// endAsking ends what a user is still asked about a case. Mail that would ask about nothing any more is called back.
func (a *App) endAsking(tx *store.Tx, id int64) error {
	question, err := tx.QuestionOf(id)
	if err != nil || question == 0 {
		return err
	}
	list, err := tx.Askings(question)
	if err != nil {
		return err
	}
	open := 0
	for _, x := range list {
		if x.Case == id && x.AnsweredAt == 0 {
			if err := tx.PutAnswer(question, store.Asking{Case: id, Answer: "no longer asked", AnsweredAt: a.Clock.Now().Unix()}); err != nil {
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
	q, err := tx.Question(question)
	if err != nil {
		return err
	}
	q.EndedAt = a.Clock.Now().Unix()
	if err := tx.CallBackMail(question); err != nil {
		return err
	}
	return tx.PutQuestion(q)
}

// followQuestions reminds users who have not answered, and after that lets the cases wait for a decision here.
func (a *App) followQuestions(ctx context.Context) error {
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		list, err := tx.OpenQuestions()
		if err != nil {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		now := a.Clock.Now().Unix()
		for i := range list {
			q := &list[i]
			if q.AnswerBy >= a.Today() {
				continue
			}
			askings, err := tx.Askings(q.ID)
			if err != nil {
				return err
			}
			p, err := tx.Person(q.Person)
			if err != nil {
				return err
			}
			if q.Reminders < int64(rules.Reminders) {
				q.Reminders++
				q.AnswerBy = a.Today() + civil.Day(rules.AnswerDays)
				if err := a.mailQuestion(tx, q, p.Name, now, "", true); err != nil {
					return err
				}
			} else {
				q.EndedAt = now
			}
			for _, x := range askings {
				if x.AnsweredAt != 0 {
					continue
				}
				c, err := tx.Case(x.Case)
				if err != nil {
					return err
				}
				if c.State != casework.Asked {
					continue
				}
				from := c.State
				note := fmt.Sprintf("%s was reminded, and may answer by %s.", p.Name, q.AnswerBy)
				if c.AnswerBy = q.AnswerBy; q.EndedAt != 0 {
					c.State, c.AnswerBy = casework.Silent, 0
					note = p.Name + " has not answered in time: somebody here decides."
				}
				c.ChangedAt = now
				if _, err := tx.PutCase(c); err != nil {
					return err
				}
				if err := tx.AddStep(c.ID, store.CaseStep{At: now, Who: "time", From: string(from), To: string(c.State), Note: note, Act: string(casework.TimeOver)}); err != nil {
					return err
				}
			}
			if err := tx.PutQuestion(*q); err != nil {
				return err
			}
		}
		return nil
	})
}
