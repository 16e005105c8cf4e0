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

// TouchPooled marks the products that licence servers share.
func TouchPooled(tx *sqlite.Tx) error {
	_, err := tx.Exec("INSERT INTO dirty_product(product_id, change) SELECT DISTINCT product_id, " + nextChange +
		" FROM pool WHERE true ON CONFLICT DO UPDATE SET change = excluded.change")
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

// TouchDevice notes that something of a device changed that is counted.
func TouchDevice(tx *sqlite.Tx, device int64) error {
	_, err := tx.Exec(
		"INSERT INTO touched_device(device_id) VALUES (?) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted",
		device,
	)
	return err
}

// TouchDevicesOf notes of all devices that have some records that these mean something else.
func TouchDevicesOf(tx *sqlite.Tx, records []int64) error {
	if tx.Previewed() { // nothing is renewed of what a preview changes
		return nil
	}
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO touched_device(device_id) SELECT DISTINCT device_id FROM install WHERE record_id IN "+
			"(SELECT value FROM json_each(?)) ON CONFLICT DO UPDATE SET counted = 0 WHERE counted",
		string(list),
	)
	return err
}

// TouchHolders notes of all devices on which a product is counted that something changed.
func TouchHolders(tx *sqlite.Tx, product int64) error {
	_, err := tx.Exec("INSERT INTO touched_device(device_id) SELECT device_id FROM idle_fact WHERE product_id = ? "+
		"ON CONFLICT DO UPDATE SET counted = 0", product)
	return err
}

// TouchedDevices lists devices that are to be counted, the first of them.
func TouchedDevices(tx *sqlite.Tx, most int) ([]int64, error) {
	return sqlite.Select[int64](tx, `SELECT device_id FROM touched_device WHERE counted <> 1
		UNION SELECT device_id FROM dirty_device ORDER BY 1 LIMIT ?`, most)
}

// CountTouched says how many devices are to be counted.
func CountTouched(tx *sqlite.Tx) (n int, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT count(*) FROM touched_device WHERE counted <> 1").Scan(&n)
	return n, err
}

// BeginCounting notes that devices are being counted: one of which something changes until they are counted is not
// among them any more.
func BeginCounting(tx *sqlite.Tx, devices []int64) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	_, err = tx.Exec("INSERT INTO touched_device(device_id, counted) SELECT value, 2 FROM json_each(?) WHERE true "+
		"ON CONFLICT DO UPDATE SET counted = 2", string(list))
	return err
}

// Dirty is a device whose changes between scans are to be worked out anew, from a time on; 0 is from the beginning.
type Dirty struct {
	Device int64
	Since  int64 // seconds since 1970
}

// DevicesCounted notes that devices are counted, and lists those whose changes between scans are to be worked out.
func DevicesCounted(tx *sqlite.Tx, devices []int64) (dirty []Dirty, err error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	if _, err = tx.Exec("INSERT INTO touched_device(device_id, counted) SELECT value, 1 FROM json_each(?) WHERE true "+
		"ON CONFLICT DO UPDATE SET counted = 1", string(list)); err != nil {
		return nil, err
	}
	return TakeDirty(tx, devices)
}

// CountedDevices lists the devices that are counted and of which the cases are to be looked at.
func CountedDevices(tx *sqlite.Tx) ([]int64, error) {
	return sqlite.Select[int64](tx, "SELECT device_id FROM touched_device WHERE counted = 1 ORDER BY device_id")
}

// DevicesSeen notes that the cases of devices were looked at; what changed of them since stays marked.
func DevicesSeen(tx *sqlite.Tx, devices []int64) error {
	list, err := json.Marshal(devices)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"DELETE FROM touched_device WHERE counted = 1 AND device_id IN (SELECT value FROM json_each(?))",
		string(list),
	)
	return err
}

// Forget forgets whatever is touched: everything is going to be counted by a state of the file that comes after it.
func Forget(tx *sqlite.Tx) error {
	for _, table := range []string{"touched_device", "touched_use", "touched_person", "dirty_name", "dirty_product"} {
		if _, err := tx.Exec("DELETE FROM " + table); err != nil {
			return err
		}
	}
	return nil
}

