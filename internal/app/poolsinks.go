package app

import (
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// poolSink takes pools of concurrent licences.
func poolSink(tx *store.Tx) (*sink, error) {
	products, err := tx.ProductKeysByHouse()
	if err != nil {
		return nil, err
	}
	return upsertSink(tx, tx.Pools, func(row *formats.Row) (string, formats.Pool, error) {
		p, err := formats.ParsePool(row)
		return "pool " + p.Code, p, err
	}, func(u *store.Upserter, p formats.Pool, row *formats.Row) (store.Change, error) {
		product, reason := findProduct(products, p.Publisher, p.Product)
		if reason != "" {
			return store.Same, refuse(row, "%s", reason)
		}
		return u.PutPool(product, p)
	})
}

// poolEventSink takes what licence servers reported.
func poolEventSink(tx *store.Tx, settings *Settings) (*sink, error) {
	pools, err := tx.Codes("pool")
	if err != nil {
		return nil, err
	}
	touched := map[int64]bool{}
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
		touched[id] = touched[id] || c != store.Same
		return c, err
	})
	s.finish = func(*ImportResult) error { return tx.TouchPools(touched) }
	return s, nil
}
