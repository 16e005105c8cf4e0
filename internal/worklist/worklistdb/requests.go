package worklistdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/civil"
	"ensomet/internal/sqlite"
)

// Request is what was asked for: a purchase, or something to be done elsewhere.
type Request struct {
	ID        int64
	Measure   string // as a measure of a scenario, in JSON
	What      string // in words
	Author    string
	At        int64
	Note      string
	Scenario  int64 // that it came out of, 0 where it did not
	Shortfall int64 // the case of the shortfall that asked for it, 0 where none did
	Order     string
	Expected  civil.Day
}

const requestColumns = `SELECT id, measure, what, author, at, note, scenario_id AS scenario, shortfall,
	order_no AS "order", expected FROM wanted`

// AddRequest keeps what was asked for and returns its number.
func AddRequest(tx *sqlite.Tx, r Request) (int64, error) {
	return tx.Insert("INSERT INTO wanted(measure, what, author, at, note, scenario_id, shortfall) VALUES "+
		"(?, ?, ?, ?, ?, ?, ?)", r.Measure, r.What, r.Author, r.At, r.Note, r.Scenario, r.Shortfall)
}

// RequestByID reads what was asked for.
func RequestByID(tx *sqlite.Tx, id int64) (Request, error) {
	list, err := sqlite.Select[Request](tx, requestColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Request{}, err
	}
	return list[0], nil
}

// SetOrdered keeps under which number something was ordered, and when it is expected; an empty number takes that back.
func SetOrdered(tx *sqlite.Tx, id int64, number string, expected civil.Day) error {
	return tx.One("UPDATE wanted SET order_no = ?, expected = ? WHERE id = ?", number, expected, id)
}

// SetShortfall keeps which case of a shortfall something that was asked for is to end.
func SetShortfall(tx *sqlite.Tx, id, shortfall int64) error {
	return tx.One("UPDATE wanted SET shortfall = ? WHERE id = ?", shortfall, id)
}

// Fulfilment is a line or a transaction that names what was asked for.
type Fulfilment struct {
	Line     string
	What     string // the type of the transaction, or line
	On       civil.Day
	Quantity int64 // below 0 in a counter-entry
}

// Fulfilments lists what names a case about a product that was asked for: by the number of the case, or by that of its
// order from a day on.
func Fulfilments(tx *sqlite.Tx, product int64, caseID int64, order string, from civil.Day) ([]Fulfilment, error) {
	return sqlite.Query(tx, func(r *sql.Rows, f *Fulfilment) error {
		return r.Scan(&f.Line, &f.What, &f.On, &f.Quantity)
	}, `SELECT e.code, t.type, t.on_day, t.quantity FROM txn t JOIN entitlement e ON e.id = t.entitlement_id
			WHERE e.product_id = ?1 AND t.gone_at IS NULL AND (t.request = ?2 OR t.request = '' AND ?3 <> ''
			AND t.order_no = ?3 AND t.on_day >= ?4)
		UNION ALL SELECT e.code, 'line', coalesce(nullif(e.purchased, 0), e.start), e.quantity FROM entitlement e
			WHERE e.product_id = ?1 AND ?3 <> '' AND e.order_no = ?3 AND coalesce(nullif(e.purchased, 0), e.start) >= ?4
			AND NOT EXISTS (SELECT 1 FROM txn t WHERE t.entitlement_id = e.id AND t.type = 'buy' AND t.order_no = ?3)
		ORDER BY 3, 1`, product, sqlite.Itoa(caseID), order, from)
}

// OpenRequests lists the cases of what was asked for about a product and is neither fulfilled nor dropped.
func OpenRequests(tx *sqlite.Tx, product int64) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT id FROM worklist_case WHERE product_id = ? AND wanted_id <> 0 AND state NOT
		IN ('gone', 'lapsed', 'kept') ORDER BY id`, product)
}

// OpenShortfall is the case of a product's shortfall, 0 where there is none that is open.
func OpenShortfall(tx *sqlite.Tx, product int64) (int64, error) {
	list, err := sqlite.Select[int64](tx, `SELECT id FROM worklist_case WHERE product_id = ? AND kind = 'uncovered'
		AND state NOT IN ('gone', 'lapsed', 'kept')`, product)
	if err != nil || len(list) == 0 {
		return 0, err
	}
	return list[0], nil
}

// VersionsOn lists the versions that a product has on some devices by the newest evidence.
func VersionsOn(tx *sqlite.Tx, product int64, devices []string) ([]string, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[string](tx, `SELECT DISTINCT n.version FROM device d JOIN install i ON i.device_id = d.id
			JOIN recognition n ON n.record_id = i.record_id
		WHERE d.code IN (SELECT value FROM json_each(?)) AND i.until IS NULL AND n.product_id = ? ORDER BY 1`,
		string(list), product)
}
