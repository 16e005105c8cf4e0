package use

import (
	"errors"
	"maps"
	"slices"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/use/usedb"
	"ensomet/internal/used"
)

// poolWriter takes pools of concurrent licences.
func (svc *Service) poolWriter(tx *sqlite.Tx) (*intake.Writer, error) {
	now := svc.Clock.Now().Unix()
	products, err := snapshot.ProductKeysByAnyName(tx)
	if err != nil {
		return nil, err
	}
	return intake.UpsertWriter(tx, usedb.Pools, func(row *formats.Row) (string, formats.Pool, error) {
		p, err := formats.ParsePool(row)
		return "pool " + p.Code, p, err
	}, func(u *sqlite.Upserter, p formats.Pool, row *formats.Row) (sqlite.Change, error) {
		product, reason := snapshot.FindProduct(products, p.Publisher, p.Product)
		if reason != "" {
			return sqlite.Same, intake.Refuse(row, "%s", reason)
		}
		return usedb.PutPool(u, product, p, now)
	})
}

// poolEventWriter takes what licence servers reported.
func (svc *Service) poolEventWriter(tx *sqlite.Tx, settings *snapshot.Settings) (*intake.Writer, error) {
	pools, err := stored.Codes(tx, "pool")
	if err != nil {
		return nil, err
	}
	touched := map[int64]bool{}
	since := map[int64]int64{} // by pool, its earliest new event
	s := intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		e, err := formats.ParsePoolEvent(row, settings.Zone)
		if err != nil {
			return sqlite.Same, err
		}
		id := pools[e.Pool]
		if id == 0 {
			return sqlite.Same, intake.Refuse(
				row,
				"there is no pool %q: import the pools first; the line is tried again then",
				e.Pool,
			)
		}
		c, err := usedb.PutPoolEvent(tx, id, e)
		if c != sqlite.Same && (!touched[id] || e.At < since[id]) {
			touched[id], since[id] = true, e.At
		}
		return c, err
	})
	s.Finish = func(*intake.ImportResult) error {
		return errors.Join(svc.rollPools(tx, settings, since), used.TouchPools(tx, touched))
	}
	return s, nil
}

// longestCheckout is how many seconds licences may have been out when something new is reported of them.
const longestCheckout = 14 * 86400

// rollPools sums pools up by days, from the days on which their new events changed something.
func (svc *Service) rollPools(tx *sqlite.Tx, settings *snapshot.Settings, since map[int64]int64) error {
	now := svc.Clock.Now().Unix()
	for _, pool := range slices.Sorted(maps.Keys(since)) {
		zone, err := poolZone(tx, settings, pool, true)
		if err != nil {
			return err
		}
		events, err := usedb.PoolEvents(tx, pool, since[pool]-2*longestCheckout, now+1)
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
		if err := usedb.PutPoolDays(tx, pool, civil.Of(time.Unix(from, 0).In(zone)),
			usage.PoolDays(outs, denials, zone)); err != nil {
			return err
		}
	}
	return nil
}

// poolZone is the zone whose days a pool counts by: that of the site of most of its devices when it first reported.
// With keep it is written down, so that its days do not change with those who use it.
func poolZone(tx *sqlite.Tx, settings *snapshot.Settings, pool int64, keep bool) (*time.Location, error) {
	name, err := usedb.PoolZone(tx, pool)
	if err != nil {
		return nil, err
	}
	if name != "" {
		return time.LoadLocation(name)
	}
	site, err := usedb.SiteOfPool(tx, pool)
	if err != nil {
		return nil, err
	}
	zone := settings.ZoneOf(site)
	if keep {
		err = usedb.SetPoolZone(tx, pool, zone.String())
	}
	return zone, err
}
