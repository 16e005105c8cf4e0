// Package stored reads what is kept as it stands: raw records and what they were recognised as, the catalogue,
// lines, seats and policies. What they mean together is worked out in package snapshot.
package stored

import (
	"database/sql"
	"encoding/json"
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// RecordsAs reads the records that are recognised as some products.
func RecordsAs(tx *sqlite.Tx, products []int64) ([]RawRecord, error) {
	list, err := json.Marshal(products)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(
		tx,
		scanRecord,
		"SELECT "+recordColumns+
			" FROM recognition n JOIN record r ON r.id = n.record_id WHERE n.product_id IN (SELECT value FROM "+
			"json_each(?)) ORDER BY r.id",
		string(list),
	)
}

// RecordsOn reads the records that are or were on some devices.
func RecordsOn(tx *sqlite.Tx, devices []int64) ([]RawRecord, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(tx, scanRecord, "SELECT "+recordColumns+" FROM record r WHERE r.id IN (SELECT record_id "+
		"FROM install WHERE device_id IN (SELECT value FROM json_each(?))) ORDER BY r.id", string(list))
}

// RawRecord is a raw record with its number.
type RawRecord struct {
	ID int64
	recognise.Record
}

const recordColumns = "r.id, r.publisher, r.name, r.version, r.edition, r.architecture, r.language, r.file_name, " +
	"r.tag_id, r.purl, r.cpe"

func scanRecord(r *sql.Rows, v *RawRecord) error {
	return r.Scan(
		&v.ID,
		&v.Publisher,
		&v.Name,
		&v.Version,
		&v.Edition,
		&v.Architecture,
		&v.Language,
		&v.FileName,
		&v.TagID,
		&v.PURL,
		&v.CPE,
	)
}

// AllRecords reads every raw record, or only those without recognition.
func AllRecords(tx *sqlite.Tx, newOnly bool) ([]RawRecord, error) {
	text := "SELECT " + recordColumns + " FROM record r"
	if newOnly {
		text += " WHERE r.id > (SELECT coalesce(max(record_id), 0) FROM recognition)" // they are recognised in order
	}
	return sqlite.Query(tx, scanRecord, text+" ORDER BY r.id")
}

// RecordOf reads one raw record.
func RecordOf(tx *sqlite.Tx, id int64) (RawRecord, error) {
	list, err := sqlite.Query(tx, scanRecord, "SELECT "+recordColumns+" FROM record r WHERE r.id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return RawRecord{}, err
	}
	return list[0], nil
}

// RecordsOfKey reads the records that one decision holds for.
func RecordsOfKey(tx *sqlite.Tx, key string) ([]RawRecord, error) {
	return sqlite.Query(
		tx,
		scanRecord,
		"SELECT "+recordColumns+
			" FROM recognition n JOIN record r ON r.id = n.record_id WHERE n.key = ? ORDER BY r.id",
		key,
	)
}

// NamedRecord is a record with what it was recognised as.
type NamedRecord struct {
	RawRecord
	Recognition
}

// RecordsOfKeys reads the records of names, with what they were recognised as, by name and number.
func RecordsOfKeys(tx *sqlite.Tx, keys []string) ([]NamedRecord, error) {
	list, err := json.Marshal(keys)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(tx, func(r *sql.Rows, v *NamedRecord) error {
		err := r.Scan(&v.ID, &v.RawRecord.Publisher, &v.Name, &v.RawRecord.Version, &v.RawRecord.Edition,
			&v.Architecture, &v.Language, &v.FileName, &v.TagID, &v.PURL, &v.CPE, &v.Key, &v.Product, &v.TitleVersion,
			&v.Step, &v.NotSoftware)
		v.Recognition.Record = v.ID
		return err
	}, "SELECT "+recordColumns+", n.key, n.product_id, n.title_version, n.step, n.not_software "+
		"FROM recognition n JOIN record r ON r.id = n.record_id "+
		"WHERE n.key IN (SELECT value FROM json_each(?)) ORDER BY n.key, r.id", string(list))
}
