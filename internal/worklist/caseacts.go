package worklist

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/money"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// CaseRules is what a house asks of its own people about cases.
type CaseRules struct {
	TwoPersons  bool // what is sent must be approved by somebody else than who agreed
	AnswerDays  int  // how long a user may take to answer
	Reminders   int  // how often a user is reminded, each time with as many days
	HoldMinutes int  // how long mail and orders wait before they leave the house, so that they can be called back
	SilentDays  int  // how long the deployment tool may say nothing before an order counts as failed
	// what a purchase may cost without the approval of somebody else than who wants it, in the currency of the house;
	// empty is nothing
	ApproveAbove string
	Revision     int64 // that was seen; a save on an older one is refused

	House string // its currency; it is read alone
}

func loadCaseRules(tx *sqlite.Tx) (CaseRules, error) {
	r := CaseRules{AnswerDays: 7, Reminders: 1, HoldMinutes: 10, SilentDays: 14}
	two, err := tx.Setting("two_persons")
	if err != nil {
		return r, err
	}
	r.TwoPersons = two == "1"
	for key, into := range map[string]*int{"answer_days": &r.AnswerDays, "reminders": &r.Reminders,
		"hold_minutes": &r.HoldMinutes, "silent_days": &r.SilentDays} {
		v, err := tx.Setting(key)
		if err != nil {
			return r, err
		}
		if v != "" {
			if *into, err = strconv.Atoi(v); err != nil {
				return r, err
			}
		}
	}
	if r.ApproveAbove, err = tx.Setting("approve_above"); err != nil {
		return r, err
	}
	if r.House, err = tx.Setting(snapshot.HouseCurrency); err != nil {
		return r, err
	}
	r.House = cmp.Or(r.House, money.Base)
	r.Revision, err = edits.Revision(tx, edits.Thing{Kind: edits.CaseRules})
	return r, err
}

func (r CaseRules) core() casework.Rules {
	above, err := amountKept(r.ApproveAbove)
	if err != nil { // it was checked when it was set
		above = decimal.Zero
	}
	return casework.Rules{TwoPersons: r.TwoPersons, ApproveAbove: above, House: r.House}
}

// CaseRules reads what the house asks.
func (svc *Service) CaseRules(ctx context.Context) (r CaseRules, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		r, err = loadCaseRules(tx)
		return err
	})
	return r, err
}

// words says the rules as the log of changes keeps them.
func (r *CaseRules) words() string {
	persons := "one person decides"
	if r.TwoPersons {
		persons = "a second person approves"
	}
	return fmt.Sprintf("%s; a user has %d days to answer and is reminded %d times; what is sent is held for %d "+
		"minutes; "+
		"an order counts as failed after %d days of silence; a purchase above %s %s is approved by somebody else",
		persons, r.AnswerDays, r.Reminders, r.HoldMinutes, r.SilentDays, cmp.Or(r.ApproveAbove, "0"), r.House)
}

// SetCaseRules writes what the house asks.
func (svc *Service) SetCaseRules(ctx context.Context, r CaseRules, who string) error {
	r.ApproveAbove = strings.TrimSpace(r.ApproveAbove)
	if _, err := amountKept(r.ApproveAbove); err != nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		was, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		r.House = was.House
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.CaseRules},
			Seen:  r.Revision,
			Who:   who,
			At:    svc.Clock.Now(),
			Was:   was,
			Is:    r,
		}); err != nil {
			return err
		}
		two := "0"
		if r.TwoPersons {
			two = "1"
		}
		err = errors.Join(tx.SetSetting("two_persons", two), tx.SetSetting("approve_above", r.ApproveAbove))
		for key, n := range map[string]int{"answer_days": r.AnswerDays, "reminders": r.Reminders,
			"hold_minutes": r.HoldMinutes, "silent_days": r.SilentDays} {
			err = errors.Join(err, tx.SetSetting(key, strconv.Itoa(n)))
		}
		if err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "set the rules of the worklist", r.words(), "")
	})
}

