package usedb

import (
	"ensomet/internal/sqlite"
)

// PoolWatch is somebody who is told by mail of what is to be looked at in a pool.
type PoolWatch struct {
	ID      int64
	Pool    int64  // 0 is every pool
	Code    string // the pool's; empty is every pool
	Address string
	Author  string
	At      int64
}

// PoolWatches reads who is told, in the order in which they were set.
func PoolWatches(tx *sqlite.Tx) ([]PoolWatch, error) {
	return sqlite.Select[PoolWatch](tx, `SELECT w.id, w.pool_id AS pool,
		coalesce(o.code, '') AS code, w.address, w.author, w.at FROM pool_watch w LEFT JOIN pool o ON o.id =
		w.pool_id WHERE w.ended_at = 0 ORDER BY w.id`)
}

// AddPoolWatch writes who is told.
func AddPoolWatch(tx *sqlite.Tx, w PoolWatch) error {
	_, err := tx.Exec(
		"INSERT INTO pool_watch(pool_id, address, author, at) VALUES (?, ?, ?, ?)",
		w.Pool,
		w.Address,
		w.Author,
		w.At,
	)
	return err
}

// EndPoolWatch ends telling somebody.
func EndPoolWatch(tx *sqlite.Tx, id, at int64, who string) error {
	if err := tx.One("UPDATE pool_watch SET ended_at = ?, ended_by = ? WHERE id = ? AND ended_at = 0", at, who,
		id); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM pool_told WHERE watch_id = ?", id)
	return err
}

// PoolAlert is an alert of a pool.
type PoolAlert struct {
	Pool  int64
	Alert string
}

// PoolTold reads what somebody was told that was not over then.
func PoolTold(tx *sqlite.Tx, watch int64) (map[PoolAlert]bool, error) {
	list, err := sqlite.Select[PoolAlert](tx, `SELECT pool_id AS pool, alert FROM pool_told
		WHERE watch_id = ?`,
		watch,
	)
	out := map[PoolAlert]bool{}
	for _, a := range list {
		out[a] = true
	}
	return out, err
}

// SetPoolTold writes that somebody was told that an alert is there, or that it is over.
func SetPoolTold(tx *sqlite.Tx, watch int64, a PoolAlert, there bool, at int64) error {
	text, args := "INSERT INTO pool_told(watch_id, pool_id, alert, at) VALUES (?, ?, ?, ?)", []any{
		watch,
		a.Pool,
		a.Alert,
		at,
	}
	if !there {
		text, args = "DELETE FROM pool_told WHERE watch_id = ? AND pool_id = ? AND alert = ?", args[:3]
	}
	_, err := tx.Exec(text, args...)
	return err
}
