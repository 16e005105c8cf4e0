// Package peopledb has the tables of accounts and browsers that are signed in.
package peopledb

import (
	"context"
	"database/sql"
	"errors"
	"time"

	"ensomet/internal/sqlite"
)

// Account is a person who may sign in. Role is look, work or run.
type Account struct {
	Name, Role, Hash string
	CreatedAt        int64
}

// Accounts reads all accounts.
func Accounts(tx *sqlite.Tx) ([]Account, error) {
	return sqlite.Select[Account](tx, `SELECT name, role, hash, created_at FROM
		account ORDER BY name`,
	)
}

// AccountByName reads one account.
func AccountByName(tx *sqlite.Tx, name string) (Account, error) {
	list, err := sqlite.Select[Account](tx, `SELECT name, role, hash, created_at FROM
		account WHERE name = ?`,
		name,
	)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Account{}, err
	}
	return list[0], nil
}

// PutAccount writes an account.
func PutAccount(tx *sqlite.Tx, a Account) error {
	_, err := tx.Exec(
		"INSERT INTO account(name, role, hash, created_at) VALUES (?, ?, ?, ?) ON CONFLICT(name) DO UPDATE SET role "+
			"= excluded.role, hash = excluded.hash",
		a.Name,
		a.Role,
		a.Hash,
		a.CreatedAt,
	)
	return err
}

// DropAccount removes an account.
func DropAccount(tx *sqlite.Tx, name string) error {
	return tx.One("DELETE FROM account WHERE name = ?", name)
}

// WebSessions keeps signed-in browsers; it serves as the store of the session package, so that a restart signs nobody
// out.
type WebSessions struct{ DB *sqlite.DB }

// Find returns the data of a session that has not ended.
func (w WebSessions) Find(token string) ([]byte, bool, error) {
	var data []byte
	err := w.DB.View(context.Background(), func(tx *sqlite.Tx) error {
		return tx.QueryRow("SELECT data FROM web_session WHERE token = ? AND expiry > ?", token, time.Now().Unix()).
			Scan(&data)
	})
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// Commit keeps a session and forgets those that have ended.
func (w WebSessions) Commit(token string, data []byte, expiry time.Time) error {
	return w.DB.Update(context.Background(), func(tx *sqlite.Tx) error {
		if _, err := tx.Exec("DELETE FROM web_session WHERE expiry <= ?", time.Now().Unix()); err != nil {
			return err
		}
		_, err := tx.Exec(
			"INSERT INTO web_session(token, data, expiry) VALUES (?, ?, ?) ON CONFLICT(token) DO UPDATE SET data = "+
				"excluded.data, expiry = excluded.expiry",
			token,
			data,
			expiry.Unix(),
		)
		return err
	})
}

// Delete ends a session.
func (w WebSessions) Delete(token string) error {
	return w.DB.Update(context.Background(), func(tx *sqlite.Tx) error {
		_, err := tx.Exec("DELETE FROM web_session WHERE token = ?", token)
		return err
	})
}
