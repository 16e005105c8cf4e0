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
	defer a.step("")
	return a.renewTouched(ctx, true)
}

// renewTouched leaves it to the renewal of everything that follows where all products, or very many, are touched; where none follows, it works them all out.
func (a *App) renewTouched(ctx context.Context, alone bool) error {
	a.step("recognising names")
	if _, err := a.recognise(ctx); err != nil {
		return fmt.Errorf("names could not be recognised: %w", err)
	}
	d := &derived{}
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
				return a.figuresOf(tx, nil, d)
			}
			return nil
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		for _, id := range compact(append(slices.Clone(marked), changed...)) {
			products = append(products, c.Kin(id)...) // what folds under it, and what it folds under
		}
		if products = compact(products); len(products) == 0 || !alone && len(products) > mostTouched {
			products = nil
			return nil
		}
		a.step("working out the positions that change")
		return a.figuresOf(tx, products, d)
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

// figuresOf works the positions of some products out; nil is all.
func (a *App) figuresOf(tx *store.Tx, products []int64, d *derived) error {
	e, err := a.loadEstate(tx, a.Today(), a.Clock.Now().Unix(), products)
	if err != nil {
		return err
	}
	d.begin(e)
	for _, f := range e.ordered() {
		if products != nil && !slices.Contains(products, f.id) {
			continue
		}
		yesterday, err := tx.Ways(f.id)
		if err != nil {
			return err
		}
		for _, p := range e.compute(f, yesterday[f.id]) {
			d.figures = append(d.figures, e.figure(f, &p))
			d.keepWays(f.id, &p)
		}
	}
	return nil
}
