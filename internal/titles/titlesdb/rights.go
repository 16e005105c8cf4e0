package titlesdb

import (
	"ensomet/internal/core/recognise"
	"ensomet/internal/sqlite"
)

// AddProduct makes a product and returns its number.
func AddProduct(tx *sqlite.Tx, publisher, name string) (int64, error) {
	if err := addPublisher(tx, publisher); err != nil {
		return 0, err
	}
	res, err := tx.Exec(
		"INSERT INTO product(publisher, name, publisher_key, name_key) VALUES (?, ?, ?, ?)",
		publisher,
		name,
		recognise.CleanPublisher(publisher),
		recognise.Clean(name),
	)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}
