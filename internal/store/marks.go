package store

import (
	"database/sql"
	"encoding/json"
)

// Remark is what somebody noted about a product, or about its install on a device.
type Remark struct {
	ID         int64  `json:"id"`
	Product    int64  `json:"product"`
	Device     int64  `json:"device" doc:"0 is the title itself"`
	DeviceCode string `json:"deviceCode"`
	DeviceName string `json:"deviceName"`
	Name       string `json:"name" doc:"of the product"`
	Text       string `json:"text"`
	Author     string `json:"author"`
	At         int64  `json:"at"`
}

// Remarks reads the remarks about a product and its installs, or about the installs of a device; the other is 0.
func (tx *Tx) Remarks(product, device int64) ([]Remark, error) {
	return query(tx, func(r *sql.Rows, v *Remark) error {
		return r.Scan(&v.ID, &v.Product, &v.Device, &v.DeviceCode, &v.DeviceName, &v.Name, &v.Text, &v.Author, &v.At)
	}, `SELECT m.id, m.product_id, m.device_id, coalesce(d.code, ''), coalesce(d.name, ''), p.name, m.text, m.author, m.at FROM remark m JOIN product p ON p.id = m.product_id LEFT JOIN device d ON d.id = m.device_id
		WHERE m.dropped_at = 0 AND (?1 = 0 OR m.product_id = ?1) AND (?2 = 0 OR m.device_id = ?2) ORDER BY m.id`, product, device)
}

// AddRemark writes a remark.
func (tx *Tx) AddRemark(m Remark) (int64, error) {
	res, err := tx.exec("INSERT INTO remark(product_id, device_id, text, author, at) VALUES (?, ?, ?, ?, ?)", m.Product, m.Device, m.Text, m.Author, m.At)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// DropRemark takes a remark away; it stays in the file.
func (tx *Tx) DropRemark(id, at int64, by string) error {
	res, err := tx.exec("UPDATE remark SET dropped_at = ?, dropped_by = ? WHERE id = ? AND dropped_at = 0", at, by, id)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// SetTags makes the tags of a product be these.
func (tx *Tx) SetTags(product int64, tags []string, author string, at int64) error {
	list, err := json.Marshal(tags)
	if err != nil {
		return err
	}
	if _, err := tx.exec("DELETE FROM tag WHERE product_id = ? AND tag NOT IN (SELECT value FROM json_each(?))", product, string(list)); err != nil {
		return err
	}
	for _, t := range tags {
		if _, err := tx.exec("INSERT INTO tag(product_id, tag, author, at) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING", product, t, author, at); err != nil {
			return err
		}
	}
	return nil
}

// Tags lists all tags in use with the number of their products.
func (tx *Tx) Tags() (map[string]int64, error) {
	return tx.numbers("SELECT tag, count(*) FROM tag GROUP BY tag")
}

// Watch puts a product on the watch list, or takes it off.
func (tx *Tx) Watch(product int64, on bool, author string, at int64) error {
	text, args := "DELETE FROM watch WHERE product_id = ?", []any{product}
	if on {
		text, args = "INSERT INTO watch(product_id, author, at) VALUES (?, ?, ?) ON CONFLICT DO NOTHING", append(args, author, at)
	}
	_, err := tx.exec(text, args...)
	return err
}
