package pipeline

import (
	"context"
	"errors"
	"fmt"
	"strconv"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/persons"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// Refresh recognises what is new and brings every figure in line with what changed, as of today. What it costs follows
// what that touches; where something changed that may touch anything, everything is computed anew in pieces, and what
// is touched meanwhile goes before the next piece.
func (svc *Service) Refresh(ctx context.Context) error { return svc.renew(ctx, false) }

// RenewAll computes every figure from nothing.
func (svc *Service) RenewAll(ctx context.Context) error { return svc.renew(ctx, true) }

// RenewTouched renews what is known to be touched, and leaves it to Refresh to compute everything anew where that is
// due.
func (svc *Service) RenewTouched(ctx context.Context) error {
	svc.refreshing.Lock()
	defer svc.refreshing.Unlock()
	defer svc.Progress.Step("")
	return svc.settleAndMove(ctx)
}

// settleAndMove renews what is touched. Whether that is all is for the caller to know.
func (svc *Service) settleAndMove(ctx context.Context) error {
	upTo, err := svc.changes(ctx)
	if err != nil {
		return err
	}
	if err := svc.settle(ctx, false); err != nil {
		return err
	}
	_, err = svc.move(ctx, upTo, false)
	return err
}

// moveAll renews what is touched now; what keeps coming is for the next time.
func (svc *Service) moveAll(ctx context.Context, upTo string, all bool) error {
	var touched int
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		touched, err = renewal.CountTouched(tx)
		return err
	}); err != nil {
		return err
	}
	for more := true; more; touched -= devicesInMove {
		var err error
		if more, err = svc.move(ctx, upTo, all); err != nil || touched < -devicesInMove {
			return err
		}
	}
	return nil
}

// changes is the newest change that anything derived may rest on.
func (svc *Service) changes(ctx context.Context) (upTo string, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		upTo, err = tx.Setting(renewal.Changes)
		return err
	})
	return upTo, err
}

// due is what is to be computed besides what is touched.
type due int

const (
	nothing    due = iota
	anew           // everything, by what is kept of it
	fromNought     // everything, since nothing is kept of it, or so much changed that this is faster
)

// whatIsDue says what is to be computed besides what is touched.
func (svc *Service) whatIsDue(ctx context.Context) (d due, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		if is, err := tx.Setting(countedForm); err != nil || is != form {
			d = fromNought
			return err
		}
		touched, err := renewal.CountTouched(tx)
		if err != nil {
			return err
		}
		if touched >= leastOfMany {
			devices, err := evidencedb.CountDevices(tx)
			if err != nil || int64(touched) > devices/shareOfMany {
				d = fromNought
				return err
			}
		}
		day, err := tx.Setting(renewal.ComputedFor)
		if err != nil {
			return err
		}
		catalogue, err := tx.Setting(renewal.CatalogueChanges)
		if err != nil {
			return err
		}
		made, err := tx.Setting(renewal.DerivedFor)
		if err != nil {
			return err
		}
		all, err := renewal.AllTouched(tx)
		if all || made != catalogue || day != svc.Snapshots.Today().String() {
			d = anew
		}
		return err
	})
	return d, err
}

func (svc *Service) renew(ctx context.Context, all bool) error {
	svc.refreshing.Lock()
	defer svc.refreshing.Unlock()
	defer svc.Progress.Step("")
	if err := errors.Join(svc.Sources.EndDue(ctx), svc.ByHand.HoldDue(ctx)); err != nil {
		return err
	}
	before, err := svc.whatIsDue(ctx)
	if err != nil {
		return err
	}
	for range mostPasses {
		upTo, err := svc.changes(ctx)
		if err != nil {
			return err
		}
		if err := svc.settle(ctx, all || before != nothing); err != nil {
			return err
		}
		d, err := svc.whatIsDue(ctx)
		if err != nil {
			return err
		}
		if all {
			d, all = fromNought, false
		}
		if d == fromNought {
			if err := svc.computeAll(ctx); err != nil {
				return err
			}
			if upTo, err = svc.changes(ctx); err == nil { // of what was touched meanwhile
				err = svc.settle(ctx, false)
			}
			if err != nil {
				return err
			}
		}
		if err := svc.moveAll(ctx, upTo, d != anew); err != nil {
			return err
		}
		if d == anew {
			err = svc.computeAnew(ctx)
		}
		if !errors.Is(err, errElsewhere) {
			if err == nil {
				svc.Renewal.Renewed()
			}
			return err
		}
	}
	return errElsewhere
}

// mostPasses is how often everything is begun to be computed anew where another program writes, too.
const mostPasses = 4

// settle settles what figures rest on: whom names of people mean, what was used on which day, what records are. anew
// says that days of use are rolled up anew where the catalogue says otherwise what was used.
func (svc *Service) settle(ctx context.Context, anew bool) error {
	if err := svc.Use.RollDue(ctx, anew); err != nil {
		return err
	}
	if err := svc.settleNames(ctx); err != nil {
		return err
	}
	svc.Progress.Step("recognising names")
	if _, err := svc.Titles.Recognise(ctx); err != nil {
		return fmt.Errorf("names could not be recognised: %w", err)
	}
	return svc.touchChanged(ctx)
}

// catalogueSeen is the setting of the newest change of the catalogue whose products were touched.
const catalogueSeen = "catalogue_seen"

// touchChanged touches the products of which the catalogue says something else, so that their positions are there long
// before every list is; and gives each title its place among the releases.
func (svc *Service) touchChanged(ctx context.Context) error {
	var changed []int64
	var seen, newest int64
	var lay bool
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		text, err := tx.Setting(catalogueSeen)
		if err != nil {
			return err
		}
		seen, _ = strconv.ParseInt(text, 10, 64) // empty is none
		if changed, newest, err = titlesdb.ProductsChangedSince(tx, seen); err != nil {
			return err
		}
		now, err := tx.Setting(renewal.CatalogueChanges)
		if err != nil {
			return err
		}
		made, err := tx.Setting(renewal.DerivedFor)
		lay = now != made
		return err
	}); err != nil || newest == seen && !lay {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		if lay {
			if err := titlesdb.LayReleases(tx, c); err != nil {
				return err
			}
		}
		if len(changed) <= snapshot.MostTouched {
			if err := renewal.TouchNow(tx, changed); err != nil {
				return err
			}
		}
		return tx.SetSetting(catalogueSeen, sqlite.Itoa(newest))
	})
}

// peopleAtOnce is how many names of people are settled before a writer who waits gets his turn.
const peopleAtOnce = 2_000

// settleNames says whom names of people count as that came since the last time.
func (svc *Service) settleNames(ctx context.Context) error {
	for more := true; more; {
		heard := false
		if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
			heard, err = persons.Heard(tx)
			return err
		}); err != nil || !heard {
			return err
		}
		svc.Progress.Step("settling who is who")
		if err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
			_, more, err = svc.Persons.Settle(tx, peopleAtOnce)
			return err
		}); err != nil {
			return fmt.Errorf("names of people could not be settled: %w", err)
		}
	}
	return nil
}
