package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/civil"
)

// Case is a case of the worklist. Times are in seconds since 1970.
type Case struct {
	ID                          int64
	Kind                        casework.Kind
	Device, Product             int64
	State                       casework.State
	OpenedAt, ChangedAt, SentAt int64
	Worth, Amount, Currency     string
	MoneyOn                     civil.Day
	Proof                       []string
	CameBack                    int64
	KeepUntil                   civil.Day
}

const caseColumns = "SELECT id, kind, device_id, product_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until FROM worklist_case"

func scanCase(r *sql.Rows, c *Case) error {
	var proof string
	if err := r.Scan(&c.ID, &c.Kind, &c.Device, &c.Product, &c.State, &c.OpenedAt, &c.ChangedAt, &c.SentAt, &c.Worth, &c.Amount, &c.Currency, &c.MoneyOn, &proof, &c.CameBack, &c.KeepUntil); err != nil {
		return err
	}
	return json.Unmarshal([]byte(proof), &c.Proof)
}

// Cases reads all cases, those that ended too.
func (tx *Tx) Cases() ([]Case, error) { return query(tx, scanCase, caseColumns+" ORDER BY id") }

// Case reads one case.
func (tx *Tx) Case(id int64) (Case, error) {
	list, err := query(tx, scanCase, caseColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	if err != nil {
		return Case{}, err
	}
	return list[0], nil
}

// PutCase writes a case; one with ID 0 is new. It returns its number.
func (tx *Tx) PutCase(c Case) (int64, error) {
	proof, err := json.Marshal(c.Proof)
	if err != nil {
		return 0, err
	}
	if c.ID != 0 {
		_, err = tx.exec(`UPDATE worklist_case SET state = ?, opened_at = ?, changed_at = ?, sent_at = ?, worth = ?, amount = ?, currency = ?, money_on = ?, proof = ?, came_back = ?, keep_until = ? WHERE id = ?`,
			string(c.State), c.OpenedAt, c.ChangedAt, c.SentAt, c.Worth, c.Amount, c.Currency, c.MoneyOn, string(proof), c.CameBack, c.KeepUntil, c.ID)
		return c.ID, err
	}
	res, err := tx.exec("INSERT INTO worklist_case(kind, device_id, product_id, state, opened_at, changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
		string(c.Kind), c.Device, c.Product, string(c.State), c.OpenedAt, c.ChangedAt, c.SentAt, c.Worth, c.Amount, c.Currency, c.MoneyOn, string(proof), c.CameBack, c.KeepUntil)
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// CaseStep is one step of a case.
type CaseStep struct {
	At            int64
	Who, From, To string
	Note          string
}

// AddStep keeps a step of a case.
func (tx *Tx) AddStep(id int64, s CaseStep) error {
	_, err := tx.exec("INSERT INTO case_step(case_id, at, who, from_state, to_state, note) VALUES (?, ?, ?, ?, ?, ?)", id, s.At, s.Who, s.From, s.To, s.Note)
	return err
}

// Steps reads the steps of a case in order.
func (tx *Tx) Steps(id int64) ([]CaseStep, error) {
	return query(tx, func(r *sql.Rows, s *CaseStep) error { return r.Scan(&s.At, &s.Who, &s.From, &s.To, &s.Note) }, "SELECT at, who, from_state, to_state, note FROM case_step WHERE case_id = ? ORDER BY id", id)
}

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

// CountCases writes the number of unfinished cases beside each device.
func (tx *Tx) CountCases() error {
	_, err := tx.exec(`UPDATE device_fact SET cases = (SELECT count(*) FROM worklist_case c WHERE c.device_id = device_fact.device_id AND c.state NOT IN ('gone', 'lapsed', 'kept'))
		WHERE cases > 0 OR device_id IN (SELECT device_id FROM worklist_case)`)
	return err
}

// NamesOnDevice returns a device's and a product's name and the raw names under which the product is on the device now.
func (tx *Tx) NamesOnDevice(device, product int64) (code, name string, raw []string, err error) {
	if err = tx.QueryRowContext(tx.ctx, "SELECT (SELECT code FROM device WHERE id = ?), (SELECT name FROM product WHERE id = ?)", device, product).Scan(&code, &name); err != nil {
		return
	}
	raw, err = query(tx, func(r *sql.Rows, v *string) error { return r.Scan(v) }, `SELECT DISTINCT r.name FROM install i JOIN record r ON r.id = i.record_id JOIN recognition n ON n.record_id = r.id
		WHERE i.device_id = ? AND i.until IS NULL AND n.product_id = ? ORDER BY r.name`, device, product)
	return
}