// CaseAction is something to be done with cases.
type CaseAction struct {
	IDs    []int64
	Act    casework.Act // ask, agree, approve, send, order, keep, drop, reopen, undo
	Note   string
	Until  string        // for keep: the last day of the exception; for order: when it is expected
	Owner  string        // for keep: who answers for the exception; empty is who keeps it
	Number string        // for order: under which it was ordered
	Wave   *WaveSettings // for send: a few at a time
	until  civil.Day
}

// CaseDone says how many cases were done, and why others were not.
type CaseDone struct {
	Count   int
	Refused []string // why others were not, each reason once
	Leaves  int64    // when what was done leaves the house; 0 where nothing does
}

// CaseAct does something with cases. Those that cannot take the act are told with the reason; the others are done, in
// one transaction.
func (svc *Service) CaseAct(ctx context.Context, deed CaseAction, who string) (CaseDone, error) {
	out := CaseDone{Refused: []string{}}
	var err error
	if deed.until, err = civil.Parse(deed.Until); err != nil {
		return out, err
	}
	if deed.Act == casework.Keep &&
		(deed.Note == "" || !deed.until.Known() || deed.until <= svc.Snapshots.Today()) {
		return out, refuse.New(
			"to leave it in place, give a reason and a day in the future on which the exception ends",
		)
	}
	if deed.Act == casework.Send && svc.Deploy == nil {
		return out, refuse.New("no deployment tool is connected: do it by hand; the next scan will close the case")
	}
	if deed.Act == casework.Ask && !svc.Outbox.Connected() {
		return out, refuse.New("no mail box is connected: ask by hand, then decide here")
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if deed.Act == casework.Keep {
			if err := known(tx, deed.Owner); err != nil {
				return err
			}
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		cases, err := worklistdb.CasesOf(tx, stored.Distinct(slices.Clone(deed.IDs)))
		if err != nil {
			return err
		}
		w := &caseWorker{a: svc, tx: tx, rules: rules, deed: deed, who: who, now: svc.Clock.Now().Unix()}
		refused := map[string]int{}
		for i := range cases {
			switch err := w.do(&cases[i]); {
			case refuse.Is(err):
				refused[err.Error()]++
			case err != nil:
				return err
			default:
				out.Count++
			}
		}
		for _, why := range slices.Sorted(maps.Keys(refused)) {
			if n := refused[why]; n > 1 || len(cases) > 1 {
				why = fmt.Sprintf("%d not done: %s", n, why)
			}
			out.Refused = append(out.Refused, why)
		}
		if err := w.finish(); err != nil {
			return err
		}
		out.Leaves = w.leaves
		if out.Count == 0 {
			return nil
		}
		if err := worklistdb.CountCases(tx); err != nil {
			return err
		}
		return tx.Note(
			time.Unix(w.now, 0),
			who,
			string(deed.Act),
			fmt.Sprintf("%d cases, the first %d", out.Count, cases[0].ID),
			deed.Note,
		)
	})
	if err == nil && out.Count == 0 && len(out.Refused) > 0 {
		err = refuse.New(out.Refused[0])
	}
	if err == nil && out.Count == 0 {
		err = sqlite.ErrNotFound
	}
	return out, err
}

// caseWorker does one deed with cases, one after the other.
type caseWorker struct {
	a      *Service
	tx     *sqlite.Tx
	rules  CaseRules
	deed   CaseAction
	who    string
	now    int64
	wave   int64
	leaves int64
	// on whose behalf it is done; nil is a person's own
	standing *worklistdb.Standing
	ask      map[int64][]int64 // by person, the cases that he is asked about
}

