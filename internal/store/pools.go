package store

import (
	"database/sql"

	"ensomet/internal/formats"
)

// Pools prepares writing pools.
func (tx *Tx) Pools() (*Upserter, error) {
	return tx.upserter("pool", "code", 6, "code", "product_id", "server", "quantity", "expires", "custom")
}

// PutPool writes a pool.
func (u *Upserter) PutPool(product int64, p formats.Pool) (Change, error) {
	_, c, err := u.put(p.Code, p.Code, product, p.Server, p.Quantity, p.Expires, custom(p.Custom))
	if err == nil && c != Same {
		err = u.tx.Touch([]int64{product})
	}
	return c, err
}

// PutPoolEvent writes an event of a pool. The same event twice is one.
func (tx *Tx) PutPoolEvent(pool int64, e formats.PoolEvent) (Change, error) {
	res, err := tx.exec("INSERT OR IGNORE INTO pool_event(pool_id, at, session, event, person_code, device_code, licences) VALUES (?, ?, ?, ?, ?, ?, ?)", pool, e.At, e.Session, e.Event, e.User, e.Device, e.Licences)
	if err != nil {
		return Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return Same, nil
	}
	return Added, nil
}

// TouchPools marks the products of some pools.
func (tx *Tx) TouchPools(pools map[int64]bool) error {
	list, err := tx.AllPools()
	if err != nil {
		return err
	}
	var products []int64
	for _, p := range list {
		if pools[p.ID] {
			products = append(products, p.Product)
		}
	}
	return tx.Touch(products)
}

// PoolOf is a pool with its product.
type PoolOf struct{ ID, Product int64 }

// AllPools reads every pool, by its code.
func (tx *Tx) AllPools() ([]PoolOf, error) {
	return query(tx, func(r *sql.Rows, v *PoolOf) error { return r.Scan(&v.ID, &v.Product) }, "SELECT id, product_id FROM pool ORDER BY code")
}

// PoolSession is licences that were out of a pool. End is 0 where no return is known.
type PoolSession struct {
	Pool           int64
	Person, Device string // user_id, device_id
	Start, End     int64
	Licences       int64
}

// PoolSessions reads what was out of pools at some time in [from, to): each checkout up to the first return of its session that follows.
func (tx *Tx) PoolSessions(from, to int64) ([]PoolSession, error) {
	return query(tx, func(r *sql.Rows, v *PoolSession) error {
		return r.Scan(&v.Pool, &v.Person, &v.Device, &v.Start, &v.Licences, &v.End)
	}, `SELECT * FROM (SELECT c.pool_id, c.person_code, c.device_code, c.at, c.licences,
			coalesce((SELECT min(r.at) FROM pool_event r WHERE r.pool_id = c.pool_id AND r.session = c.session AND r.event = 'return' AND r.at >= c.at), 0) AS ended
		FROM pool_event c WHERE c.event = 'checkout' AND c.at < ?2) WHERE ended = 0 OR ended > ?1 ORDER BY 1, 4, 2, 3`, from, to)
}
