package app

import (
	"context"
	"errors"

	"ensomet/internal/store"
)

// Dirty reports whether anything has changed since figures were computed, or a day has passed.
func (a *App) Dirty(ctx context.Context) (dirty bool, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		now, err := tx.Setting(changes)
		if err != nil {
			return err
		}
		computed, err := tx.Setting(computedChanges)
		if err != nil {
			return err
		}
		day, err := tx.Setting("computed_for")
		dirty = now != computed || day != a.Today().String()
		return err
	})
	return dirty, err
}

// Refresh recognises what is new and computes every figure anew as of today. It reads one consistent state and makes the result visible at once at the end.
func (a *App) Refresh(ctx context.Context) error {
	a.refreshing.Lock()
	defer a.refreshing.Unlock()
	defer a.Progress.Step("")
	if err := a.rollDue(ctx); err != nil {
		return err
	}
	var upTo string
	if err := a.DB.View(ctx, func(tx *store.Tx) (err error) {
		upTo, err = tx.Setting(changes)
		return err
	}); err != nil {
		return err
	}
	if err := a.renewTouched(ctx, false); err != nil {
		return err
	}
	a.Progress.Step("counting installs")
	a.status.Lock()
	a.status.decided = nil
	a.status.Unlock()
	d, err := a.derive(ctx)
	if err != nil {
		return err
	}
	a.Progress.Step("storing figures")
	err = a.DB.Update(ctx, func(tx *store.Tx) error {
		dirty, err := tx.DirtyDevices(upTo)
		if err != nil {
			return err
		}
		if err := logChanges(tx, dirty); err != nil {
			return err
		}
		if err := tx.Clean(upTo); err != nil {
			return err
		}
		if err := tx.Untouch(nil, upTo); err != nil {
			return err
		}
		if err := errors.Join(a.queueChangeMail(tx), a.queuePoolMail(tx)); err != nil {
			return err
		}
		if err := tx.PutMembers(d.members); err != nil {
			return err
		}
		if err := tx.PutFigures(nil, d.figures, d.ways, d.amounts); err != nil {
			return err
		}
		if err := tx.PutFacts(d.devices, d.names, d.products, d.idle); err != nil {
			return err
		}
		if err := tx.PutReleases(d.versions, d.releases); err != nil {
			return err
		}
		a.status.Lock()
		meanwhile := a.status.decided
		a.status.Unlock()
		if err := a.restate(tx, meanwhile); err != nil {
			return err
		}
		if err := tx.PutProposals(d.proposals, d.madeFor); err != nil {
			return err
		}
		if err := tx.PutQueueDay(d.estate.asOf); err != nil {
			return err
		}
		if err := a.updateCases(tx, &d.findings); err != nil {
			return err
		}
		if err := tx.CountCases(); err != nil {
			return err
		}
		if err := tx.SetSetting(computedChanges, upTo); err != nil {
			return err
		}
		return tx.SetSetting("computed_for", d.estate.asOf.String())
	})
	if err != nil {
		return err
	}
	a.status.Lock()
	a.status.renewals++
	a.status.Unlock()
	return a.SendMail(ctx)
}

// derived is the result of a full computation, ready to be stored.
type derived struct {
	*computed
	findings
	nameFacts
	releaseFacts
	devices  []store.DeviceFact
	products []store.ProductFact
	idle     []store.IdleFact
	members  []store.Member
}

func (a *App) derive(ctx context.Context) (*derived, error) {
	d := &derived{}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		d.computed = newComputed(e)
		uses, err := e.loadUse(tx)
		if err != nil {
			return err
		}
		yesterday, err := tx.Ways(0)
		if err != nil {
			return err
		}
		a.Progress.Step("setting owned against needed")
		open, lines, err := d.computeAll(ctx, yesterday)
		if err != nil {
			return err
		}
		a.Progress.Step("proposing titles")
		if d.nameFacts, err = a.sumUpNames(tx, e); err != nil {
			return err
		}
		d.members = e.conditions.members(e.devices)
		if d.devices, err = sumUpDevices(tx, e); err != nil {
			return err
		}
		d.products = e.sumUpProducts()
		if d.releaseFacts, err = a.sumUpReleases(tx, e); err != nil {
			return err
		}
		d.idle = judgeUse(e, uses)
		d.findings = findings{computed: d.computed}
		return d.find(tx, uses, open, lines)
	})
	return d, err
}
