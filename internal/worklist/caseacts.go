package worklist

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// CaseRules is what a house asks of its own people about cases.
type CaseRules struct {
	TwoPersons  bool `json:"twoPersons" doc:"what is sent must be approved by somebody else than who agreed"`
	AnswerDays  int  `json:"answerDays" minimum:"1" maximum:"60" doc:"how long a user may take to answer"`
	Reminders   int  `json:"reminders" minimum:"0" maximum:"5" doc:"how often a user is reminded, each time with as many days"`
	HoldMinutes int  `json:"holdMinutes" minimum:"0" maximum:"1440" doc:"how long mail and orders wait before they leave the house, so that they can be called back"`
	SilentDays  int  `json:"silentDays" minimum:"1" maximum:"60" doc:"how long the deployment tool may say nothing before an order counts as failed"`
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
	return r, nil
}

func (r CaseRules) core() casework.Rules { return casework.Rules{TwoPersons: r.TwoPersons} }

// CaseRules reads what the house asks.
func (svc *Service) CaseRules(ctx context.Context) (r CaseRules, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		r, err = loadCaseRules(tx)
		return err
	})
	return r, err
}

// SetCaseRules writes what the house asks.
func (svc *Service) SetCaseRules(ctx context.Context, r CaseRules, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		two := "0"
		if r.TwoPersons {
			two = "1"
		}
		err := tx.SetSetting("two_persons", two)
		for key, n := range map[string]int{"answer_days": r.AnswerDays, "reminders": r.Reminders,
			"hold_minutes": r.HoldMinutes, "silent_days": r.SilentDays} {
			err = errors.Join(err, tx.SetSetting(key, strconv.Itoa(n)))
		}
		if err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "set the rules of the worklist", fmt.Sprintf("%+v", r), "")
	})
}

// CaseAction is something to be done with cases.
type CaseAction struct {
	IDs   []int64       `json:"ids" minItems:"1" maxItems:"5000"`
	Act   casework.Act  `json:"act" enum:"ask,agree,approve,send,keep,reopen,undo"`
	Note  string        `json:"note,omitempty"`
	Until string        `json:"until,omitempty" doc:"for keep: the last day of the exception"`
	Owner string        `json:"owner,omitempty" doc:"for keep: who answers for the exception; empty is who keeps it"`
	Wave  *WaveSettings `json:"wave,omitempty" doc:"for send: a few at a time"`
	Base  string        `json:"-"` // where the program is reached, for the mail
	until civil.Day
}

// CaseDone says how many cases were done, and why others were not.
type CaseDone struct {
	Count   int      `json:"count"`
	Refused []string `json:"refused" doc:"why others were not, each reason once"`
	Leaves  int64    `json:"leaves" doc:"when what was done leaves the house; 0 where nothing does"`
}

// CaseAct does something with cases. Those that cannot take the act are told with the reason; the others are done, in
// one transaction.
func (svc *Service) CaseAct(ctx context.Context, deed CaseAction, who string) (CaseDone, error) {
	out := CaseDone{Refused: []string{}}
	var err error
	if deed.until, err = civil.Parse(deed.Until); err != nil {
		return out, err
	}
	if deed.Act == casework.Keep && (deed.Note == "" || !deed.until.Known() || deed.until <= svc.Snapshots.Today()) {
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
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		cases, err := worklistdb.CasesOf(tx, snapshot.Distinct(slices.Clone(deed.IDs)))
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
	ask    map[int64][]int64 // by person, the cases that he is asked about
}

func (w *caseWorker) do(c *worklistdb.Case) error {
	if w.deed.Act == casework.Undo {
		return w.undo(c)
	}
	from := c.State
	to, err := casework.Do(c.Kind, from, w.deed.Act, w.rules.core())
	if err != nil {
		return err
	}
	note := w.deed.Note
	switch w.deed.Act {
	case casework.Agree:
		c.AgreedBy = w.who
	case casework.Approve:
		if c.AgreedBy == w.who {
			return refuse.Errorf("%s agreed to it: somebody else approves", w.who)
		}
	case casework.Keep:
		c.KeepUntil, c.Owner = w.deed.until, cmp.Or(w.deed.Owner, w.who)
		note = fmt.Sprintf("%s (until %s, %s answers for it)", w.deed.Note, w.deed.until, c.Owner)
	case casework.Ask:
		if err := w.addAsk(c); err != nil {
			return err
		}
		c.Answer = ""
		c.AnswerBy = w.a.Snapshots.Today() + civil.Day(w.rules.AnswerDays)
	case casework.Send:
		if err := w.order(c); err != nil {
			return err
		}
		note = cmp.Or(note, "It leaves the house at "+moment(w.leaves)+"; until then it can be called back.")
	}
	if w.deed.Act != casework.Ask { // whoever decides need not wait for an answer any more
		if err := w.a.endAsking(w.tx, c.ID); err != nil {
			return err
		}
	}
	return w.move(c, from, to, note)
}

func (w *caseWorker) move(c *worklistdb.Case, from, to casework.State, note string) error {
	c.State, c.ChangedAt = to, w.now
	if _, err := worklistdb.PutCase(w.tx, *c); err != nil {
		return err
	}
	return worklistdb.AddStep(
		w.tx,
		c.ID,
		worklistdb.CaseStep{
			At:   w.now,
			Who:  w.who,
			From: string(from),
			To:   string(to),
			Note: note,
			Act:  string(w.deed.Act),
		},
	)
}

// undo goes back to where the last step of somebody here came from, as long as nothing of it has left the house.
func (w *caseWorker) undo(c *worklistdb.Case) error {
	steps, err := worklistdb.Steps(w.tx, c.ID)
	if err != nil {
		return err
	}
	i := len(steps) - 1
	for i >= 0 && (steps[i].Undone || steps[i].Act == string(casework.Undo)) {
		i--
	}
	if i < 0 || steps[i].Act == "" {
		return refuse.Errorf("there is nothing of yours to take back: evidence made the last step")
	}
	s := &steps[i]
	if casework.State(s.To) != c.State {
		return refuse.Errorf("the case has moved on since")
	}
	switch casework.Act(s.Act) {
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
	case casework.SaysNo, casework.SaysYes, casework.TimeOver, casework.Leaves, casework.Fails, casework.Halts:
		return refuse.Errorf("what others did cannot be taken back here: decide anew instead")
	case casework.Agree:
		c.AgreedBy = ""
	case casework.Keep:
		c.KeepUntil, c.Owner = 0, ""
	}
	if err := worklistdb.UndoStep(w.tx, s.ID); err != nil {
		return err
	}
	back := casework.State(s.From)
	if back == casework.Asked { // the question ended with the decision
		back = casework.Open
	}
	return w.move(c, c.State, back, cmp.Or(w.deed.Note, fmt.Sprintf("“%s” by %s is taken back.", s.Act, s.Who)))
}

// finish does what is done once for all cases of a deed.
func (w *caseWorker) finish() error { return w.sendAsks() }

func moment(unix int64) string { return time.Unix(unix, 0).UTC().Format("2006-01-02 15:04") + " UTC" }
