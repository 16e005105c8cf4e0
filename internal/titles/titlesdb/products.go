package titlesdb

import (
	"database/sql"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/recognise"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// AddProduct makes a product and returns its number.
func AddProduct(tx *sqlite.Tx, publisher, name string) (int64, error) {
	if err := addPublisher(tx, publisher); err != nil {
		return 0, err
	}
	return tx.Insert(
		"INSERT INTO product(publisher, name, publisher_key, name_key) VALUES (?, ?, ?, ?)",
		publisher,
		name,
		recognise.CleanPublisher(publisher),
		recognise.Clean(name),
	)
}

// ProductsOfKey lists the products that the records of a key are recognised as.
func ProductsOfKey(tx *sqlite.Tx, key string) ([]int64, error) {
	return sqlite.Select[int64](tx, "SELECT DISTINCT product_id FROM recognition WHERE key = ? AND product_id <> 0",
		key,
	)
}

// SightingRow is where and when a record was seen. Times are in seconds since 1970; Until is 0 while it is there.
type SightingRow struct {
	DeviceID    int64
	Device      string
	Source      string
	Path        string
	Since       int64
	Until       int64
	InstallDate civil.Day
}

// Sightings lists where a record was seen, on one device or on all where device is 0.
func Sightings(tx *sqlite.Tx, record, device int64, limit int) ([]SightingRow, error) {
	list, err := sqlite.Query(tx, func(r *sql.Rows, v *SightingRow) error {
		return r.Scan(&v.DeviceID, &v.Device, &v.Source, &v.Path, &v.Since, &v.Until, &v.InstallDate)
	}, `SELECT d.id, d.name,
		`+snapshot.SourceName+`, p.path, i.since, coalesce(i.until, 0), i.install_date FROM install i
			JOIN device d ON d.id = i.device_id JOIN source s ON s.id = i.source_id JOIN place p ON p.id = i.place_id
		WHERE i.record_id = ?1 AND (?2 = 0 OR i.device_id = ?2)
		ORDER BY d.name, i.since LIMIT ?3`, record, device, limit)
	if list == nil {
		list = []SightingRow{}
	}
	return list, err
}

// NamesOfProduct lists the raw names that are recognised as a product.
func NamesOfProduct(tx *sqlite.Tx, product int64) ([]lists.NameRow, error) {
	list, err := sqlite.Select[lists.NameRow](tx, `SELECT f.key, f.publisher, f.name, f.versions,
		f.records, f.installs, f.devices, f.stale, f.state, printf('%.2f', f.money) AS money
		FROM name_fact f WHERE f.key IN (SELECT key FROM
		recognition WHERE product_id = ?) ORDER BY f.installs DESC, f.key`, product)
	if list == nil {
		list = []lists.NameRow{}
	}
	return list, err
}
