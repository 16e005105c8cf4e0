package worklistdb

import (
	"ensomet/internal/core/civil"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Booked is a line of the ledger of savings. Amount is decimal, below zero where a saving came back.
type Booked struct {
	Case, Product, At       int64
	Worth, Amount, Currency string
	MoneyOn                 civil.Day
	ScanAt                  int64
	Note                    string
}

// BookSaving adds a line to the ledger.
func BookSaving(tx *sqlite.Tx, b Booked) error {
	_, err := tx.Exec(
		"INSERT INTO saving(case_id, product_id, at, worth, amount, currency, money_on, scan_at, note, in_eur) "+
			"VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, "+sqlite.InEUR("?", "?")+")",
		b.Case,
		b.Product,
		b.At,
		b.Worth,
		b.Amount,
		b.Currency,
		b.MoneyOn,
		b.ScanAt,
		b.Note,
		b.Amount,
		b.Currency,
	)
	return err
}

// BookedOf is the last line of the ledger about a case, or one with Case 0.
func BookedOf(tx *sqlite.Tx, id int64) (b Booked, err error) {
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT case_id, product_id, at, worth, amount, currency, money_on, scan_at, note FROM saving WHERE case_id "+
			"= ? ORDER BY id DESC LIMIT 1",
		id,
	)
	if err != nil {
		return b, err
	}
	err = sqlite.Each(rows, func() error {
		return rows.Scan(&b.Case, &b.Product, &b.At, &b.Worth, &b.Amount, &b.Currency, &b.MoneyOn, &b.ScanAt, &b.Note)
	})
	return b, err
}

// SavingRow is a line of a ledger as it is shown: of what could be saved, or of what was.
type SavingRow struct {
	ID        int64     `column:"id"`
	CaseID    int64     `column:"caseId"`
	ProductID int64     `column:"productId"`
	Publisher string    `column:"publisher"`
	Product   string    `column:"product"`
	Device    string    `column:"device"`
	Unit      string    `column:"unit"`
	Worth     string    `column:"worth"`
	Amount    string    `column:"amount"`
	Currency  string    `column:"currency"`
	MoneyOn   civil.Day `column:"moneyOn"`
	At        int64     `column:"at"`     // seconds since 1970
	ScanAt    int64     `column:"scanAt"` // the scan that showed it
	State     string    `column:"state"`
	Note      string    `column:"note"`
}

// SavingList is the list of the ledger of what was saved.
func SavingList() *sqlite.List[SavingRow] {
	l := &sqlite.List[SavingRow]{
		From: "saving s JOIN product p ON p.id = s.product_id JOIN worklist_case c ON c.id = s.case_id LEFT JOIN " +
			"device d ON d.id = c.device_id",
		Key: "s.id",
		Leads: map[string]sqlite.Lead{
			"p": {
				From: "product p JOIN saving s ON s.product_id = p.id JOIN worklist_case c ON c.id = s.case_id LEFT " +
					"JOIN device d ON d.id = c.device_id",
				Key: "p.id, s.id",
			},
			"c": {
				From: "worklist_case c JOIN saving s ON s.case_id = c.id JOIN product p ON p.id = s.product_id LEFT " +
					"JOIN device d ON d.id = c.device_id",
				Key: "c.id, s.id",
			},
		},
		Sort:   "-at",
		Orders: map[string]string{"amount": "s.in_eur"},
		Columns: savingColumns(
			"s.id",
			"s.case_id",
			"s.worth",
			"s.amount",
			"s.currency",
			"s.money_on",
			"s.at",
			"s.scan_at",
			"s.note",
		),
	}
	return l
}

// PotentialList is the list of the ledger of what could be saved: cases that are not done and are worth money.
func PotentialList() *sqlite.List[SavingRow] {
	l := &sqlite.List[SavingRow]{
		From: "worklist_case c JOIN product p ON p.id = c.product_id LEFT JOIN device d ON d.id = c.device_id",
		Where: "c.state NOT IN ('gone', 'lapsed', 'kept') AND CAST(c.amount AS REAL) > 0 AND +c.kind IN ('idle', " +
			"'pool', 'planned', 'leaver', 'restricted', 'ended')",
		Key: "c.id",
		Leads: map[string]sqlite.Lead{
			"p": {
				From: "product p JOIN worklist_case c ON c.product_id = p.id LEFT JOIN device d ON d.id = c.device_id",
				Key:  "p.id, c.id",
			},
		},
		Sort:   "-amount",
		Orders: map[string]string{"amount": "c.in_eur"},
		Columns: savingColumns(
			"c.id",
			"c.id",
			"c.worth",
			"c.amount",
			"c.currency",
			"c.money_on",
			"c.opened_at",
			"0",
			"''",
		),
	}
	return l
}

func savingColumns(id, caseID, worth, amount, currency, moneyOn, at, scanAt, note string) []sqlite.Column {
	return []sqlite.Column{
		sqlite.Plain("id", id),
		sqlite.Plain("caseId", caseID),
		sqlite.Plain("productId", "p.id"),
		sqlite.Searched("publisher", "p.publisher"),
		sqlite.Searched("product", "p.name"),
		sqlite.Searched("device", "coalesce(d.name, '')"),
		sqlite.Searched("unit", "coalesce(d.org_unit, '')"),
		sqlite.Plain("worth", worth),
		sqlite.Amount("amount", amount),
		sqlite.Plain("currency", currency),
		sqlite.Plain("moneyOn", moneyOn),
		sqlite.Plain("at", at),
		sqlite.Plain("scanAt", scanAt),
		sqlite.Plain("state", "c.state"),
		sqlite.Plain("note", note),
	}
}

// AllBooked reads the whole ledger.
func AllBooked(tx *sqlite.Tx) ([]Booked, error) {
	return sqlite.Select[Booked](tx, `SELECT case_id AS "case", product_id AS
		product, at, worth, amount, currency, money_on, scan_at, note FROM saving ORDER BY id`)
}

// CaseCounts counts cases by kind and state: how many there are, and how many of them came back.
func CaseCounts(tx *sqlite.Tx) (map[[2]string][2]int64, error) {
	rows, err := tx.QueryContext(
		tx.Ctx,
		"SELECT kind, state, count(*), sum(came_back > 0) FROM worklist_case GROUP BY 1, 2",
	)
	if err != nil {
		return nil, err
	}
	out := map[[2]string][2]int64{}
	return out, sqlite.Each(rows, func() error {
		var k [2]string
		var n [2]int64
		err := rows.Scan(&k[0], &k[1], &n[0], &n[1])
		out[k] = n
		return err
	})
}

// OpenPlanned reads where something is that somebody decided to remove, of cases that are not done.
func OpenPlanned(tx *sqlite.Tx) ([]snapshot.DevicePair, error) {
	return sqlite.Select[snapshot.DevicePair](tx, `SELECT device_id AS device, product_id AS product FROM worklist_case
		WHERE kind = 'planned' AND state NOT IN ('gone', 'lapsed') ORDER BY product_id, device_id`)
}
