package stored

import (
	"database/sql"
	"encoding/json"
	"ensomet/internal/core/entitle"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
	"fmt"
	"strings"
)

// Entitlement is an entitlement with what storage adds.
type Entitlement struct {
	formats.Entitlement
	ID        int64
	ChangedAt int64
	Author    string
}

// LineField is a column of the table of entitlements: where its value is read into, and what is written.
type LineField struct {
	Column string
	Into   any
	Value  func() any
	Later  bool // it came after files of an earlier version were taken in, which do not say it
}

// LineFields are the columns that hold what entitlements.csv says of a line. A column stands here and nowhere else.
func LineFields(e *formats.Entitlement) []LineField {
	return []LineField{
		plainField("code", &e.Code),
		plainField("edition", &e.Edition),
		plainField("version", &e.Version),
		plainField("metric", &e.Metric),
		plainField("quantity", &e.Quantity),
		plainField("kind", &e.Kind),
		plainField("start", &e.Start),
		plainField("end", &e.End),
		plainField("maintenance_end", &e.MaintenanceEnd),
		{Column: "unit_price", Into: &e.UnitPrice, Value: func() any { return sqlite.Money(e.UnitPrice) }},
		plainField("currency", &e.Currency),
		plainField("purchased", &e.Purchased),
		plainField("order_no", &e.Order),
		plainField("contract", &e.Contract),
		plainField("scope_unit", &e.ScopeUnit),
		plainField("scope_country", &e.ScopeCountry),
		{Column: "rights", Into: rightsInto{&e.Rights}, Value: func() any { return joinRights(e.Rights) }},
		plainField("min_per_processor", &e.MinPerProcessor),
		plainField("min_per_server", &e.MinPerServer),
		plainField("pack_size", &e.PackSize),
		plainField("capacity", &e.Capacity),
		plainField("base", &e.Base),
		later(plainField("versions_counted", &e.VersionsCounted)),
		{Column: "custom", Into: customInto{&e.Custom}, Value: func() any { return sqlite.Custom(e.Custom) }},
	}
}

func plainField[T any](column string, v *T) LineField {
	return LineField{Column: column, Into: v, Value: func() any { return *v }}
}

func later(f LineField) LineField {
	f.Later = true
	return f
}

// rightsInto reads rights that are kept between bars.
type rightsInto struct{ to *[]entitle.Right }

// Scan reads what the database holds.
func (r rightsInto) Scan(v any) error {
	for _, s := range strings.Split(fmt.Sprint(v), "|") {
		if s != "" {
			*r.to = append(*r.to, entitle.Right(s))
		}
	}
	return nil
}

func joinRights(list []entitle.Right) string {
	var out []string
	for _, r := range list {
		out = append(out, string(r))
	}
	return strings.Join(out, "|")
}

// customInto reads columns of somebody's own.
type customInto struct{ to *map[string]string }

// Scan reads what the database holds.
func (c customInto) Scan(v any) error {
	text := fmt.Sprint(v)
	if text == "" {
		return nil
	}
	return json.Unmarshal([]byte(text), c.to)
}

// EntitlementsOf reads the entitlements of some products; nil is all.
func EntitlementsOf(tx *sqlite.Tx, products []int64) ([]Entitlement, error) {
	of, ofTxn, args := "", "", []any{}
	if products != nil {
		text, err := json.Marshal(products)
		if err != nil {
			return nil, err
		}
		of, args = " AND e.product_id IN (SELECT value FROM json_each(?))", append(args, string(text))
		ofTxn = " AND entitlement_id IN (SELECT id FROM entitlement WHERE product_id IN (SELECT value FROM " +
			"json_each(?)))"
	}
	list, err := readLines(tx, of, args...)
	if err != nil {
		return nil, err
	}
	at := map[int64]int{}
	for i := range list {
		at[list[i].ID] = i
	}
	txns, err := transactionRows(tx, ofTxn, args...)
	for _, t := range txns {
		if i, ok := at[t.line]; ok {
			list[i].Transactions = append(list[i].Transactions, t.Transaction)
		}
	}
	return list, err
}

type transactionRow struct {
	line int64
	entitle.Transaction
}

// transactionRows reads transactions that were not taken back, by their days.
func transactionRows(tx *sqlite.Tx, where string, args ...any) ([]transactionRow, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *transactionRow) error {
		var price sql.NullString
		err := r.Scan(&v.ID, &v.line, &v.Type, &v.On, &v.Quantity, &v.End, &price, &v.Currency, &v.Order, &v.Note,
			&v.Request, &v.Nth)
		v.Price = sqlite.ReadMoney(price)
		return err
	}, "SELECT id, entitlement_id, type, on_day, quantity, end_day, price, currency, order_no, note, request, nth "+
		"FROM txn WHERE gone_at IS NULL"+where+" ORDER BY on_day, id", args...)
}

// EntitlementByCode reads one line, without its transactions.
func EntitlementByCode(tx *sqlite.Tx, code string) ([]Entitlement, error) {
	return readLines(tx, " AND e.code = ?", code)
}

// BareLines reads every line, without transactions.
func BareLines(tx *sqlite.Tx) ([]Entitlement, error) { return readLines(tx, "") }

func readLines(tx *sqlite.Tx, where string, args ...any) ([]Entitlement, error) {
	columns := []string{"e.id", "e.product_id", "p.publisher", "p.name", "e.changed_at", "e.author"}
	for _, f := range LineFields(&formats.Entitlement{}) {
		columns = append(columns, "e."+f.Column)
	}
	return sqlite.Query(tx, func(r *sql.Rows, e *Entitlement) error {
		into := []any{&e.ID, &e.Line.Product, &e.Publisher, &e.Entitlement.Product, &e.ChangedAt, &e.Author}
		for _, f := range LineFields(&e.Entitlement) {
			into = append(into, f.Into)
		}
		err := r.Scan(into...)
		e.Line.ID = e.ID
		return err
	}, "SELECT "+strings.Join(columns, ", ")+" FROM entitlement e JOIN product p ON p.id = e.product_id WHERE "+
		"e.withdrawn_at = 0"+where+" ORDER BY e.code", args...)
}

// TouchLine marks the product of an entitlement.
func TouchLine(tx *sqlite.Tx, line int64) error {
	var product int64
	if err := tx.QueryRowContext(tx.Ctx, "SELECT product_id FROM entitlement WHERE id = ?",
		line).Scan(&product); err != nil {
		return err
	}
	return renewal.Touch(tx, []int64{product})
}

// KeepLastDay keeps the last day of a line's term, which the list of lines filters by.
func KeepLastDay(tx *sqlite.Tx, line int64) error {
	list, err := readLines(tx, " AND e.id = ?", line)
	if err != nil || len(list) == 0 {
		return err
	}
	l := &list[0].Line
	if l.Transactions, err = transactionsOf(tx, " AND entitlement_id = ?", line); err != nil {
		return err
	}
	_, err = tx.Touched("UPDATE entitlement SET last_day = ?1 WHERE id = ?2 AND last_day <> ?1", l.LastDay(), line)
	return err
}

func transactionsOf(tx *sqlite.Tx, where string, args ...any) ([]entitle.Transaction, error) {
	rows, err := transactionRows(tx, where, args...)
	out := make([]entitle.Transaction, len(rows))
	for i := range rows {
		out[i] = rows[i].Transaction
	}
	return out, err
}
