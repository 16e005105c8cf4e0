package worklist

import (
	"cmp"
	"context"
	"errors"
	"fmt"

	"ensomet/internal/core/casework"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// Order is what the deployment tool is asked to do: take a product off a device, or put it there. Its number tells a
// repeated order from a new one.
type Order struct {
	ID      int64    `json:"id"`
	Case    int64    `json:"case"`
	What    string   `json:"what" enum:"remove,install"`
	Device  string   `json:"device"` // device_id
	Product string   `json:"product"`
	Names   []string `json:"names"` // of a removal: the raw names that the device reported
	SentAt  int64    `json:"sentAt"`
}

// DeploymentTool takes orders. An error means that it did not take the order, as far as one can know. One order may
// come twice with one number, when nobody knows whether it arrived.
type DeploymentTool interface {
	Take(ctx context.Context, order Order) error
}

// WaveSettings lets orders leave a few at a time.
type WaveSettings struct {
	Name     string `json:"name" maxLength:"80"`
	PerDay   int    `json:"perDay" minimum:"0" maximum:"5000" doc:"how many leave on one day; 0 is all at once"`
	MaxFails int    `json:"maxFails" minimum:"0" maximum:"100" doc:"percent of the answered ones that may fail before it pauses"`
}

// order lets an order about a case wait until it leaves.
func (w *caseWorker) order(c *worklistdb.Case) error {
	if c.Kind.Removes() {
		if _, err := w.a.orderOf(w.tx, c, 0); err != nil {
			return refusal{err}
		}
	}
	last, err := worklistdb.DeploymentOf(w.tx, c.ID)
	if err != nil {
		return err
	}
	if last.State == "waiting" {
		return refuseCase("an order about it waits already")
	}
	w.leaves = w.now + int64(w.rules.HoldMinutes)*60
	if w.wave == 0 {
		s := WaveSettings{MaxFails: 20}
		if w.deed.Wave != nil {
			s = *w.deed.Wave
		}
		if w.wave, err = worklistdb.AddWave(w.tx,
			worklistdb.Wave{
				Name:     cmp.Or(s.Name, "orders of "+moment(w.now)),
				PerDay:   int64(s.PerDay),
				MaxFails: int64(s.MaxFails),
				Author:   w.who,
				At:       w.now,
			}); err != nil {
			return err
		}
	}
	_, err = worklistdb.AddDeployment(w.tx, worklistdb.Deployment{Case: c.ID, Wave: w.wave, After: w.leaves})
	return err
}

// orderOf is the order for a case.
func (svc *Service) orderOf(tx *sqlite.Tx, c *worklistdb.Case, id int64) (Order, error) {
	o := Order{ID: id, Case: c.ID, What: "remove", SentAt: svc.Clock.Now().Unix()}
	var err error
	if o.Device, o.Product, o.Names, err = worklistdb.NamesOnDevice(tx, c.Device, c.Product); err != nil {
		return o, err
	}
	if c.Kind.Installs() {
		o.What = "install"
		o.Names = nil
		return o, nil
	}
	if c.Kind == casework.EndOfLife { // other releases of the product stay
		if o.Names, err = worklistdb.NamesToGo(tx, c.Device, c.Product); err != nil {
			return o, err
		}
	}
	if len(o.Names) == 0 {
		return o, errors.New("the newest evidence has no install of it any more")
	}
	return o, nil
}

// Dispatch lets the orders leave whose time has come: of each wave as many as may leave today. Each is handed over
// outside of any writing; what became of it is written after each one, so that a stop in between loses none, and at
// worst hands over one again under the same number.
func (svc *Service) Dispatch(ctx context.Context) error {
	if svc.Deploy == nil {
		return nil
	}
	svc.dispatching.Lock()
	defer svc.dispatching.Unlock()
	var due []worklistdb.Deployment
	now := svc.Clock.Now().Unix()
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		waiting, err := worklistdb.DeploymentsIn(tx, "waiting")
		if err != nil || len(waiting) == 0 {
			return err
		}
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		today := svc.Snapshots.Today().Start(settings.Zone).Unix()
		left := map[int64]int{}
		for _, d := range waiting {
			n, known := left[d.Wave]
			if !known {
				w, err := worklistdb.WaveByID(tx, d.Wave)
				if err != nil {
					return err
				}
				s, err := worklistdb.CountWave(tx, d.Wave, today)
				if err != nil {
					return err
				}
				if w.State == "running" {
					pause := false
					if n, pause = (casework.Wave{
						PerDay:   int(w.PerDay),
						MaxFails: int(w.MaxFails),
					}).Next(casework.Sofar{
						Waiting: s.Waiting,
						Today:   s.Today,
						Done:    s.Done,
						Failed:  s.Failed,
					}); pause {
						if err := worklistdb.SetWave(tx, w.ID, "paused",
							fmt.Sprintf("%d of %d answers were failures, more than %d %%: look at them before more "+
								"leave", s.Failed, s.Done+s.Failed, w.MaxFails)); err != nil {
							return err
						}
					}
				}
			}
			if d.After <= now && n > 0 {
				due = append(due, d)
				n--
			}
			left[d.Wave] = n
		}
		return nil
	})
	for _, d := range due {
		if err := errors.Join(err, ctx.Err()); err != nil {
			return err
		}
		err = svc.handOver(ctx, d)
	}
	return err
}

