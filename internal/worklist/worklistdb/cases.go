// Package worklistdb has the tables of cases, orders, questions, scenarios, policies and savings.
package worklistdb

import (
	"database/sql"
	"encoding/json"

	"ensomet/internal/core/casework"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

const caseColumns = "SELECT id, kind, device_id, product_id, person_id, pool_id, wanted_id, state, opened_at, " +
	"changed_at, " +
	"sent_at, worth, amount, currency, money_on, proof, came_back, keep_until, owner, agreed_by, answer, answer_by, " +
	"quantity, ground, ground_id FROM worklist_case"

func scanCase(r *sql.Rows, c *casework.Case) error {
	var proof string
	if err := r.Scan(&c.ID, &c.Kind, &c.Device, &c.Product, &c.Person, &c.Pool, &c.Request, &c.State, &c.OpenedAt,
		&c.ChangedAt, &c.SentAt, &c.Worth, &c.Amount, &c.Currency, &c.MoneyOn, &proof, &c.CameBack, &c.KeepUntil,
		&c.Owner, &c.AgreedBy, &c.Answer, &c.AnswerBy, &c.Quantity, &c.Ground.Kind, &c.Ground.ID); err != nil {
		return err
	}
	return json.Unmarshal([]byte(proof), &c.Proof)
}

// Cases reads all cases, those that ended too. One of a device that counts as another, which has such a case itself,
// waits until the two come apart.
func Cases(tx *sqlite.Tx) ([]casework.Case, error) {
	return sqlite.Query(tx, scanCase, caseColumns+
		" WHERE device_id NOT IN (SELECT id FROM joined_device) ORDER BY id")
}

// CasesAbout reads the cases about some products, about what some devices lack, and where that is wanted those about
// licence keys.
func CasesAbout(tx *sqlite.Tx, products, devices []int64, keys bool) ([]casework.Case, error) {
	list, err := json.Marshal([2][]int64{products, devices})
	if err != nil {
		return nil, err
	}
	return sqlite.Query(tx, scanCase, caseColumns+` WHERE id IN (SELECT c.id FROM json_each(?1, '$[0]') p
			JOIN worklist_case c ON c.product_id = p.value
			UNION SELECT c.id FROM json_each(?1, '$[1]') d JOIN worklist_case c ON c.device_id = d.value AND c.kind = ?2
			UNION SELECT id FROM worklist_case WHERE ?3 AND kind IN (?4, ?5))
		AND device_id NOT IN (SELECT id FROM joined_device) ORDER BY id`, string(list), string(casework.Missing), keys,
		string(casework.OverusedKey), string(casework.UnboughtKey))
}

// ProductsOfCases lists the products that cases about devices are about.
func ProductsOfCases(tx *sqlite.Tx) ([]int64, error) {
	return sqlite.Select[int64](tx, "SELECT DISTINCT product_id FROM worklist_case WHERE device_id <> 0 ORDER BY 1")
}

// CasesOf reads some cases.
func CasesOf(tx *sqlite.Tx, ids []int64) ([]casework.Case, error) {
	list, err := json.Marshal(ids)
	if err != nil {
		return nil, err
	}
	return sqlite.Query(
		tx,
		scanCase,
		caseColumns+" WHERE id IN (SELECT value FROM json_each(?)) ORDER BY id",
		string(list),
	)
}

// CaseByID reads one case.
func CaseByID(tx *sqlite.Tx, id int64) (casework.Case, error) {
	list, err := sqlite.Query(tx, scanCase, caseColumns+" WHERE id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return casework.Case{}, err
	}
	return list[0], nil
}

// Move writes a case that has moved, or is new, with the step that it moved by.
func Move(tx *sqlite.Tx, c *casework.Case, s casework.Step) error {
	id, err := putCase(tx, *c)
	if err != nil {
		return err
	}
	c.ID = id
	return AddStep(tx, id, s)
}

// Renew writes what evidence says of a case that stays where it is.
func Renew(tx *sqlite.Tx, c *casework.Case) error {
	_, err := putCase(tx, *c)
	return err
}

// putCase writes a case; one with ID 0 is new. It returns its number.
func putCase(tx *sqlite.Tx, c casework.Case) (int64, error) {
	proof, err := json.Marshal(c.Proof)
	if err != nil {
		return 0, err
	}
	if c.ID != 0 {
		_, err = tx.Exec(
			`UPDATE worklist_case SET state = ?, opened_at = ?, changed_at = ?, sent_at = ?, worth = ?, amount = ?,
				currency = ?, money_on = ?, proof = ?, came_back = ?, keep_until = ?, owner = ?, agreed_by = ?, answer
				= ?, answer_by = ?, quantity = ?, ground = ?, ground_id = ?, in_eur = `+sqlite.InEUR("?", "?")+` WHERE id = ?`,
			string(c.State),
			c.OpenedAt,
			c.ChangedAt,
			c.SentAt,
			c.Worth,
			c.Amount,
			c.Currency,
			c.MoneyOn,
			string(proof),
			c.CameBack,
			c.KeepUntil,
			c.Owner,
			c.AgreedBy,
			c.Answer,
			c.AnswerBy,
			c.Quantity,
			c.Ground.Kind,
			c.Ground.ID,
			c.Amount,
			c.Currency,
			c.ID,
		)
		return c.ID, err
	}
	return tx.Insert(
		"INSERT INTO worklist_case(kind, device_id, product_id, person_id, pool_id, wanted_id, state, opened_at, "+
			"changed_at, sent_at, worth, amount, currency, money_on, proof, came_back, keep_until, owner, quantity, "+
			"ground, ground_id, in_eur) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "+
			"?, "+sqlite.InEUR("?", "?")+")",
		string(c.Kind),
		c.Device,
		c.Product,
		c.Person,
		c.Pool,
		c.Request,
		string(c.State),
		c.OpenedAt,
		c.ChangedAt,
		c.SentAt,
		c.Worth,
		c.Amount,
		c.Currency,
		c.MoneyOn,
		string(proof),
		c.CameBack,
		c.KeepUntil,
		c.Owner,
		max(1, c.Quantity),
		c.Ground.Kind,
		c.Ground.ID,
		c.Amount,
		c.Currency,
	)
}

// AddStep keeps a step of a case.
func AddStep(tx *sqlite.Tx, id int64, s casework.Step) error {
	_, err := tx.Exec(
		"INSERT INTO case_step(case_id, at, who, from_state, to_state, note, act) VALUES (?, ?, ?, ?, ?, ?, ?)",
		id,
		s.At,
		s.Who,
		s.From,
		s.To,
		s.Note,
		s.Act,
	)
	return err
}

// Steps reads the steps of a case in order.
func Steps(tx *sqlite.Tx, id int64) ([]casework.Step, error) {
	return sqlite.Select[casework.Step](tx, `SELECT id, at, who, from_state AS "from",
		to_state AS "to", note, act, undone FROM case_step WHERE case_id = ? ORDER BY id`, id)
}

// UndoStep marks a step as undone.
func UndoStep(tx *sqlite.Tx, id int64) error {
	return tx.One("UPDATE case_step SET undone = 1 WHERE id = ? AND undone = 0", id)
}

// PutInOrder writes anew what amounts are in euros, by which those of several currencies are put in order.
func PutInOrder(tx *sqlite.Tx) error {
	for _, table := range []string{"worklist_case", "saving"} {
		if _, err := tx.Exec("UPDATE " + table + " SET in_eur = " + sqlite.InEUR("amount", table+".currency") +
			" WHERE in_eur <> " + sqlite.InEUR("amount", table+".currency")); err != nil {
			return err
		}
	}
	return nil
}

// CountCases writes the number of unfinished cases beside each device.
func CountCases(tx *sqlite.Tx) error {
	_, err := tx.Exec(
		`UPDATE device_fact SET cases = (SELECT count(*) FROM worklist_case c WHERE c.device_id = device_fact.device_id
			AND c.state NOT IN ('gone', 'lapsed', 'kept'))
		WHERE cases > 0 OR device_id IN (SELECT device_id FROM worklist_case)`,
	)
	return err
}

// CountCasesOf is CountCases for some devices, and for those that have cases about some products.
func CountCasesOf(tx *sqlite.Tx, products, devices []int64) error {
	list, err := json.Marshal([2][]int64{products, devices})
	if err != nil {
		return err
	}
	_, err = tx.Exec(`UPDATE device_fact SET cases = (SELECT count(*) FROM worklist_case c
			WHERE c.device_id = device_fact.device_id AND c.state NOT IN ('gone', 'lapsed', 'kept'))
		WHERE device_id IN (SELECT c.device_id FROM json_each(?1, '$[0]') p JOIN worklist_case c ON c.product_id = p.value
			UNION SELECT value FROM json_each(?1, '$[1]'))`, string(list))
	return err
}

// ProductsOfCasesOn lists the products that cases about some devices are about which have not ended, but for those
// about what a device lacks.
func ProductsOfCasesOn(tx *sqlite.Tx, devices []int64) ([]int64, error) {
	list, err := json.Marshal(devices)
	if err != nil {
		return nil, err
	}
	return sqlite.Select[int64](tx, `SELECT DISTINCT c.product_id FROM json_each(?1) d JOIN worklist_case c
		ON c.device_id = d.value WHERE c.kind <> ?2 AND c.state NOT IN ('gone', 'lapsed', 'kept')`, string(list),
		string(casework.Missing))
}

// NamesInLetters returns a device's and a product's name, as people know them.
func NamesInLetters(tx *sqlite.Tx, device, product int64) (at, name string, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT (SELECT coalesce(nullif(name, ''), code) FROM device WHERE id = ?),
		(SELECT name FROM product WHERE id = ?)`, device, product).Scan(&at, &name)
	return at, name, err
}

// NamesOnDevice returns a device's and a product's name and the raw names under which the product is on the device now,
// as something that can be taken off: its operating system is not.
func NamesOnDevice(tx *sqlite.Tx, device, product int64) (code, name string, raw []string, err error) {
	if err = tx.QueryRowContext(tx.Ctx,
		"SELECT (SELECT code FROM device WHERE id = ?), (SELECT name FROM product WHERE id = ?)", device,
		product).Scan(&code, &name); err != nil {
		return
	}
	raw, err = sqlite.Select[string](tx, `SELECT DISTINCT r.name FROM install i JOIN record r ON r.id = i.record_id
			JOIN recognition n ON n.record_id = r.id JOIN source s ON s.id = i.source_id AND s.part <> ?
		WHERE i.device_id = ? AND i.until IS NULL AND n.product_id = ? ORDER BY r.name`,
		snapshot.SystemPart,
		device,
		product,
	)
	return
}

// RunsOn reports whether a product is what a device runs on, its operating system.
func RunsOn(tx *sqlite.Tx, device, product int64) (it bool, err error) {
	err = tx.QueryRowContext(tx.Ctx, `SELECT EXISTS (SELECT 1 FROM install i JOIN source s ON s.id = i.source_id
			AND s.part = ? JOIN recognition n ON n.record_id = i.record_id
		WHERE i.device_id = ? AND i.until IS NULL AND n.product_id = ?)`, snapshot.SystemPart, device,
		product).Scan(&it)
	return it, err
}

// NamesToGo lists the raw names under which those releases of a product are on a device now that it is planned to
// move off or to remove.
func NamesToGo(tx *sqlite.Tx, device, product int64) ([]string, error) {
	return sqlite.Select[string](tx, `SELECT DISTINCT r.name FROM install i JOIN record r ON r.id = i.record_id
			JOIN recognition n ON n.record_id = r.id JOIN title t ON t.id = n.title_id
		JOIN release_plan p ON p.product_id = t.product_id AND p.edition = t.edition AND p.version = t.version
		AND p.ended_at = 0 AND p.what IN ('move', 'remove')
		JOIN source s ON s.id = i.source_id AND s.part <> ?
		WHERE i.device_id = ? AND i.until IS NULL AND n.product_id = ? ORDER BY r.name`,
		snapshot.SystemPart,
		device,
		product,
	)
}
