package store

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/recognise"
)

// LeftOut is a product on a device that somebody left out of the count by hand.
type LeftOut struct {
	ID, Device, Product int64
	Reason, Author      string
	At                  int64
	State               string
	Batch               int64
}

// LeftOuts reads what is left out by hand and not ended.
func (tx *Tx) LeftOuts() ([]LeftOut, error) {
	return query(tx, func(r *sql.Rows, v *LeftOut) error {
		return r.Scan(&v.ID, &v.Device, &v.Product, &v.Reason, &v.Author, &v.At, &v.State, &v.Batch)
	}, "SELECT id, device_id, product_id, reason, author, at, state, batch FROM left_out WHERE ended_at = 0 ORDER BY id")
}

// LeaveOut leaves a product on a device out of the count.
func (tx *Tx) LeaveOut(v LeftOut) error {
	if _, err := tx.exec("UPDATE left_out SET ended_at = ?, ended_by = ? WHERE device_id = ? AND product_id = ? AND ended_at = 0", v.At, v.Author, v.Device, v.Product); err != nil {
		return err
	}
	_, err := tx.exec("INSERT INTO left_out(device_id, product_id, reason, author, at, state, batch) VALUES (?, ?, ?, ?, ?, ?, ?)", v.Device, v.Product, v.Reason, v.Author, v.At, v.State, v.Batch)
	return err
}

// CountAgain ends that a product on a device is left out.
func (tx *Tx) CountAgain(device, product, at int64, by string) error {
	return tx.one("UPDATE left_out SET ended_at = ?, ended_by = ? WHERE device_id = ? AND product_id = ? AND ended_at = 0", at, by, device, product)
}

// SignLeftOut makes a waiting one hold, or refuses it.
func (tx *Tx) SignLeftOut(id, at int64, by string, agreed bool) error {
	if agreed {
		return tx.one("UPDATE left_out SET state = 'holds', signed_by = ?, signed_at = ? WHERE id = ? AND state = 'waiting' AND ended_at = 0", by, at, id)
	}
	return tx.one("UPDATE left_out SET state = 'refused', signed_by = ?1, signed_at = ?2, ended_at = ?2, ended_by = ?1 WHERE id = ?3 AND state = 'waiting' AND ended_at = 0", by, at, id)
}

// Suites reads the suites that users have defined.
func (tx *Tx) Suites() ([]recognise.Suite, error) {
	return query(tx, func(r *sql.Rows, v *recognise.Suite) error {
		var parts string
		if err := r.Scan(&v.ID, &v.Product, &v.Edition, &v.Version, &v.Need, &parts); err != nil {
			return err
		}
		return json.Unmarshal([]byte(parts), &v.Parts)
	}, "SELECT id, product_id, edition, version, need, parts FROM suite ORDER BY id")
}

// PutSuite adds a suite (ID 0) or changes one.
func (tx *Tx) PutSuite(v *recognise.Suite, author string, at int64) error {
	parts, err := json.Marshal(v.Parts)
	if err != nil {
		return err
	}
	if v.ID != 0 {
		return tx.one("UPDATE suite SET product_id = ?, edition = ?, version = ?, need = ?, parts = ?, author = ?, at = ? WHERE id = ?", v.Product, v.Edition, v.Version, v.Need, string(parts), author, at, v.ID)
	}
	res, err := tx.exec("INSERT INTO suite(product_id, edition, version, need, parts, author, at) VALUES (?, ?, ?, ?, ?, ?, ?)", v.Product, v.Edition, v.Version, v.Need, string(parts), author, at)
	if err != nil {
		return err
	}
	v.ID, err = res.LastInsertId()
	return err
}

// DropSuite takes a suite's definition away.
func (tx *Tx) DropSuite(id int64) error { return tx.one("DELETE FROM suite WHERE id = ?", id) }
