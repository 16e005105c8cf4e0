package worklist

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/refuse"
	"ensomet/internal/outbox"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"
)

// Order is what the deployment tool is asked to do: take a product off a device, or put it there. Its number tells a
// repeated order from a new one.
type Order struct {
	ID      int64    `json:"id"`
	Case    int64    `json:"case"`
	What    string   `json:"what"`   // remove, install
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
	Name     string
	PerDay   int // how many leave on one day; 0 is all at once
	MaxFails int // percent of the answered ones that may fail before it pauses
}

var errOperatingSystem = refuse.New(
	"the machine runs on it: no order takes an operating system off. Move the machine " +
		"to another system or release, or take it out of service; the next evidence of it ends the case",
)

// order lets an order about a case wait until it leaves.
func (w *caseWorker) order(c *casework.Case) error {
	if c.Kind.Removes() {
		if _, err := w.a.orderOf(w.tx, c, 0); err != nil {
			return err
		}
	}
	last, err := worklistdb.DeploymentOf(w.tx, c.ID)
	if err != nil {
		return err
	}
	if last.State == "waiting" {
		return refuse.Errorf("an order about it waits already")
	}
	w.leaves = w.now + int64(w.rules.HoldMinutes)*60
	if w.wave == 0 {
		s := WaveSettings{MaxFails: 20}
		if w.deed.Wave != nil {
			s = *w.deed.Wave
		}
		standing := int64(0)
		if by := w.standing; by != nil {
			standing = by.ID
			s = WaveSettings{
				Name:     fmt.Sprintf("standing decision %d, %s", by.ID, moment(w.now)),
				PerDay:   by.PerDay,
				MaxFails: by.MaxFails,
			}
		}
		if w.wave, err = worklistdb.AddWave(w.tx,
			worklistdb.Wave{
				Name:     cmp.Or(s.Name, "orders of "+moment(w.now)),
				PerDay:   int64(s.PerDay),
				MaxFails: int64(s.MaxFails),
				Author:   w.who,
				At:       w.now,
				Standing: standing,
			}); err != nil {
			return err
		}
	}
	w.tx.Announce(outbox.Topic)
	_, err = worklistdb.AddDeployment(w.tx, worklistdb.Deployment{Case: c.ID, Wave: w.wave, After: w.leaves})
	return err
}

// orderOf is the order for a case.
func (svc *Service) orderOf(tx *sqlite.Tx, c *casework.Case, id int64) (Order, error) {
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
		if runs, err := worklistdb.RunsOn(tx, c.Device, c.Product); err != nil || runs {
			return o, cmp.Or(err, errOperatingSystem)
		}
		return o, refuse.New("the newest evidence has no install of it any more")
	}
	return o, nil
}

// Claim takes the next order that may leave for its caller alone: of each wave as many as may leave today. It is a
// channel of the outbox: the order is handed over outside of any writing, and what became of it is written after it.
func (svc *Orders) Claim(ctx context.Context, now time.Time) (*outbox.Parcel, error) {
	if svc.Deploy == nil {
		return nil, nil
	}
	var d worklistdb.Deployment
	var o Order
	claimed := false
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		for {
			var err error
			if d, err = svc.nextOrder(tx, now); errors.Is(err, sqlite.ErrNotFound) {
				return nil
			} else if err != nil {
				return err
			}
			c, err := worklistdb.CaseByID(tx, d.Case)
			if err != nil {
				return err
			}
			reason := ""
			if c.State != casework.Waiting {
				reason = "the case has gone on without it"
			} else if o, err = svc.orderOf(tx, &c, d.ID); err != nil {
				reason = err.Error()
			}
			if reason != "" {
				d.State, d.Reason = "withdrawn", reason
				if err := worklistdb.PutDeployment(tx, d); err != nil {
					return err
				}
				continue
			}
			d.Tries++ // from here on nobody can be sure that it has not left
			d.ClaimedUntil = time.Now().Add(outbox.Lease).Unix()
			claimed = true
			return worklistdb.PutDeployment(tx, d)
		}
	})
	if err != nil || !claimed {
		return nil, err
	}
	return &outbox.Parcel{
		Name:   fmt.Sprint("order ", d.ID),
		Tries:  d.Tries,
		Send:   func(ctx context.Context) error { return svc.Deploy.Take(ctx, o) },
		Settle: func(ctx context.Context, refused error) error { return svc.settleOrder(ctx, d.ID, refused) },
	}, nil
}

