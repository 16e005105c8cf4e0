package snapshot

import (
	"database/sql"
	"errors"

	"ensomet/internal/sqlite"
)

// NeedProduct fails with sqlite.ErrNotFound where there is no such product.
func NeedProduct(tx *sqlite.Tx, id int64) error {
	return need(tx, "SELECT 1 FROM product WHERE id = ?", id)
}

// NeedPool fails with sqlite.ErrNotFound where there is no such pool.
func NeedPool(tx *sqlite.Tx, id int64) error { return need(tx, "SELECT 1 FROM pool WHERE id = ?", id) }

func need(tx *sqlite.Tx, text string, id int64) error {
	var one int
	err := tx.QueryRow(text, id).Scan(&one)
	if errors.Is(err, sql.ErrNoRows) {
		return sqlite.ErrNotFound
	}
	return err
}
