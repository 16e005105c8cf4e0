package store

import (
	"context"
	"database/sql"
	"errors"
	"time"
)

// Account is a person who may sign in. Role is look, work or run.
type Account struct {
	Name, Role, Hash string
	CreatedAt        int64
}

// Accounts reads all accounts.
func (tx *Tx) Accounts() ([]Account, error) {
	return query(tx, func(r *sql.Rows, a *Account) error { return r.Scan(&a.Name, &a.Role, &a.Hash, &a.CreatedAt) }, "SELECT name, role, hash, created_at FROM account ORDER BY name")
}

// Account reads one account.
func (tx *Tx) Account(name string) (Account, error) {
	list, err := query(tx, func(r *sql.Rows, a *Account) error { return r.Scan(&a.Name, &a.Role, &a.Hash, &a.CreatedAt) }, "SELECT name, role, hash, created_at FROM account WHERE name = ?", name)
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Account{}, err
	}
	return list[0], nil
}

// PutAccount writes an account.
func (tx *Tx) PutAccount(a Account) error {
	_, err := tx.exec("INSERT INTO account(name, role, hash, created_at) VALUES (?, ?, ?, ?) ON CONFLICT(name) DO UPDATE SET role = excluded.role, hash = excluded.hash", a.Name, a.Role, a.Hash, a.CreatedAt)
	return err
}

// DropAccount removes an account.
func (tx *Tx) DropAccount(name string) error {
	res, err := tx.exec("DELETE FROM account WHERE name = ?", name)
	if err != nil {
		return err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return ErrNotFound
	}
	return nil
}

// WebSessions keeps signed-in browsers; it serves as the store of the session package, so that a restart signs nobody out.
type WebSessions struct{ DB *DB }

// Find returns the data of a session that has not ended.
func (w WebSessions) Find(token string) ([]byte, bool, error) {
	var data []byte
	err := w.DB.read.QueryRow("SELECT data FROM web_session WHERE token = ? AND expiry > ?", token, time.Now().Unix()).Scan(&data)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return data, err == nil, err
}

// Commit keeps a session and forgets those that have ended.
func (w WebSessions) Commit(token string, data []byte, expiry time.Time) error {
	return w.DB.Update(context.Background(), func(tx *Tx) error {
		if _, err := tx.exec("DELETE FROM web_session WHERE expiry <= ?", time.Now().Unix()); err != nil {
			return err
		}
		_, err := tx.exec("INSERT INTO web_session(token, data, expiry) VALUES (?, ?, ?) ON CONFLICT(token) DO UPDATE SET data = excluded.data, expiry = excluded.expiry", token, data, expiry.Unix())
		return err
	})
}

// Delete ends a session.
func (w WebSessions) Delete(token string) error {
	return w.DB.Update(context.Background(), func(tx *Tx) error {
		_, err := tx.exec("DELETE FROM web_session WHERE token = ?", token)
		return err
	})
}
