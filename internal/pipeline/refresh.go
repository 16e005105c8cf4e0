package pipeline

import (
	"context"
	"errors"
	"fmt"

	"ensomet/internal/directory"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/facts"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// Refresh recognises what is new and brings every figure in line with what changed, as of today: what it costs follows
// what that touches.
func (svc *Service) Refresh(ctx context.Context) error { return svc.renew(ctx, false) }

// RenewAll computes every figure from the start. It reads one consistent state and makes the result visible at once at
// the end.
func (svc *Service) RenewAll(ctx context.Context) error { return svc.renew(ctx, true) }

func (svc *Service) renew(ctx context.Context, all bool) error {
	svc.refreshing.Lock()
	defer svc.refreshing.Unlock()
	defer svc.Progress.Step("")
	if err := svc.Sources.EndDue(ctx); err != nil {
		return err
	}
	if err := svc.ByHand.HoldDue(ctx); err != nil {
		return err
	}
	mayAll := all
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		whole, err := svc.whole(tx)
		mayAll = mayAll || whole
		return err
	}); err != nil {
		return err
	}
	if err := svc.Use.RollDue(ctx, mayAll); err != nil {
		return err
	}
	if err := svc.settleNames(ctx); err != nil {
		return err
	}
	var upTo string
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		upTo, err = tx.Setting(renewal.Changes)
		return err
	}); err != nil {
		return err
	}
	svc.Progress.Step("recognising names")
	if _, err := svc.Titles.Recognise(ctx); err != nil {
		return fmt.Errorf("names could not be recognised: %w", err)
	}
	if !all {
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			all, err = svc.whole(tx)
			return err
		}); err != nil {
			return err
		}
	}
	renew := svc.move
	if all {
		renew = svc.renewAll
	}
	if err := renew(ctx, upTo); err != nil {
		return err
	}
	svc.Renewal.Renewed()
	return nil
}

// renewAll computes everything from the start. The positions that are touched go before it, where they are few.
func (svc *Service) renewAll(ctx context.Context, upTo string) error {
	if err := svc.renewTouched(ctx); err != nil {
		return err
	}
	svc.Progress.Step("counting installs")
	svc.Titles.ForgetDecided()
	d, err := svc.derive(ctx)
	if err != nil {
		return err
	}
	svc.Progress.Step("storing figures")
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		meanwhile, err := tx.Setting(renewal.Changes)
		if err != nil {
			return err
		}
		if meanwhile == d.upTo { // else what changed meanwhile is counted once more, and what was counted with it
			if err := renewal.Forget(tx); err != nil {
				return err
			}
		}
		dirty, err := renewal.DirtyDevices(tx, upTo)
		if err != nil {
			return err
		}
		if err := evidence.LogChanges(tx, dirty); err != nil {
			return err
		}
		if err := renewal.Clean(tx, upTo); err != nil {
			return err
		}
		if err := renewal.Untouch(tx, nil, upTo); err != nil {
			return err
		}
		if err := errors.Join(svc.Evidence.QueueChangeMail(tx), svc.Use.QueuePoolMail(tx)); err != nil {
			return err
		}
		if err := svc.put(tx, d); err != nil {
			return err
		}
		if err := errors.Join(tx.SetSetting(renewal.ComputedChanges, upTo), tx.SetSetting(countedForm, form),
			tx.SetSetting(derivedFor, d.MadeFor)); err != nil {
			return err
		}
		return tx.SetSetting("computed_for", d.Snapshot.AsOf.String())
	})
	if err != nil {
		return err
	}
	return svc.DB.Analyse(ctx)
}

// put stores what was derived.
func (svc *Service) put(tx *sqlite.Tx, d *derived) error {
	if err := svc.Counts.PutAll(tx, d.Snapshot); err != nil {
		return err
	}
	if err := evidencedb.PutMembers(tx, d.members); err != nil {
		return err
	}
	if err := facts.PutFigures(tx, nil, d.Figures, d.Ways, d.Amounts); err != nil {
		return err
	}
	if err := facts.Put(tx, d.devices, d.Names, d.products, d.idle); err != nil {
		return err
	}
	if err := directory.PutFacts(tx, svc.Snapshots.Today()); err != nil {
		return err
	}
	if err := titlesdb.PutReleases(tx, d.Versions, d.Releases); err != nil {
		return err
	}
	if err := svc.Titles.Restate(tx, svc.Titles.DecidedMeanwhile()); err != nil {
		return err
	}
	if err := titlesdb.PutProposals(tx, d.Proposals, d.MadeFor); err != nil {
		return err
	}
	if err := titlesdb.PutQueueDay(tx, d.Snapshot.AsOf); err != nil {
		return err
	}
	if err := svc.Worklist.UpdateCases(tx, &d.Findings); err != nil {
		return err
	}
	return errors.Join(worklistdb.PutInOrder(tx), worklistdb.CountCases(tx))
}

// derived is the result of a full computation, ready to be stored.
type derived struct {
	*snapshot.Positions
	worklist.Findings
	titles.NameFacts
	titles.ReleaseFacts
	devices  []snapshot.DeviceFact
	products []snapshot.ProductFact
	idle     []snapshot.IdleFact
	members  []snapshot.Member
	upTo     string // the change up to which it was read
}

func (svc *Service) derive(ctx context.Context) (d *derived, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		d, err = svc.deriveIn(ctx, tx)
		return err
	})
	return d, err
}

// deriveIn is derive by the state of a transaction.
func (svc *Service) deriveIn(ctx context.Context, tx *sqlite.Tx) (d *derived, err error) {
	d = &derived{}
	if d.upTo, err = tx.Setting(renewal.Changes); err != nil {
		return d, err
	}
	e, err := svc.Snapshots.LoadTallied(tx)
	if err != nil {
		return d, err
	}
	d.Positions = snapshot.NewPositions(e)
	uses, err := e.LoadUse(tx)
	if err != nil {
		return d, err
	}
	yesterday, err := snapshot.Ways(tx, 0)
	if err != nil {
		return d, err
	}
	svc.Progress.Step("setting owned against needed")
	open, lines, err := d.ComputeAll(ctx, yesterday)
	if err != nil {
		return d, err
	}
	svc.Progress.Step("proposing titles")
	if d.NameFacts, err = svc.Titles.SumUpNames(tx, e); err != nil {
		return d, err
	}
	d.members = e.Conditions.Members(e.Devices)
	if d.devices, err = evidence.SumUpDevices(tx, e, nil); err != nil {
		return d, err
	}
	d.products = e.SumUpProducts()
	if d.ReleaseFacts, err = svc.Catalogue.SumUpReleases(tx, e); err != nil {
		return d, err
	}
	d.idle = snapshot.JudgeUse(e, uses)
	d.Findings = worklist.Findings{Positions: d.Positions, Sizes: svc.Use}
	if err := d.LookAt(tx); err != nil {
		return d, err
	}
	return d, d.Find(tx, uses, open, lines)
}
