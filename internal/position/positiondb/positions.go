// Package positiondb has the tables of statements and the order of metrics.
package positiondb

import (
	"encoding/json"
	"strings"

	"ensomet/internal/core/entitle"
	"ensomet/internal/sqlite"
)

// ReasonCount counts installs by a reason.
type ReasonCount struct {
	Reason string
	Count  int64
}

// WhyNotOf counts the installs of a product that do not count by themselves, by reason.
func WhyNotOf(tx *sqlite.Tx, product int64) ([]ReasonCount, error) {
	return sqlite.Select[ReasonCount](tx, `SELECT n.why_not AS reason, count(*) AS count
		FROM install i JOIN recognition n ON n.record_id = i.record_id WHERE i.until IS NULL AND n.product_id
		= ? AND n.why_not <> '' GROUP BY 1 ORDER BY 2 DESC`,
		product,
	)
}

// SetMetricOrder writes the order in which the metrics of a product cover; none is the usual one.
func SetMetricOrder(tx *sqlite.Tx, product int64, order []entitle.Metric) error {
	var text []string
	for _, m := range order {
		text = append(text, string(m))
	}
	return tx.One("UPDATE product SET metric_order = ? WHERE id = ?", strings.Join(text, "|"), product)
}

// Counted is a product with a position, and how many of it count.
type Counted struct{ ProductID, Counted int64 }

// CountedByMachine lists the products with a position by processor or core that have installs on a device, on what
// runs on it or ran on it, or on what shares its host or its cluster, by their numbers.
func CountedByMachine(tx *sqlite.Tx, device int64) ([]Counted, error) {
	return sqlite.Select[Counted](tx, `WITH one AS (SELECT id, code, cluster, host_id FROM device WHERE id = ?),
		near AS (SELECT code, cluster FROM one
			UNION SELECT h.code, h.cluster FROM one JOIN device h ON h.code = one.host_id WHERE one.host_id <> ''),
		hosts AS (SELECT code FROM near
			UNION SELECT d.code FROM near JOIN device d ON d.cluster = near.cluster WHERE near.cluster <> ''
			UNION SELECT w.host_id FROM one JOIN device_was w ON w.device_id = one.id WHERE w.host_id <> ''),
		machines AS (SELECT d.id FROM hosts JOIN device d ON d.code = hosts.code
			UNION SELECT d.id FROM hosts JOIN device d ON d.host_id = hosts.code AND d.host_id <> ''
			UNION SELECT w.device_id FROM hosts JOIN device_was w ON w.host_id = hosts.code AND w.host_id <> '')
		SELECT k.product_id, max(p.counted) AS counted FROM machines m JOIN install i ON i.device_id = m.id
			JOIN recognition k ON k.record_id = i.record_id
			JOIN position p ON p.product_id = k.product_id AND p.metric IN ('core', 'processor')
		GROUP BY 1 ORDER BY 1`, device)
}

// Guests lists what runs on a device, by number.
func Guests(tx *sqlite.Tx, device int64) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT g.id FROM device d JOIN device g ON g.host_id = d.code
		AND g.host_id <> '' WHERE d.id = ? ORDER BY g.id`, device)
}

// ProductsOn counts the products that are on some devices, by their device_ids.
func ProductsOn(tx *sqlite.Tx, codes []string) (n int64, err error) {
	list, err := json.Marshal(codes)
	if err != nil {
		return 0, err
	}
	err = tx.QueryRowContext(tx.Ctx, `SELECT count(DISTINCT k.product_id) FROM device d
		JOIN install i ON i.device_id = d.id JOIN recognition k ON k.record_id = i.record_id
		WHERE d.code IN (SELECT value FROM json_each(?)) AND i.until IS NULL AND k.product_id > 0`, string(list)).
		Scan(&n)
	return n, err
}

// StandsAlone reports whether a device runs on no host, and nothing runs on it or moves to it.
func StandsAlone(tx *sqlite.Tx, device int64) (bool, error) {
	list, err := sqlite.Select[bool](tx, `SELECT d.kind NOT IN ('virtual_machine', 'vm_host') AND d.host_id = ''
		AND d.cluster = '' AND NOT EXISTS (SELECT 1 FROM device g WHERE g.host_id = d.code AND g.host_id <> '')
		FROM device d WHERE d.id = ?`, device)
	return err == nil && len(list) > 0 && list[0], err
}
