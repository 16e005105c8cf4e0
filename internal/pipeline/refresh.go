package pipeline

import (
	"context"
	"errors"

	"ensomet/internal/directory"
	"ensomet/internal/evidence"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
	"ensomet/internal/titles/titlesdb"
	"ensomet/internal/worklist"
	"ensomet/internal/worklist/worklistdb"
)

// Refresh recognises what is new and computes every figure anew as of today. It reads one consistent state and makes
// the result visible at once at the end.
func (svc *Service) Refresh(ctx context.Context) error {
	svc.refreshing.Lock()
	defer svc.refreshing.Unlock()
	defer svc.Progress.Step("")
	if err := svc.Sources.EndDue(ctx); err != nil {
		return err
	}
	if err := svc.ByHand.HoldDue(ctx); err != nil {
		return err
	}
	if err := svc.Use.RollDue(ctx); err != nil {
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
	if err := svc.renewTouched(ctx, false); err != nil {
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
		if err := evidencedb.PutMembers(tx, d.members); err != nil {
			return err
		}
		if err := snapshot.PutFigures(tx, nil, d.Figures, d.Ways, d.Amounts); err != nil {
			return err
		}
		if err := snapshot.PutFacts(tx, d.devices, d.Names, d.products, d.idle); err != nil {
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
		if err := errors.Join(worklistdb.PutInOrder(tx), worklistdb.CountCases(tx)); err != nil {
			return err
		}
		if err := tx.SetSetting(renewal.ComputedChanges, upTo); err != nil {
			return err
		}
		return tx.SetSetting("computed_for", d.Snapshot.AsOf.String())
	})
	if err != nil {
		return err
	}
	svc.Renewal.Renewed()
	return svc.DB.Analyse(ctx)
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
}

func (svc *Service) derive(ctx context.Context) (*derived, error) {
	d := &derived{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.Load(tx, svc.Snapshots.Today(), svc.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		d.Positions = snapshot.NewPositions(e)
		uses, err := e.LoadUse(tx)
		if err != nil {
			return err
		}
		yesterday, err := snapshot.Ways(tx, 0)
		if err != nil {
			return err
		}
		svc.Progress.Step("setting owned against needed")
		open, lines, err := d.ComputeAll(ctx, yesterday)
		if err != nil {
			return err
		}
		svc.Progress.Step("proposing titles")
		if d.NameFacts, err = svc.Titles.SumUpNames(tx, e); err != nil {
			return err
		}
		d.members = e.Conditions.Members(e.Devices)
		if d.devices, err = evidence.SumUpDevices(tx, e); err != nil {
			return err
		}
		d.products = e.SumUpProducts()
		if d.ReleaseFacts, err = svc.Catalogue.SumUpReleases(tx, e); err != nil {
			return err
		}
		d.idle = snapshot.JudgeUse(e, uses)
		d.Findings = worklist.Findings{Positions: d.Positions, Sizes: svc.Use}
		if err := d.LookAt(tx); err != nil {
			return err
		}
		return d.Find(tx, uses, open, lines)
	})
	return d, err
}
