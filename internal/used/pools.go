package used

import (
	"database/sql"

	"ensomet/internal/core/usage"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// PoolQuantityAt is how many licences a pool had at a time.
func PoolQuantityAt(tx *sqlite.Tx, pool, at int64) (n int64, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce((SELECT quantity FROM pool_was WHERE pool_id = ?1 AND until > ?2 ORDER BY until LIMIT 1), "+
			"(SELECT quantity FROM pool WHERE id = ?1), 0)", pool, at).
		Scan(&n)
	return n, err
}

// TouchPools marks the products of some pools.
func TouchPools(tx *sqlite.Tx, pools map[int64]bool) error {
	list, err := Pools(tx)
	if err != nil {
		return err
	}
	var products []int64
	for _, p := range list {
		if pools[p.ID] {
			products = append(products, p.Product)
		}
	}
	return renewal.Touch(tx, products)
}

// Pool is a pool of a product under its number.
type Pool struct {
	ID, Product int64
	usage.Pool
}

// Pools reads every pool, by its code.
func Pools(tx *sqlite.Tx) ([]Pool, error) {
	return sqlite.Select[Pool](tx, `SELECT id, product_id AS product, code,
		server, quantity, expires FROM pool ORDER BY code`)
}

// PoolSession is licences that were out of a pool. End is 0 where no return is known.
type PoolSession struct {
	Pool           int64
	Person, Device string // user_id, device_id
	Start, End     int64
	Licences       int64
}

// PoolSessions reads what was out of pools at some time in [from, to): each checkout up to the first return of its
// session that follows.
func PoolSessions(tx *sqlite.Tx, from, to int64) ([]PoolSession, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *PoolSession) error {
		return r.Scan(&v.Pool, &v.Person, &v.Device, &v.Start, &v.Licences, &v.End)
	}, `SELECT * FROM (SELECT c.pool_id, c.person_code, c.device_code, c.at, c.licences,
			coalesce((SELECT min(r.at) FROM pool_event r WHERE r.pool_id = c.pool_id AND r.session = c.session
			AND r.event = 'return' AND r.at >= c.at), 0) AS ended
		FROM pool_event c WHERE c.event = 'checkout' AND c.at < ?2) WHERE ended = 0 OR ended > ?1
		ORDER BY 1, 4, 2, 3`, from, to)
}

// RightSize is how many licences a pool needs by replays of what it was asked for.
type RightSize struct {
	Licences int64 // the least at which few enough are denied
	All      int64 // the least at which nobody is
	Requests int64
	Price    decimal.Decimal // of one; 0 where nobody knows
	Currency string
	Paid     string // how often the price is paid
}
