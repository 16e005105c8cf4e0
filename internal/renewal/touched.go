package renewal

import (
	"encoding/json"

	"ensomet/internal/sqlite"
)

// A touched product is one whose position is to be worked out again; product 0 stands for all. The mark carries the
// change that it was made with, which is the one after the counter's value.

const nextChange = "(SELECT CAST(coalesce((SELECT value FROM setting WHERE key = 'changes'), 0) AS INTEGER) + 1)"

// Touch marks products, in the transaction that changes what their positions rest on, before the change is counted.
func Touch(tx *sqlite.Tx, products []int64) error {
	if len(products) == 0 {
		return nil
	}
	list, err := json.Marshal(products)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_product(product_id, change) SELECT value, "+nextChange+
			" FROM json_each(?) WHERE true ON CONFLICT DO UPDATE SET change = excluded.change",
		string(list),
	)
	return err
}

// TouchNow marks products where no change is counted after it: what recognises names anew counts none.
func TouchNow(tx *sqlite.Tx, products []int64) error {
	list, err := json.Marshal(products)
	if err != nil || len(products) == 0 {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_product(product_id, change) SELECT value, "+nextChange+
			" - 1 FROM json_each(?) WHERE true ON CONFLICT DO UPDATE SET change = max(change, excluded.change)",
		string(list),
	)
	return err
}

// TouchAll marks every product.
func TouchAll(tx *sqlite.Tx) error {
	_, err := tx.Exec(
		"INSERT INTO dirty_product(product_id, change) SELECT 0, " + nextChange +
			" WHERE true ON CONFLICT DO UPDATE SET change = excluded.change",
	)
	return err
}

// TouchDevice marks the products that were ever recognised on a device.
func TouchDevice(tx *sqlite.Tx, device int64) error {
	_, err := tx.Exec(
		"INSERT INTO dirty_product(product_id, change) SELECT DISTINCT n.product_id, "+nextChange+
			" FROM recognition n WHERE n.product_id <> 0 AND n.record_id IN (SELECT record_id FROM install WHERE "+
			"device_id = ?) "+
			"ON CONFLICT DO UPDATE SET change = excluded.change",
		device,
	)
	return err
}

// Touched lists the products marked up to a change.
func Touched(tx *sqlite.Tx, upTo string) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT product_id FROM dirty_product WHERE change <= CAST(? AS INTEGER) ORDER BY product_id",
		upTo,
	)
}

// Untouch forgets the marks up to a change: of some products, or of all where the list is nil.
func Untouch(tx *sqlite.Tx, products []int64, upTo string) error {
	if products == nil {
		_, err := tx.Exec("DELETE FROM dirty_product WHERE change <= CAST(? AS INTEGER)", upTo)
		return err
	}
	list, err := json.Marshal(products)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"DELETE FROM dirty_product WHERE change <= CAST(? AS INTEGER) AND product_id IN (SELECT value FROM "+
			"json_each(?))",
		upTo,
		string(list),
	)
	return err
}

// DirtyDevices lists the devices of which something new was reported up to a change, and whose changes between scans
// are to be worked out anew.
func DirtyDevices(tx *sqlite.Tx, upTo string) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT device_id FROM dirty_device WHERE change <= CAST(? AS INTEGER) ORDER BY device_id",
		upTo,
	)
}

// Clean forgets that devices were dirty up to a change.
func Clean(tx *sqlite.Tx, upTo string) error {
	_, err := tx.Exec("DELETE FROM dirty_device WHERE change <= CAST(? AS INTEGER)", upTo)
	return err
}

// MarkDevicesOf notes of all devices that have or had some records that their changes between scans are to be worked
// out anew, by the renewal that is running if there is one.
func MarkDevicesOf(tx *sqlite.Tx, records []int64) error {
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_device(device_id, change) SELECT DISTINCT device_id, 0 FROM install WHERE record_id IN "+
			"(SELECT value FROM json_each(?)) ON CONFLICT DO NOTHING",
		string(list),
	)
	return err
}

// MarkDevice notes that what was reported of a device has changed, so that its changes between scans are worked out
// anew.
func MarkDevice(tx *sqlite.Tx, device int64) error {
	_, err := tx.Exec(
		"INSERT INTO dirty_device(device_id, change) VALUES (?, coalesce((SELECT CAST(value AS INTEGER) FROM setting "+
			"WHERE key = 'changes'), 0) + 1) ON CONFLICT DO UPDATE SET change = excluded.change",
		device,
	)
	return err
}

// MarkUseDue notes that the runs of a device are to be rolled up, from a start on, at a time or later.
func MarkUseDue(tx *sqlite.Tx, device, since, after int64) error {
	_, err := tx.Exec(
		"INSERT INTO use_due(device_id, since, after) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET since = min(since, "+
			"excluded.since), after = min(after, excluded.after)",
		device,
		since,
		after,
	)
	return err
}