// handOver gives one order to the deployment tool and writes what became of it. One that the tool does not take is
// tried again later, up to ten times.
func (svc *Service) handOver(ctx context.Context, d worklistdb.Deployment) error {
	var o Order
	var c worklistdb.Case
	gone := false
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if c, err = worklistdb.CaseByID(tx, d.Case); err != nil {
			return err
		}
		if d, err = worklistdb.DeploymentByID(tx, d.ID); err != nil || d.State != "waiting" ||
			c.State != casework.Waiting {
			gone = true
			return err
		}
		if o, err = svc.orderOf(tx, &c, d.ID); err != nil {
			gone = true
			d.State, d.Reason = "withdrawn", err.Error()
			return worklistdb.PutDeployment(tx, d)
		}
		d.Tries++ // from here on nobody can be sure that it has not left
		return worklistdb.PutDeployment(tx, d)
	})
	if err != nil || gone {
		return err
	}
	refused := svc.Deploy.Take(ctx, o)
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if refused != nil && d.Tries < maxHandOvers {
			d.Reason = refused.Error()
			return worklistdb.PutDeployment(tx, d)
		}
		if c, err = worklistdb.CaseByID(tx, d.Case); err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		act, note := casework.Leaves, "The deployment tool has the order. It cannot be called back any more."
		d.State, d.SentAt, d.Reason = "sent", now, ""
		if refused != nil {
			act, note = casework.Fails, "The deployment tool did not take the order: "+refused.Error()
			d.State, d.Reason, d.At = "failed", refused.Error(), now
		}
		if err := worklistdb.PutDeployment(tx, d); err != nil {
			return err
		}
		return svc.moveBy(tx, &c, act, "deployment", note, now)
	})
}

// maxHandOvers is how often an order is handed over before it counts as failed.
const maxHandOvers = 10

// moveBy moves a case by what others did. A case that cannot take it stays where it is.
func (svc *Service) moveBy(tx *sqlite.Tx, c *worklistdb.Case, act casework.Act, who, note string, now int64) error {
	to, err := casework.Do(c.Kind, c.State, act, casework.Rules{})
	if err != nil {
		to = c.State
	}
	from := c.State
	c.State, c.ChangedAt = to, now
	if act == casework.Leaves {
		c.SentAt = now
	}
	if _, err := worklistdb.PutCase(tx, *c); err != nil {
		return err
	}
	return worklistdb.AddStep(
		tx,
		c.ID,
		worklistdb.CaseStep{At: now, Who: who, From: string(from), To: string(to), Note: note, Act: string(act)},
	)
}

// Outcome is what the deployment tool says of an order.
type Outcome struct {
	Order  int64  `json:"order" doc:"the number of the order"`
	Done   bool   `json:"done"`
	Reason string `json:"reason" maxLength:"500" doc:"why it failed"`
}

