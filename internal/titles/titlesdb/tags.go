package titlesdb

import (
	"encoding/json"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// AddRemark writes a remark.
func AddRemark(tx *sqlite.Tx, m snapshot.Remark) (int64, error) {
	return tx.Insert(
		"INSERT INTO remark(product_id, device_id, text, author, at) VALUES (?, ?, ?, ?, ?)",
		m.Product,
		m.Device,
		m.Text,
		m.Author,
		m.At,
	)
}

// DropRemark takes a remark away; it stays in the file.
func DropRemark(tx *sqlite.Tx, id, at int64, by string) error {
	return tx.One("UPDATE remark SET dropped_at = ?, dropped_by = ? WHERE id = ? AND dropped_at = 0", at, by, id)
}

// SetTags makes the tags of a product be these.
func SetTags(tx *sqlite.Tx, product int64, tags []string, author string, at int64) error {
	list, err := json.Marshal(tags)
	if err != nil {
		return err
	}
	if _, err := tx.Exec("DELETE FROM tag WHERE product_id = ? AND tag NOT IN (SELECT value FROM json_each(?))",
		product, string(list)); err != nil {
		return err
	}
	for _, t := range tags {
		if _, err := tx.Exec("INSERT INTO tag(product_id, tag, author, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING",
			product, t, author, at); err != nil {
			return err
		}
	}
	return nil
}

// TagsOf reads the tags of a product.
func TagsOf(tx *sqlite.Tx, product int64) ([]string, error) {
	return sqlite.Select[string](tx, "SELECT tag FROM tag WHERE product_id = ? ORDER BY tag", product)
}

// Tags lists all tags in use with the number of their products.
func Tags(tx *sqlite.Tx) (map[string]int64, error) {
	return tx.Numbers("SELECT tag, count(*) FROM tag GROUP BY tag")
}

// Watch puts a product on the watch list, or takes it off.
func Watch(tx *sqlite.Tx, product int64, on bool, author string, at int64) error {
	text, args := "DELETE FROM watch WHERE product_id = ?", []any{product}
	if on {
		text, args = "INSERT INTO watch(product_id, author, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", append(
			args,
			author,
			at,
		)
	}
	_, err := tx.Exec(text, args...)
	return err
}
