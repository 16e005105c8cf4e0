package app

import (
	"errors"
	"maps"
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// poolSink takes pools of concurrent licences.
func (a *App) poolSink(tx *store.Tx) (*sink, error) {
	now := a.Clock.Now().Unix()
	products, err := tx.ProductKeysByHouse()
	if err != nil {
		return nil, err
	}
	return upsertSink(tx, (*store.Tx).Pools, func(row *formats.Row) (string, formats.Pool, error) {
		p, err := formats.ParsePool(row)
		return "pool " + p.Code, p, err
	}, func(u *store.Upserter, p formats.Pool, row *formats.Row) (store.Change, error) {
		product, reason := findProduct(products, p.Publisher, p.Product)
		if reason != "" {
			return store.Same, refuse(row, "%s", reason)
		}
		return u.PutPool(product, p, now)
	})
}

// poolEventSink takes what licence servers reported.
func (a *App) poolEventSink(tx *store.Tx, settings *Settings) (*sink, error) {
	pools, err := tx.Codes("pool")
	if err != nil {
		return nil, err
	}
	touched := map[int64]bool{}
	since := map[int64]int64{} // by pool, its earliest new event
	s := plainSink(func(row *formats.Row) (store.Change, error) {
		e, err := formats.ParsePoolEvent(row, settings.Zone)
		if err != nil {
			return store.Same, err
		}
		id := pools[e.Pool]
		if id == 0 {
			return store.Same, refuse(row, "there is no pool %q: import the pools first; the line is tried again then", e.Pool)
		}
		c, err := tx.PutPoolEvent(id, e)
		if c != store.Same && (!touched[id] || e.At < since[id]) {
			touched[id], since[id] = true, e.At
		}
		return c, err
	})
	s.finish = func(*ImportResult) error {
		return errors.Join(a.rollPools(tx, settings, since), tx.TouchPools(touched))
	}
	return s, nil
}

// longestCheckout is how many seconds licences may have been out when something new is reported of them.
const longestCheckout = 14 * 86400

// rollPools sums pools up by days, from the days on which their new events changed something.
func (a *App) rollPools(tx *store.Tx, settings *Settings, since map[int64]int64) error {
	now := a.Clock.Now().Unix()
	for _, pool := range slices.Sorted(maps.Keys(since)) {
		zone, err := poolZone(tx, settings, pool, true)
		if err != nil {
			return err
		}
		events, err := tx.PoolEvents(pool, since[pool]-2*longestCheckout, now+1)
		if err != nil {
			return err
		}
		var denials []usage.PoolEvent
		for _, e := range events {
			if e.Kind == usage.Denial {
				denials = append(denials, e)
			}
		}
		outs := usage.Outs(events, now)
		from := since[pool]
		for i := range outs { // a return that has come changes the days since its checkout
			if o := &outs[i]; o.End >= since[pool] {
				from = min(from, max(o.Start, since[pool]-longestCheckout))
			}
		}
		if err := tx.PutPoolDays(pool, civil.Of(time.Unix(from, 0).In(zone)), usage.PoolDays(outs, denials, zone)); err != nil {
			return err
		}
	}
	return nil
}

// poolZone is the zone whose days a pool counts by: that of the site of most of its devices when it first reported. With keep it is written down, so that its days do not change with those who use it.
func poolZone(tx *store.Tx, settings *Settings, pool int64, keep bool) (*time.Location, error) {
	name, err := tx.PoolZone(pool)
	if err != nil {
		return nil, err
	}
	if name != "" {
		return time.LoadLocation(name)
	}
	site, err := tx.SiteOfPool(pool)
	if err != nil {
		return nil, err
	}
	zone := settings.zone(site)
	if keep {
		err = tx.SetPoolZone(pool, zone.String())
	}
	return zone, err
}
