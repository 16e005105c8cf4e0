package pipeline

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"ensomet/internal/facts"
	"ensomet/internal/persons"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// catalogueSeen is the setting of the newest change of the catalogue whose positions were worked out.
const catalogueSeen = "catalogue_seen"

// RenewTouched recognises what is new and works out the positions that a change of the catalogue or of rules touches,
// and nothing else.
func (svc *Service) RenewTouched(ctx context.Context) error {
	svc.refreshing.Lock()
	defer svc.refreshing.Unlock()
	defer svc.Progress.Step("")
	if _, err := svc.Titles.Recognise(ctx); err != nil {
		return err
	}
	return svc.renewTouched(ctx)
}

// namesAtOnce is how many names of people are settled before a writer who waits gets his turn.
const namesAtOnce = 20_000

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
			_, more, err = svc.Persons.Settle(tx, namesAtOnce)
			return err
		}); err != nil {
			return fmt.Errorf("names of people could not be settled: %w", err)
		}
	}
	return nil
}

// renewTouched works the positions out of the products that a change of the catalogue or of rules touches, so that
// they are there long before every list is renewed. Where all products, or very many, are touched, it leaves it to the
// renewal of everything that follows.
func (svc *Service) renewTouched(ctx context.Context) error {
	var d *snapshot.Positions
	var newest int64
	var upTo string
	var products, marked []int64
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		var err error
		if upTo, err = tx.Setting(renewal.Changes); err != nil {
			return err
		}
		text, err := tx.Setting(catalogueSeen)
		if err != nil {
			return err
		}
		seen, _ := strconv.ParseInt(text, 10, 64) // empty is none
		changed, now, err := titlesdb.ProductsChangedSince(tx, seen)
		if err != nil {
			return err
		}
		if marked, err = renewal.Touched(tx, upTo); err != nil {
			return err
		}
		newest = now
		computed, err := tx.Setting("computed_for")
		if err != nil {
			return err
		}
		if computed != svc.Snapshots.Today().String() || slices.Contains(marked, 0) {
			return nil
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		for _, id := range snapshot.Distinct(append(slices.Clone(marked), changed...)) {
			products = append(products, c.Kin(id)...) // what folds under it, and what it folds under
		}
		if products = snapshot.Distinct(products); len(products) == 0 || len(products) > snapshot.MostTouched {
			products = nil
			return nil
		}
		svc.Progress.Step("working out the positions that change")
		d, err = svc.Snapshots.Compute(tx, products)
		return err
	})
	if err != nil || newest == 0 && products == nil {
		return err
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		if products != nil {
			if err := facts.PutFigures(tx, products, d.Figures, d.Ways, d.Amounts); err != nil {
				return err
			}
			if err := renewal.Untouch(tx, marked, upTo); err != nil {
				return err
			}
		}
		return tx.SetSetting(catalogueSeen, fmt.Sprint(newest))
	})
}
