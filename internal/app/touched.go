package app

import (
	"context"
	"fmt"
	"slices"
	"strconv"

	"ensomet/internal/store"
)

// mostTouched is for how many products positions are worked out ahead of all others.
const mostTouched = 500

// catalogueSeen is the setting of the newest change of the catalogue whose positions were worked out.
const catalogueSeen = "catalogue_seen"

// RenewTouched recognises what is new, and everything anew after a change of the catalogue or of rules, and works the positions out of the products that this touches, so that they
// are there long before every list is renewed.
func (a *App) RenewTouched(ctx context.Context) error {
	a.refreshing.Lock()
	defer a.refreshing.Unlock()
	defer a.Progress.Step("")
	return a.renewTouched(ctx, true)
}

// renewTouched leaves it to the renewal of everything that follows where all products, or very many, are touched; where none follows, it works them all out.
func (a *App) renewTouched(ctx context.Context, alone bool) error {
	a.Progress.Step("recognising names")
	if _, err := a.recognise(ctx); err != nil {
		return fmt.Errorf("names could not be recognised: %w", err)
	}
	var d *computed
	var newest int64
	var upTo string
	var products, marked []int64
	all := false
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		var err error
		if upTo, err = tx.Setting(changes); err != nil {
			return err
		}
		text, err := tx.Setting(catalogueSeen)
		if err != nil {
			return err
		}
		seen, _ := strconv.ParseInt(text, 10, 64) // empty is none
		changed, now, err := tx.ProductsChangedSince(seen)
		if err != nil {
			return err
		}
		if marked, err = tx.Touched(upTo); err != nil {
			return err
		}
		newest = now
		computed, err := tx.Setting("computed_for")
		if err != nil {
			return err
		}
		if computed != a.Today().String() || slices.Contains(marked, 0) {
			if all = alone; all {
				d, err = a.figuresOf(tx, nil)
				return err
			}
			return nil
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		for _, id := range distinct(append(slices.Clone(marked), changed...)) {
			products = append(products, c.Kin(id)...) // what folds under it, and what it folds under
		}
		if products = distinct(products); len(products) == 0 || !alone && len(products) > mostTouched {
			products = nil
			return nil
		}
		a.Progress.Step("working out the positions that change")
		d, err = a.figuresOf(tx, products)
		return err
	})
	if err != nil || newest == 0 && products == nil && !all {
		return err
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		if products != nil || all {
			if err := tx.PutFigures(products, d.figures, d.ways, d.amounts); err != nil {
				return err
			}
			if all {
				marked = nil
			}
			if err := tx.Untouch(marked, upTo); err != nil {
				return err
			}
		}
		return tx.SetSetting(catalogueSeen, fmt.Sprint(newest))
	})
}
