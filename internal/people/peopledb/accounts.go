// Package peopledb has the tables of accounts and browsers that are signed in.
package peopledb

import "ensomet/internal/sqlite"

// Account is a person who may sign in. Role is look, work or run.
type Account struct {
	ID               int64
	Name, Role, Hash string
	CreatedAt        int64
}

const selectAccount = "SELECT id, name, role, hash, created_at FROM account "

// Accounts reads all accounts.
func Accounts(tx *sqlite.Tx) ([]Account, error) {
	return sqlite.Select[Account](tx, selectAccount+"ORDER BY name")
}

// AccountByName reads one account.
func AccountByName(tx *sqlite.Tx, name string) (Account, error) {
	return oneAccount(tx, selectAccount+"WHERE name = ?", name)
}

// AccountByID reads one account.
func AccountByID(tx *sqlite.Tx, id int64) (Account, error) {
	return oneAccount(tx, selectAccount+"WHERE id = ?", id)
}

func oneAccount(tx *sqlite.Tx, text string, arg any) (Account, error) {
	list, err := sqlite.Select[Account](tx, text, arg)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Account{}, err
	}
	return list[0], nil
}

// PutAccount writes an account, and ends the sessions of one that was there before.
func PutAccount(tx *sqlite.Tx, a Account) error {
	if _, err := tx.Exec(
		"INSERT INTO account(name, role, hash, created_at) VALUES (?, ?, ?, ?) ON CONFLICT(name) DO UPDATE SET role "+
			"= excluded.role, hash = excluded.hash",
		a.Name,
		a.Role,
		a.Hash,
		a.CreatedAt,
	); err != nil {
		return err
	}
	_, err := tx.Exec("DELETE FROM web_session WHERE account_id = (SELECT id FROM account WHERE name = ?)", a.Name)
	return err
}

// DropAccount removes an account, and with it its sessions.
func DropAccount(tx *sqlite.Tx, name string) error {
	return tx.One("DELETE FROM account WHERE name = ?", name)
}

// PutHash replaces the hash of an account, where it is still the one before.
func PutHash(tx *sqlite.Tx, id int64, before, hash string) error {
	_, err := tx.Exec("UPDATE account SET hash = ? WHERE id = ? AND hash = ?", hash, id, before)
	return err
}
