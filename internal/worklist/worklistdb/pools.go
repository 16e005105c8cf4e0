package worklistdb

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// PoolSeen is what is known of a pool in some days.
type PoolSeen struct {
	Peak, Denials int64
	Measured      int64 // days that lie between the first and the last report of the pool's server
}

// PoolSeenIn sums up a pool's days from one to another. A pool reports through its server: days between the server's
// first and last report were measured.
func PoolSeenIn(tx *sqlite.Tx, pool int64, from, to civil.Day) (v PoolSeen, err error) {
	err = tx.QueryRowContext(tx.Ctx, `WITH told AS (SELECT min(d.day) AS first, max(d.day) AS last FROM pool_day d
		JOIN pool p ON p.id = d.pool_id WHERE p.server = (SELECT server FROM pool WHERE id = ?1)
		AND (p.server <> '' OR p.id = ?1))
		SELECT coalesce(max(d.peak), 0), coalesce(sum(d.denials), 0), (SELECT coalesce(max(0, min(last, ?3) -
		max(first, ?2) + 1), 0) FROM told) FROM pool_day d WHERE d.pool_id = ?1 AND d.day BETWEEN ?2
		AND ?3`, pool, from, to).
		Scan(&v.Peak, &v.Denials, &v.Measured)
	return v, err
}