// AmongTouched lists those of some devices of which something changed since they were counted, or since that began.
func AmongTouched(tx *sqlite.Tx, devices []int64) ([]int64, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, "SELECT device_id FROM touched_device WHERE counted = 0 AND device_id IN "+
		"(SELECT value FROM json_each(?))", string(list))
}

// AnyTouched reports whether anything is touched.
func AnyTouched(tx *sqlite.Tx) (any bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT EXISTS (SELECT 1 FROM touched_device) OR EXISTS (SELECT 1 FROM dirty_device)
		OR EXISTS (SELECT 1 FROM touched_use) OR EXISTS (SELECT 1 FROM touched_person) OR
		EXISTS (SELECT 1 FROM dirty_name) OR EXISTS (SELECT 1 FROM dirty_product WHERE product_id <> 0)`).Scan(&any)
	return any, err
}

// TakeDirty lists those of some devices whose changes between scans are to be worked out, and forgets that.
func TakeDirty(tx *sqlite.Tx, devices []int64) ([]Dirty, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[Dirty](tx, "DELETE FROM dirty_device WHERE device_id IN (SELECT value FROM json_each(?)) "+
		"RETURNING device_id AS device, since", string(list))
}

// AllTouched reports whether every product is marked.
func AllTouched(tx *sqlite.Tx) (all bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT EXISTS (SELECT 1 FROM dirty_product WHERE product_id = 0)").Scan(&all)
	return all, err
}

// AllRenewed forgets that every product was marked, up to a change.
func AllRenewed(tx *sqlite.Tx, upTo string) error { return Untouch(tx, []int64{0}, upTo) }

// AmongDirty lists those of some products that are marked.
func AmongDirty(tx *sqlite.Tx, products []int64) ([]int64, error) {
	list, err := json.Marshal(products)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, "SELECT product_id FROM dirty_product WHERE product_id IN "+
		"(SELECT value FROM json_each(?))", string(list))
}

// Touched lists the products marked up to a change.
func Touched(tx *sqlite.Tx, upTo string) ([]int64, error) {
	return sqlite.Select[int64](tx,
		"SELECT product_id FROM dirty_product WHERE change <= CAST(? AS INTEGER) ORDER BY product_id",
		upTo,
	)
}

// Untouch forgets the marks of some products up to a change.
func Untouch(tx *sqlite.Tx, products []int64, upTo string) error {
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

// MarkDevicesOf notes of all devices that have or had some records that their changes between scans are to be worked
// out anew, by the renewal that is running if there is one.
func MarkDevicesOf(tx *sqlite.Tx, records []int64) error {
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_device(device_id, change) SELECT DISTINCT device_id, 0 FROM install WHERE record_id IN "+
			"(SELECT value FROM json_each(?)) ON CONFLICT DO UPDATE SET since = 0",
		string(list),
	)
	return err
}

// MarkCountedDevicesOf is MarkDevicesOf for records that nobody knew before: of devices on which they were counted
// before they were recognised. Those that are to be counted are not among them.
func MarkCountedDevicesOf(tx *sqlite.Tx, records []int64) error {
	if tx.Previewed() { // nothing is renewed of what a preview changes
		return nil
	}
	list, err := json.Marshal(records)
	if err != nil {
		return err
	}
	_, err = tx.Exec(
		"INSERT INTO dirty_device(device_id, change) SELECT DISTINCT device_id, 0 FROM install WHERE record_id IN "+
			"(SELECT value FROM json_each(?)) AND device_id NOT IN (SELECT device_id FROM touched_device WHERE "+
			"counted = 0) AND EXISTS (SELECT 1 FROM device_fact) ON CONFLICT DO UPDATE SET since = 0",
		string(list),
	)
	return err
}

// MarkDevice notes that what was reported of a device has changed, from a time on, so that its changes between scans
// are worked out anew from then on. Since is in seconds since 1970; 0 is from the beginning.
func MarkDevice(tx *sqlite.Tx, device, since int64) error {
	_, err := tx.Exec(
		"INSERT INTO dirty_device(device_id, change, since) VALUES (?, coalesce((SELECT CAST(value AS INTEGER) FROM "+
			"setting WHERE key = 'changes'), 0) + 1, ?) ON CONFLICT DO UPDATE SET change = excluded.change, "+
			"since = min(since, excluded.since)",
		device,
		since,
	)
	if err != nil {
		return err
	}
	return TouchDevice(tx, device)
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