// TakeOutcome notes what the deployment tool says. The same answer again changes nothing, and a later one that says
// otherwise is kept as a word only: evidence decides what is so.
func (svc *Service) TakeOutcome(ctx context.Context, o Outcome, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		d, err := worklistdb.DeploymentByID(tx, o.Order)
		if err != nil {
			return err
		}
		if d.State == "waiting" || d.State == "withdrawn" {
			return fmt.Errorf("the order %d has never left the house", o.Order)
		}
		now := svc.Clock.Now().Unix()
		state := "done"
		if !o.Done {
			state = "failed"
		}
		if d.State == state {
			return nil
		}
		c, err := worklistdb.CaseByID(tx, d.Case)
		if err != nil {
			return err
		}
		note := "The deployment tool says that it is done. The next scan decides."
		if !o.Done {
			note = "The deployment tool could not do it: " + cmp.Or(o.Reason, "it gave no reason")
		}
		first := d.State == "sent"
		if !first {
			note = "The deployment tool has answered once more, and otherwise. " + note
		}
		d.State, d.At, d.Reason = state, now, o.Reason
		if err := worklistdb.PutDeployment(tx, d); err != nil {
			return err
		}
		if newest, err := worklistdb.DeploymentOf(tx, c.ID); err != nil || newest.ID != d.ID {
			return err // about an order that another has followed
		}
		if !o.Done && c.State == casework.Sent {
			return svc.moveBy(tx, &c, casework.Fails, who, note, now)
		}
		return worklistdb.AddStep(
			tx,
			c.ID,
			worklistdb.CaseStep{
				At:   now,
				Who:  who,
				From: string(c.State),
				To:   string(c.State),
				Note: note,
				Act:  string(casework.Leaves),
			},
		)
	})
}

// followOrders lets orders count as failed of which the deployment tool has said nothing for long, and no scan either.
func (svc *Service) followOrders(ctx context.Context) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := worklistdb.DeploymentsIn(tx, "sent")
		if err != nil || len(list) == 0 {
			return err
		}
		rules, err := loadCaseRules(tx)
		if err != nil {
			return err
		}
		now := svc.Clock.Now().Unix()
		for _, d := range list {
			if now-d.SentAt < int64(rules.SilentDays)*86400 {
				continue
			}
			c, err := worklistdb.CaseByID(tx, d.Case)
			if err != nil {
				return err
			}
			d.State, d.At, d.Reason = "failed", now, "no answer"
			if err := worklistdb.PutDeployment(tx, d); err != nil {
				return err
			}
			if c.State != casework.Sent {
				continue
			}
			if err := svc.moveBy(tx, &c, casework.Fails, "time",
				fmt.Sprintf("Neither the deployment tool nor a scan has said anything for %d days. It may still "+
					"come: then the scan decides.", rules.SilentDays), now); err != nil {
				return err
			}
		}
		return nil
	})
}

// FollowUp does what the passing of time asks of the worklist: reminders, orders that leave, orders that nobody
// answers.
func (svc *Service) FollowUp(ctx context.Context) error {
	return errors.Join(svc.followQuestions(ctx), svc.Dispatch(ctx), svc.followOrders(ctx))
}

// WaveView is a wave with how far it is.
type WaveView struct {
	worklistdb.Wave
	worklistdb.WaveSofar
}

// Waves lists the waves that have orders on their way, and the newest of the others.
func (svc *Service) Waves(ctx context.Context) ([]WaveView, error) {
	out := []WaveView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		list, err := worklistdb.Waves(tx)
		for i, w := range list {
			s, err := worklistdb.CountWave(tx, w.ID, svc.Snapshots.Today().Start(settings.Zone).Unix())
			if err != nil {
				return err
			}
			if i < 20 || s.Waiting+s.Out > 0 {
				out = append(out, WaveView{w, s})
			}
		}
		return err
	})
	return out, err
}

// SteerWave pauses a wave, lets it go on, or calls off what has not left: those cases go back to agreed.
func (svc *Service) SteerWave(ctx context.Context, id int64, to, who string) error {
	state := map[string]string{"pause": "paused", "go on": "running", "call off": "called off"}[to]
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		w, err := worklistdb.WaveByID(tx, id)
		if err != nil {
			return err
		}
		if w.State == "called off" {
			return errors.New("the wave was called off")
		}
		why := ""
		if to == "pause" {
			why = who + " paused it"
		}
		if err := worklistdb.SetWave(tx, id, state, why); err != nil {
			return err
		}
		now := svc.Clock.Now()
		if to == "call off" {
			waiting, err := worklistdb.DeploymentsIn(tx, "waiting")
			if err != nil {
				return err
			}
			for _, d := range waiting {
				if d.Wave != id || d.Tries > 0 {
					continue
				}
				d.State, d.Reason = "withdrawn", "called off"
				if err := worklistdb.PutDeployment(tx, d); err != nil {
					return err
				}
				c, err := worklistdb.CaseByID(tx, d.Case)
				if err != nil {
					return err
				}
				if err := svc.moveBy(tx, &c, casework.Halts, who, "The wave was called off before the order left.",
					now.Unix()); err != nil {
					return err
				}
			}
		}
		return tx.Note(now, who, to, "wave "+w.Name, "")
	})
}
