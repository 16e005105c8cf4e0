package worklist

import (
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/casework"
	"ensomet/internal/lists"
	"ensomet/internal/outbox"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// CaseView is a case with its proof and its steps.
type CaseView struct {
	lists.CaseRow
	DeviceCode string
	Proof      []string
	Steps      []StepView
	KeepUntil  string
	LastSeen   int64
	AgreedBy   string
	Can        []string // what people may do with it now
	Undo       string   // the last deed that can still be taken back, empty where there is none
	Leaves     int64    // when its mail or order leaves the house, 0 where nothing waits
	Order      string   // how its newest order stands: waiting, sent, done, failed, withdrawn
	WaveID     int64
	Words      string // what it is about, in words
	Request    *RequestView
	Requests   []RequestLine // of a shortfall: what was asked for to end it
}

// RequestLine is what was asked for, in a line.
type RequestLine struct {
	Case  int64
	What  string
	State string // in words
}

// StepView is a step of a case.
type StepView struct {
	At   int64
	Who  string
	From string
	To   string
	Note string
	Act  string

	Undone bool
}

// Case returns a case.
func (svc *Service) Case(ctx context.Context, id int64) (CaseView, error) {
	out := CaseView{Proof: []string{}, Steps: []StepView{}, Can: []string{}, Requests: []RequestLine{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		c, err := worklistdb.CaseByID(tx, id)
		if err != nil {
			return err
		}
		page, err := lists.CaseList().Page(tx,
			sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(page.Rows) == 0 {
			return sqlite.ErrNotFound
		}
		out.CaseRow, out.KeepUntil = page.Rows[0], c.KeepUntil.String()
		out.Proof = append(out.Proof, c.Proof...)
		steps, err := worklistdb.Steps(tx, id)
		for _, s := range steps {
			out.Steps = append(out.Steps,
				StepView{s.At, s.Who, string(s.From), string(s.To), s.Note, string(s.Act), s.Undone})
		}
		if err != nil {
			return err
		}
		d, err := lists.DeviceList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(c.Device)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(d.Rows) > 0 {
			out.DeviceCode, out.LastSeen = d.Rows[0].Code, d.Rows[0].LastSeen
		}
		out.AgreedBy, out.Words = c.AgreedBy, caseWords(&out.CaseRow)
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		if out.Request, err = svc.requestOf(tx, &c, rules.core()); err != nil {
			return err
		}
		if c.Kind == casework.Uncovered {
			if err := out.asked(tx, c.Product); err != nil {
				return err
			}
		}
		return out.outlook(tx, &c, rules)
	})
	return out, err
}

// caseWords says in words what a case is about.
func caseWords(c *lists.CaseRow) string {
	return map[casework.Kind]string{
		casework.RestrictedTitle: "Restricted software", casework.ForbiddenHours: "Used in restricted hours",
		casework.Missing: "Required and missing", casework.IdleLicence: "Idle licence",
		casework.IdlePool: "Pool with idle licences", casework.DeniedPool: "Pool that denies",
		casework.Leaver:      "Seat of a leaver",
		casework.OverusedKey: "Licence key used too often", casework.UnboughtKey: "Licence keys that nobody booked",
		casework.Uncovered: "Not covered", casework.EndOfLife: "To go, since its support ends",
		casework.Planned: "Removal that was planned", casework.Purchase: "To be bought",
		casework.Elsewhere: "To be done elsewhere",
	}[casework.Kind(c.Kind)]
}

// asked lists what was asked for about a product that is short and is not there yet.
func (v *CaseView) asked(tx *sqlite.Tx, product int64) error {
	ids, err := worklistdb.OpenRequests(tx, product)
	if err != nil {
		return err
	}
	cases, err := worklistdb.CasesOf(tx, ids)
	if err != nil {
		return err
	}
	for _, c := range cases {
		r, err := worklistdb.RequestByID(tx, c.Request)
		if err != nil {
			return err
		}
		v.Requests = append(v.Requests, RequestLine{c.ID, r.What, casework.AskedWord(c.Kind, c.State)})
	}
	return nil
}

// outlook says what may be done with a case, what can be taken back, and when what was done leaves the house.
func (v *CaseView) outlook(tx *sqlite.Tx, c *casework.Case, rules CaseRules) error {
	v.Can = []string{}
	for _, a := range c.Can(rules.core()) {
		v.Can = append(v.Can, string(a))
	}
	order, err := worklistdb.DeploymentOf(tx, c.ID)
	if err != nil {
		return err
	}
	if order.ID != 0 {
		v.Order, v.WaveID = order.State, order.Wave
	}
	if order.State == "waiting" && c.State == casework.Waiting {
		v.Leaves = order.After
	}
	if question, err := worklistdb.QuestionOf(tx, c.ID); err != nil {
		return err
	} else if question != 0 && c.State == casework.Asked {
		if v.Leaves, err = outbox.MailWaits(tx, question); err != nil {
			return err
		}
	}
	for i := len(v.Steps) - 1; i >= 0; i-- {
		s := &v.Steps[i]
		if s.Undone || s.Act == string(casework.Undo) {
			continue
		}
		if s.To == v.State && slices.Contains(casework.ByHand, casework.Act(s.Act)) &&
			(v.Leaves != 0 || c.State != casework.Asked && c.State != casework.Waiting) {
			v.Undo = s.Act
		}
		break
	}
	return nil
}
