package worklistdb

import (
	"encoding/json"

	"ensomet/internal/sqlite"
)

// FoundKey is a licence key on a device, with what it was found with: a product, 0 where nobody knows, that counts or
// not.
type FoundKey struct {
	Key, Device, Since, Product int64
	Counts                      bool
}

// FoundKeys reads where licence keys are at a second, on devices that are not retired, in the order of the keys.
func FoundKeys(tx *sqlite.Tx, at int64) ([]FoundKey, error) {
	return sqlite.Select[FoundKey](tx, `SELECT k.key_id AS key, k.device_id AS device, min(k.since) AS since,
			coalesce(n.product_id, 0) AS product, coalesce(n.product_id, 0) = 0 OR n.why_not = '' AS counts
		FROM install_key k JOIN device d ON d.id = k.device_id AND d.status <> 'retired'
		LEFT JOIN recognition n ON n.record_id = k.record_id
		WHERE k.since <= ?1 AND (k.until IS NULL OR k.until > ?1) GROUP BY k.key_id, k.device_id, k.record_id
		ORDER BY 1, 2, k.record_id`, at)
}

// KeysTouch reports whether devices have or had licence keys, or products have some that were booked.
func KeysTouch(tx *sqlite.Tx, devices, products []int64) (touch bool, err error) {
	list, err := json.Marshal([2][]int64{devices, products})
	if err != nil {
		return false, err
	}
	err = tx.QueryRowContext(tx.Ctx, `SELECT EXISTS (SELECT 1 FROM json_each(?1, '$[0]') d JOIN install_key k
			ON k.device_id = d.value) OR EXISTS (SELECT 1 FROM licence_key k JOIN entitlement e
			ON e.id = k.entitlement_id WHERE e.product_id IN (SELECT value FROM json_each(?1, '$[1]')))
			OR EXISTS (SELECT 1 FROM json_each(?1, '$[1]') p JOIN key_fact f ON f.product_id = p.value)`,
		string(list)).Scan(&touch)
	return touch, err
}

// BookedKey is a licence key that was booked on a line. Key is its number among those that were found; where it never
// was found, a number below 0 that all lines with the key share.
type BookedKey struct {
	Key     int64
	Hint    string // its last signs
	Line    int64
	Code    string // of the line
	Product int64
}

// BookedKeys reads the licence keys of lines in force that can be compared, by line.
func BookedKeys(tx *sqlite.Tx) ([]BookedKey, error) {
	return sqlite.Select[BookedKey](tx, `SELECT coalesce(f.id, -(SELECT min(o.id) FROM licence_key o
			WHERE o.hash = k.hash AND o.dropped_at = 0)) AS key,
		ltrim(k.hint, '…') AS hint, e.id AS line, e.code, e.product_id AS product
		FROM licence_key k JOIN entitlement e ON e.id = k.entitlement_id AND e.withdrawn_at = 0
		LEFT JOIN found_key f ON f.hash = k.hash
		WHERE k.dropped_at = 0 AND k.hash NOT IN ('', '-') ORDER BY e.id, k.id`)
}

// KeyHints reads the last signs of the keys that were found, by their numbers.
func KeyHints(tx *sqlite.Tx) (map[int64]string, error) {
	type hint struct {
		ID   int64
		Hint string
	}
	list, err := sqlite.Select[hint](tx, "SELECT id, hint FROM found_key")
	out := make(map[int64]string, len(list))
	for _, h := range list {
		out[h.ID] = h.Hint
	}
	return out, err
}

// KeyFact is how a licence key stands, as lists show it.
type KeyFact struct {
	ID       int64 // its number among those that were found, or below 0
	Hint     string
	State    string
	Product  int64 // 0 where nobody knows
	Devices  int64 // that have it
	Together int64 // that have it or another key of its lines
	Bought   int64 // licences of its lines; below 0 where they count no machines
	Lines    string
	Since    int64 // when it was first found where it is now; 0 where it is nowhere
	FoundID  int64
}

// PutKeyFacts writes how all keys stand.
func PutKeyFacts(tx *sqlite.Tx, list []KeyFact) error {
	return tx.Replace("key_fact", 1, []string{"id", "hint", "state", "product_id", "devices", "together", "bought",
		"lines", "since", "found_id"}, len(list), func(i int) []any {
		f := &list[i]
		return []any{f.ID, f.Hint, f.State, f.Product, f.Devices, f.Together, f.Bought, f.Lines, f.Since, f.FoundID}
	})
}