// nextOrder is the next order that may leave. A wave too many of whose orders failed is paused.
func (svc *Orders) nextOrder(tx *sqlite.Tx, now time.Time) (worklistdb.Deployment, error) {
	wall := time.Now().Unix()
	waves, err := worklistdb.WavesDue(tx, now.Unix(), wall)
	if err != nil || len(waves) == 0 {
		return worklistdb.Deployment{}, cmp.Or(err, sqlite.ErrNotFound)
	}
	settings, err := snapshot.LoadSettings(tx)
	if err != nil {
		return worklistdb.Deployment{}, err
	}
	today := svc.Snapshots.Today().Start(settings.Zone).Unix()
	for _, w := range waves {
		s, err := worklistdb.CountWave(tx, w.ID, today)
		if err != nil {
			return worklistdb.Deployment{}, err
		}
		sofar := casework.Sofar{Waiting: s.Waiting, Today: s.Today + s.Trying}
		if sofar.Done, sofar.Failed, err = worklistdb.AnswersSince(tx, w.ID, w.From); err != nil {
			return worklistdb.Deployment{}, err
		}
		if w.Standing != 0 { // its limits hold for all of its waves together
			if err := standingSofar(tx, w.Standing, today, wall, &sofar); err != nil {
				return worklistdb.Deployment{}, err
			}
		}
		limits := casework.Wave{PerDay: int(w.PerDay), MaxFails: int(w.MaxFails)}
		n, pause := limits.Next(sofar)
		if pause {
			why := fmt.Sprintf("%d of %d answers were failures, more than %d %%: look at them before more leave",
				sofar.Failed, sofar.Done+sofar.Failed, w.MaxFails)
			if err := worklistdb.SetWave(tx, w.ID, "paused", why); err != nil {
				return worklistdb.Deployment{}, err
			}
		}
		if n > 0 {
			return worklistdb.NextOf(tx, w.ID, now.Unix(), wall)
		}
	}
	return worklistdb.Deployment{}, sqlite.ErrNotFound
}

// standingSofar counts what left today and what was answered of all orders of a standing decision.
func standingSofar(tx *sqlite.Tx, id, today, wall int64, sofar *casework.Sofar) error {
	s, err := worklistdb.StandingByID(tx, id)
	if err != nil {
		return err
	}
	n, err := worklistdb.CountStanding(tx, &s, today, wall)
	sofar.Today, sofar.Done, sofar.Failed = n.Left, n.DoneSince, n.FailedSince
	return err
}

// settleOrder writes what became of an order that was handed over. One that the tool did not take is tried again after
// a pause, up to an end. The tool may have answered before its taking was known, and somebody may have called the wave
// off meanwhile.
func (svc *Orders) settleOrder(ctx context.Context, id int64, refused error) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		d, err := worklistdb.DeploymentByID(tx, id)
		if err != nil {
			return err
		}
		c, err := worklistdb.CaseByID(tx, d.Case)
		if err != nil {
			return err
		}
		now := svc.Clock.Now()
		d.ClaimedUntil = 0
		if d.State != "waiting" {
			if refused == nil && d.State == "failed" && d.SentAt == 0 {
				note := "The deployment tool had taken the order before it was called off. The next scan decides."
				if err := svc.noteCase(tx, &c, "deployment", note, now.Unix()); err != nil {
					return err
				}
				d.SentAt = now.Unix()
			}
			return worklistdb.PutDeployment(tx, d)
		}
		if refused == nil {
			return svc.orderLeft(tx, d, &c, "The deployment tool has the order. It cannot be called back any more.")
		}
		d.Reason = refused.Error()
		if d.Tries < outbox.MostTries {
			d.DueAt = now.Add(outbox.Pause(d.Tries)).Unix()
			return worklistdb.PutDeployment(tx, d)
		}
		return svc.orderFailed(
			tx,
			d,
			&c,
			"deployment",
			"The deployment tool did not take the order: "+refused.Error(),
		)
	})
}

// orderLeft notes that an order is with the tool.
func (svc *Orders) orderLeft(tx *sqlite.Tx, d worklistdb.Deployment, c *casework.Case, note string) error {
	now := svc.Clock.Now().Unix()
	d.State, d.SentAt, d.Reason = "sent", now, ""
	if err := worklistdb.PutDeployment(tx, d); err != nil {
		return err
	}
	return svc.moveBy(tx, c, casework.Leaves, "deployment", note, now)
}

// orderFailed notes that an order has come to nothing, as far as one knows.
func (svc *Orders) orderFailed(tx *sqlite.Tx, d worklistdb.Deployment, c *casework.Case, who, note string) error {
	now := svc.Clock.Now().Unix()
	d.State, d.At = "failed", now
	if err := worklistdb.PutDeployment(tx, d); err != nil {
		return err
	}
	return svc.moveBy(tx, c, casework.Fails, who, note, now)
}

// noteCase writes a word on a case that stays where it is.
func (svc *Service) noteCase(tx *sqlite.Tx, c *casework.Case, who, note string, now int64) error {
	return worklistdb.AddStep(
		tx,
		c.ID,
		c.Said(casework.Deed{Act: casework.Leaves, Who: who, At: now, Note: note}),
	)
}

// moveBy moves a case by what others did. A case that cannot take it stays where it is.
func (svc *Service) moveBy(tx *sqlite.Tx, c *casework.Case, act casework.Act, who, note string, now int64) error {
	return worklistdb.Move(tx, c, c.By(casework.Deed{Act: act, Who: who, At: now, Note: note}))
}

