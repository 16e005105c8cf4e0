package worklist

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/refuse"
	"ensomet/internal/outbox"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// AskingLine is one thing that a user is asked about, as his page shows it. It says nothing of anybody else.
type AskingLine struct {
	Case    int64
	Product string
	Device  string
	Why     string
	Answer  string
	Closed  bool // decided meanwhile: an answer changes nothing any more
}

func (svc *Service) askingLines(tx *sqlite.Tx, question int64) ([]AskingLine, error) {
	list, err := worklistdb.Askings(tx, question)
	if err != nil {
		return nil, err
	}
	var out []AskingLine
	for _, x := range list {
		c, err := worklistdb.CaseByID(tx, x.Case)
		if err != nil {
			return nil, err
		}
		device, product, err := worklistdb.NamesInLetters(tx, c.Device, c.Product)
		if err != nil {
			return nil, err
		}
		closed, err := closedTo(tx, question, &c, x.AnsweredAt != 0)
		if err != nil {
			return nil, err
		}
		why := map[casework.Kind]string{casework.IdleLicence: "it seems not to be used",
			casework.RestrictedTitle: "our rules do not allow it there",
			casework.ForbiddenHours:  "it runs at times at which our rules do not allow it",
			casework.EndOfLife:       "its support ends"}[c.Kind]
		out = append(
			out,
			AskingLine{
				c.ID,
				product,
				device,
				why,
				x.Answer,
				closed,
			},
		)
	}
	return out, nil
}

// closedTo reports whether an answer to a question changes nothing about a case any more: somebody decided, or asks
// anew by a newer letter.
func closedTo(tx *sqlite.Tx, question int64, c *casework.Case, answered bool) (bool, error) {
	newest, err := worklistdb.NewestQuestion(tx, c.ID)
	if err != nil || newest != question {
		return true, err
	}
	q, err := worklistdb.QuestionByID(tx, question)
	if err != nil {
		return true, err
	}
	p, err := snapshot.Person(tx, q.Person)
	return !c.MayAnswer(p.Name, answered), err
}

// AnswerPage is what the page of a question shows.
type AnswerPage struct {
	Until string
	Over  bool // the time is over
	Lines []AskingLine
}

// ErrNoQuestion says that a key opens nothing: it is wrong, or the question is long over. Both look the same from
// outside.
var ErrNoQuestion = refuse.New("this address opens nothing, or no longer")

// answerGrace is how many days after its last day a question can still be opened.
const answerGrace = 30

func (svc *Service) questionOf(tx *sqlite.Tx, key string) (worklistdb.Question, error) {
	q, err := worklistdb.QuestionByHash(tx, hashOf(key))
	if errors.Is(err, sqlite.ErrNotFound) || err == nil && q.AnswerBy+answerGrace < svc.Snapshots.Today() {
		err = ErrNoQuestion
	}
	return q, err
}

// AnswerPage opens the page of a question with its key.
func (svc *Service) AnswerPage(ctx context.Context, key string) (AnswerPage, error) {
	var out AnswerPage
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		q, err := svc.questionOf(tx, key)
		if err != nil {
			return err
		}
		out.Until, out.Over = q.AnswerBy.String(), q.AnswerBy < svc.Snapshots.Today()
		out.Lines, err = svc.askingLines(tx, q.ID)
		return err
	})
	return out, err
}

// Answer takes a user's answer about one case, or about all where id is 0. An answer can be changed as long as nobody
// has decided on it; after that it changes nothing.
func (svc *Service) Answer(ctx context.Context, key string, id int64, needed bool, note string) error {
	if len(note) > 500 {
		note = note[:500]
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		q, err := svc.questionOf(tx, key)
		if err != nil {
			return err
		}
		list, err := worklistdb.Askings(tx, q.ID)
		if err != nil {
			return err
		}
		p, err := snapshot.Person(tx, q.Person)
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		act, word := casework.SaysNo, "not needed"
		if needed {
			act, word = casework.SaysYes, "needed"
		}
		open := 0
		for _, x := range list {
			if id != 0 && x.Case != id || id == 0 && x.AnsweredAt != 0 {
				if x.AnsweredAt == 0 {
					open++
				}
				continue
			}
			c, err := worklistdb.CaseByID(tx, x.Case)
			if err != nil {
				return err
			}
			if closed, err := closedTo(tx, q.ID, &c, x.AnsweredAt != 0); err != nil {
				return err
			} else if closed {
				continue
			}
			if x.Answer == word && x.Note == note {
				continue // pressed twice
			}
			says := fmt.Sprintf("%s says that it is %s.", p.Name, word)
			if note != "" {
				says += " “" + note + "”"
			}
			step, err := c.Do(
				casework.Deed{Act: act, Who: p.Name, At: now, Note: says, Answer: strings.TrimSpace(word + " " + note)})
			if err != nil {
				return err
			}
			if err := worklistdb.PutAnswer(tx, q.ID,
				worklistdb.Asking{Case: c.ID, Answer: word, Note: note, AnsweredAt: now}); err != nil {
				return err
			}
			if err := worklistdb.Move(tx, &c, step); err != nil {
				return err
			}
		}
		if open == 0 && q.EndedAt == 0 {
			q.EndedAt = now
			if err := outbox.CallBackMail(tx, q.ID); err != nil { // a reminder that waits is not wanted any more
				return err
			}
			if err := worklistdb.PutQuestion(tx, q); err != nil {
				return err
			}
		}
		return worklistdb.CountCases(tx)
	})
}