func (w *caseWorker) do(c *casework.Case) error {
	if w.deed.Act == casework.Undo {
		return w.undo(c)
	}
	deed := casework.Deed{
		Act:   w.deed.Act,
		Who:   w.who,
		At:    w.now,
		Note:  w.deed.Note,
		Rules: w.rules.core(),
		Until: w.deed.until,
		Owner: w.deed.Owner,

		Number: w.deed.Number,
	}
	if deed.Act == casework.Ask {
		deed.Until = w.a.Snapshots.Today() + civil.Day(w.rules.AnswerDays)
	}
	step, err := c.Do(deed)
	if err != nil {
		return err
	}
	switch deed.Act {
	case casework.Ask:
		if err := w.addAsk(c); err != nil {
			return err
		}
	case casework.Send:
		if err := w.order(c); err != nil {
			return err
		}
		step.Note = cmp.Or(
			step.Note,
			"It leaves the house at "+moment(w.leaves)+"; until then it can be called back.",
		)
	}
	if deed.Act == casework.Agree && c.Kind == casework.Leaver {
		if step.Note, err = w.takeSeats(c, step.Note); err != nil {
			return err
		}
	}
	if deed.Act != casework.Ask { // whoever decides need not wait for an answer any more
		if err := w.a.endAsking(w.tx, c.ID); err != nil {
			return err
		}
	}
	if err := worklistdb.Move(w.tx, c, step); err != nil {
		return err
	}
	return w.requested(c, step)
}

// takeSeats hands the seats of who left back, and gives them to whoever waits. It says so after a note.
func (w *caseWorker) takeSeats(c *casework.Case, note string) (string, error) {
	seats, err := worklistdb.SeatsOf(w.tx, c.Person, c.Product, w.a.Snapshots.Today())
	if err != nil || len(seats) == 0 {
		return note, err
	}
	gotOne, err := w.a.Entitlements.FreeSeats(w.tx, c.Product, seats, w.who)
	if err != nil {
		return note, err
	}
	text := fmt.Sprintf("Seats that went back: %d.", len(seats))
	for _, name := range gotOne {
		text += fmt.Sprintf(" One went to %s, who waited for it.", name)
	}
	return strings.TrimSpace(note + " " + text), renewal.MarkProducts(w.tx, c.Product)
}

// undo goes back to where the last step of somebody here came from, as long as nothing of it has left the house.
func (w *caseWorker) undo(c *casework.Case) error {
	steps, err := worklistdb.Steps(w.tx, c.ID)
	if err != nil {
		return err
	}
	undone, back, err := c.Undo(steps, casework.Deed{Act: casework.Undo, Who: w.who, At: w.now, Note: w.deed.Note})
	if err != nil {
		return err
	}
	switch undone.Act {
	case casework.Agree:
		if c.Kind == casework.Leaver {
			return refuse.New("the seat went back already: assign it again where that was wrong")
		}
	case casework.Ask:
		if err := w.callBack(c); err != nil {
			return err
		}
	case casework.Send:
		order, err := worklistdb.DeploymentOf(w.tx, c.ID)
		if err != nil {
			return err
		}
		if order.State == "waiting" && order.Tries > 0 {
			return refuse.Errorf("the order was tried already and may be with the deployment tool: call its wave " +
				"off, " +
				"or let the next scan decide")
		}
		if order.State != "waiting" {
			return refuse.Errorf("the order left the house at %s: the next scan decides", moment(order.SentAt))
		}
		order.State = "withdrawn"
		if err := worklistdb.PutDeployment(w.tx, order); err != nil {
			return err
		}
	}
	if err := worklistdb.UndoStep(w.tx, undone.ID); err != nil {
		return err
	}
	if err := worklistdb.Move(w.tx, c, back); err != nil {
		return err
	}
	return w.requested(c, back)
}

// finish does what is done once for all cases of a deed.
func (w *caseWorker) finish() error { return w.sendAsks() }

func moment(unix int64) string { return time.Unix(unix, 0).UTC().Format("2006-01-02 15:04") + " UTC" }