// Outcome is what the deployment tool says of an order.
type Outcome struct {
	Order  int64 // the number of the order
	Done   bool
	Reason string // why it failed
}

// TakeOutcome notes what the deployment tool says. The same answer again changes nothing, and a later one that says
// otherwise is kept as a word only: evidence decides what is so.
func (svc *Orders) TakeOutcome(ctx context.Context, o Outcome, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		d, err := worklistdb.DeploymentByID(tx, o.Order)
		if err != nil {
			return err
		}
		if d.State == "withdrawn" || d.State == "waiting" && d.Tries == 0 {
			return refuse.Errorf("the order %d has never left the house", o.Order)
		}
		if d.State == "waiting" { // it answers before its taking the order is known
			c, err := worklistdb.CaseByID(tx, d.Case)
			if err != nil {
				return err
			}
			if err := svc.orderLeft(tx, d, &c, "The deployment tool answers, so it has the order."); err != nil {
				return err
			}
			if d, err = worklistdb.DeploymentByID(tx, o.Order); err != nil {
				return err
			}
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
		return svc.noteCase(tx, &c, who, note, now)
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

// FollowUp does what the passing of time asks of the worklist: reminders, orders that nobody answers, and what standing
// decisions take.
func (svc *Service) FollowUp(ctx context.Context) error {
	standing := Standing{svc}
	return errors.Join(svc.followQuestions(ctx), svc.followOrders(ctx), standing.follow(ctx))
}

// WaveView is a wave with how far it is.
type WaveView struct {
	worklistdb.Wave
	worklistdb.WaveSofar
}

// Waves lists the waves that have orders on their way, and the newest of the others.
func (svc *Orders) Waves(ctx context.Context) ([]WaveView, error) {
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
func (svc *Orders) SteerWave(ctx context.Context, id int64, to, who string) error {
	state := map[string]string{"pause": "paused", "go on": "running", "call off": "called off"}[to]
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		w, err := worklistdb.WaveByID(tx, id)
		if err != nil {
			return err
		}
		if w.State == "called off" {
			return refuse.New("the wave was called off")
		}
		now := svc.Clock.Now()
		switch to {
		case "go on":
			err = worklistdb.LetWaveGoOn(tx, id, now.Unix())
		case "pause":
			err = worklistdb.SetWave(tx, id, state, who+" paused it")
		default:
			err = errors.Join(worklistdb.SetWave(tx, id, state, ""), svc.callOffAll(tx, id, who))
		}
		if err == nil && w.Standing != 0 && to != "go on" {
			err = svc.haltedWith(tx, &w, to, who)
		}
		if err != nil {
			return err
		}
		tx.Announce(outbox.Topic)
		return tx.Note(now, who, to, "wave "+w.Name, "")
	})
}

// haltedWith pauses the standing decision of a wave that somebody stopped: it does not send tomorrow what was called
// back today.
func (svc *Orders) haltedWith(tx *sqlite.Tx, w *worklistdb.Wave, to, who string) error {
	s, err := worklistdb.StandingByID(tx, w.Standing)
	if err != nil || s.State != "running" {
		return err
	}
	words := map[string]string{"pause": "%s paused its wave of %s.", "call off": "%s called back its wave of %s."}
	standing := Standing{svc.Service}
	return standing.halt(tx, s, fmt.Sprintf(words[to], who, moment(w.At)))
}

// callOffAll takes back the orders of a wave that have not left.
func (svc *Orders) callOffAll(tx *sqlite.Tx, wave int64, who string) error {
	waiting, err := worklistdb.DeploymentsIn(tx, "waiting")
	if err != nil {
		return err
	}
	for _, d := range waiting {
		if d.Wave != wave {
			continue
		}
		if err := svc.callOff(tx, d, who); err != nil {
			return err
		}
	}
	return nil
}

// callOff takes an order back. One that was tried may be with the tool all the same, so its case waits for a decision;
// the others go back to agreed.
func (svc *Orders) callOff(tx *sqlite.Tx, d worklistdb.Deployment, who string) error {
	c, err := worklistdb.CaseByID(tx, d.Case)
	if err != nil {
		return err
	}
	if d.Tries > 0 {
		note := fmt.Sprintf(
			"The wave was called off after %d tries to hand the order over. As far as one knows the "+
				"deployment tool does not have it; should it come all the same, the next scan shows it.",
			d.Tries,
		)
		d.Reason = cmp.Or(d.Reason, "called off while it was tried")
		return svc.orderFailed(tx, d, &c, who, note)
	}
	d.State, d.Reason = "withdrawn", "called off"
	if err := worklistdb.PutDeployment(tx, d); err != nil {
		return err
	}
	now := svc.Clock.Now().Unix()
	return svc.moveBy(tx, &c, casework.Halts, who, "The wave was called off before the order left.", now)
}
