package worklistdb

import (
	"errors"

	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
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

// OpenPlans reads the plans about all products that have not ended.
func OpenPlans(tx *sqlite.Tx) ([]snapshot.Plan, error) {
	return sqlite.Query(tx, snapshot.ScanPlan, snapshot.PlanColumns+" WHERE ended_at = 0 ORDER BY product_id, id")
}

// DevicesOfTitle lists the devices on which a title was at a second.
func DevicesOfTitle(tx *sqlite.Tx, title, at int64) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT DISTINCT i.device_id FROM recognition n
		JOIN install i ON i.record_id = n.record_id
		WHERE n.title_id = ?1 AND i.since <= ?2 AND (i.until IS NULL OR i.until > ?2) ORDER BY 1`,
		title,
		at,
	)
}

// SeatsFreedBy lists the seats of a product that nobody needs once it is off a device: the device's own, and that of
// its user where none of his devices has it.
func SeatsFreedBy(tx *sqlite.Tx, device, product int64, today civil.Day) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id
		AND e.withdrawn_at = 0
		WHERE e.product_id = ?2 AND a.from_day <= ?3 AND (a.until_day = 0 OR a.until_day >= ?3)
		AND (a.device_id = ?1 OR a.person_id = (SELECT u.id FROM device d JOIN person u ON u.code = d.primary_user
		WHERE d.id = ?1)
			AND NOT EXISTS (SELECT 1 FROM device o JOIN install i ON i.device_id = o.id AND i.until IS NULL
			JOIN recognition n ON n.record_id = i.record_id AND n.product_id = ?2
				WHERE o.primary_user = (SELECT primary_user FROM device WHERE id = ?1) AND o.status <> 'retired'))
				ORDER BY a.id`,
		device,
		product,
		today,
	)
}

// SeatsOf lists the seats of a product that a person holds on a day.
func SeatsOf(tx *sqlite.Tx, person, product int64, day civil.Day) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT a.id FROM assignment a JOIN entitlement e ON e.id = a.entitlement_id
			AND e.withdrawn_at = 0
		WHERE a.person_id = ?1 AND e.product_id = ?2 AND a.from_day <= ?3 AND (a.until_day = 0 OR a.until_day >= ?3)
		ORDER BY a.id`, person, product, day)
}

// UserOfDevice is the main user of a device with the mail address, empty where nobody is known or the user has left.
func UserOfDevice(tx *sqlite.Tx, device int64) (person int64, address, name string, err error) {
	p, err := snapshot.PersonWhere(
		tx,
		"status <> 'left' AND code = (SELECT primary_user FROM device WHERE id = ?)",
		device,
	)
	if errors.Is(err, sqlite.ErrNotFound) {
		err = nil
	}
	return p.ID, p.Email, p.Name, err
}
