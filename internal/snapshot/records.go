package snapshot

import (
	"encoding/json"

	"ensomet/internal/sqlite"
)

// RecordsOf reads the records that are recognised as some products.
func RecordsOf(tx *sqlite.Tx, products []int64) ([]StoredRecord, error) {
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
