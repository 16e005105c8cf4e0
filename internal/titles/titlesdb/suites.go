package titlesdb

import (
	"database/sql"
	"encoding/json"
	"errors"

	"ensomet/internal/core/recognise"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Exclude leaves a product on a device out of the count.
func Exclude(tx *sqlite.Tx, v snapshot.Exclusion) error {
	if _, err := tx.Exec("UPDATE left_out SET ended_at = ?, ended_by = ? WHERE device_id = ? AND product_id = ? AND "+
		"ended_at = 0", v.At, v.Author, v.Device, v.Product); err != nil {
		return err
	}
	_, err := tx.Exec(
		"INSERT INTO left_out(device_id, product_id, reason, author, at, state, batch) VALUES (?, ?, ?, ?, ?, ?, ?)",
		v.Device,
		v.Product,
		v.Reason,
		v.Author,
		v.At,
		v.State,
		v.Batch,
	)
	return err
}

// CountAgain ends that a product on a device is left out.
func CountAgain(tx *sqlite.Tx, device, product, at int64, by string) error {
	return tx.One(
		"UPDATE left_out SET ended_at = ?, ended_by = ? WHERE device_id = ? AND product_id = ? AND ended_at = 0",
		at,
		by,
		device,
		product,
	)
}

// ExclusionOf reads what leaves a product on a device out of the count now, and what did so by an earlier number;
// neither need be there.
func ExclusionOf(tx *sqlite.Tx, device, product, number int64) (now, earlier snapshot.Exclusion, err error) {
	list, err := sqlite.Select[snapshot.Exclusion](tx, `SELECT id, device_id AS device, product_id AS product, reason,
		author, at, state, batch FROM left_out WHERE device_id = ?1 AND product_id = ?2
		AND (ended_at = 0 OR id = ?3) ORDER BY id`, device, product, number)
	for _, v := range list {
		if v.ID == number {
			earlier = v
		}
	}
	if err != nil {
		return now, earlier, err
	}
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT coalesce(max(id), 0) FROM left_out WHERE device_id = ? AND product_id = ? "+
			"AND ended_at = 0", device, product).Scan(&now.ID)
	for _, v := range list {
		if v.ID == now.ID {
			now = v
		}
	}
	return now, earlier, err
}

// EndOfExclusion tells who last ended that a product on a device is left out, and when.
func EndOfExclusion(tx *sqlite.Tx, device, product int64) (who string, at int64, err error) {
	err = tx.QueryRowContext(tx.Ctx, "SELECT ended_by, ended_at FROM left_out WHERE device_id = ? AND product_id = ? "+
		"ORDER BY ended_at DESC, id DESC LIMIT 1", device, product).Scan(&who, &at)
	if errors.Is(err, sql.ErrNoRows) {
		return "", 0, sqlite.ErrNotFound // the number that was seen never was
	}
	return who, at, err
}

// SignExclusion makes a waiting one hold, or refuses it.
func SignExclusion(tx *sqlite.Tx, id, at int64, by string, agreed bool) error {
	if agreed {
		return tx.One(
			"UPDATE left_out SET state = 'holds', signed_by = ?, signed_at = ? WHERE id = ? AND state = 'waiting' "+
				"AND ended_at = 0",
			by,
			at,
			id,
		)
	}
	return tx.One(
		"UPDATE left_out SET state = 'refused', signed_by = ?1, signed_at = ?2, ended_at = ?2, ended_by = ?1 WHERE "+
			"id = ?3 AND state = 'waiting' AND ended_at = 0",
		by,
		at,
		id,
	)
}

// PutSuite adds a suite (ID 0) or changes one.
func PutSuite(tx *sqlite.Tx, v *recognise.Suite, author string, at int64) error {
	parts, err := json.Marshal(v.Parts)
	if err != nil {
		return err
	}
	if v.ID != 0 {
		return tx.One(
			"UPDATE suite SET product_id = ?, edition = ?, version = ?, need = ?, parts = ?, author = ?, at = ? "+
				"WHERE id = ?",
			v.Product,
			v.Edition,
			v.Version,
			v.Need,
			string(parts),
			author,
			at,
			v.ID,
		)
	}
	res, err := tx.Exec(
		"INSERT INTO suite(product_id, edition, version, need, parts, author, at) VALUES (?, ?, ?, ?, ?, ?, ?)",
		v.Product,
		v.Edition,
		v.Version,
		v.Need,
		string(parts),
		author,
		at,
	)
	if err != nil {
		return err
	}
	v.ID, err = res.LastInsertId()
	return err
}

// DropSuite takes a suite's definition away.
func DropSuite(tx *sqlite.Tx, id int64) error { return tx.One("DELETE FROM suite WHERE id = ?", id) }
