package entitlementsdb

import (
	"database/sql"
	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"errors"
	"reflect"
	"slices"
)

// PutRate writes a dated rate.
func PutRate(tx *sqlite.Tx, r formats.Rate) (sqlite.Change, error) {
	n, err := tx.Touched(
		"INSERT INTO rate(currency, on_day, per_eur) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET per_eur = "+
			"excluded.per_eur WHERE per_eur <> excluded.per_eur",
		r.Currency,
		r.On,
		r.PerEUR.String(),
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, nil
}

// Entitlements prepares writing entitlements.
func Entitlements(tx *sqlite.Tx) (*sqlite.Upserter, error) {
	columns := []string{"product_id"}
	for _, f := range stored.LineFields(&formats.Entitlement{}) {
		columns = append(columns, f.Column)
	}
	return tx.Upserter("entitlement", "code", len(columns), append(columns, "changed_at", "author")...)
}

// PutEntitlement writes an entitlement.
func PutEntitlement(
	u *sqlite.Upserter,
	product int64,
	e formats.Entitlement,
	at int64,
	author string,
) (sqlite.Change, error) {
	touched := []int64{product}
	if known := u.Known(e.Code); known != 0 {
		var was int64
		if err := u.Tx.QueryRowContext(u.Tx.Ctx, "SELECT product_id FROM entitlement WHERE id = ?",
			known).Scan(&was); err != nil {
			return sqlite.Same, err
		}
		touched = append(touched, was)
	}
	values, says := []any{product}, []any{e.Code, product}
	var more []any
	for i, f := range stored.LineFields(&e) {
		v := f.Value()
		if values = append(values, v); f.Later {
			more = append(more, v)
		} else if i > 0 {
			says = append(says, v)
		}
	}
	// what files of earlier versions said, in their form; what came later counts where it says something
	says = append(says, product)
	if slices.ContainsFunc(more, func(v any) bool { return !reflect.ValueOf(v).IsZero() }) {
		says = append(says, more...)
	}
	id, c, err := u.PutAs(e.Code, says, append(values, at, author))
	if err == nil && c != sqlite.Same {
		err = errors.Join(stored.KeepLastDay(u.Tx, id), renewal.Touch(u.Tx, touched))
	}
	return c, err
}

// AllEntitlements reads all entitlements with their transactions, by code. Edition ranks are left to the catalogue.
func AllEntitlements(tx *sqlite.Tx) ([]stored.Entitlement, error) {
	return stored.EntitlementsOf(tx, nil)
}

// Booked is a transaction with who booked it, and when and by whom it was taken back.
type Booked struct {
	entitle.Transaction
	Line     int64
	Counters int64 // the transaction that this counter-entry undoes
	Author   string
	At       int64 // 0 before this was kept
	GoneAt   int64
	GoneBy   string
	GoneWhy  string
}

// Transactions reads all transactions of a line, those too that were taken back, by their days.
func Transactions(tx *sqlite.Tx, line int64) ([]Booked, error) {
	return booked(tx, "entitlement_id = ?", line)
}

// TransactionByID reads one transaction.
func TransactionByID(tx *sqlite.Tx, id int64) (Booked, error) {
	list, err := booked(tx, "id = ?", id)
	if err == nil && len(list) == 0 {
		err = sqlite.ErrNotFound
	}
	if err != nil {
		return Booked{}, err
	}
	return list[0], nil
}

func booked(tx *sqlite.Tx, where string, arg int64) ([]Booked, error) {
	return sqlite.Query(tx, func(r *sql.Rows, v *Booked) error {
		var price sql.NullString
		err := r.Scan(&v.ID, &v.Line, &v.Type, &v.On, &v.Quantity, &v.End, &price, &v.Currency, &v.Order, &v.Note,
			&v.Request, &v.Nth, &v.Counters, &v.Author, &v.At, &v.GoneAt, &v.GoneBy, &v.GoneWhy)
		v.Price = sqlite.ReadMoney(price)
		return err
	}, `SELECT id, entitlement_id, type, on_day, quantity, end_day, price, currency, order_no, note, request, nth,
		coalesce(counters, 0), author, at, coalesce(gone_at, 0), gone_by, gone_why FROM txn
		WHERE `+where+" ORDER BY on_day, id", arg)
}

// touchTerm marks the product of a line whose transactions changed, and keeps the last day of its term.
func touchTerm(tx *sqlite.Tx, line int64) error {
	return errors.Join(stored.KeepLastDay(tx, line), stored.TouchLine(tx, line))
}

// InsertTransaction books a transaction as one more, whatever is booked already.
func InsertTransaction(tx *sqlite.Tx, b Booked) (int64, error) {
	var counters any
	if b.Counters != 0 {
		counters = b.Counters
	}
	id, err := tx.Insert(
		`INSERT INTO txn(entitlement_id, type, on_day, quantity, end_day, price, currency, order_no, note, request,
			counters, author, at, nth) VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, ?11, ?12, ?13,
			(SELECT coalesce(max(nth), 0) + 1 FROM txn WHERE entitlement_id = ?1 AND type = ?2 AND on_day = ?3
			AND quantity = ?4 AND end_day = ?5 AND order_no = ?8 AND note = ?9))`,
		b.Line, b.Type, b.On, b.Quantity, b.End, sqlite.Money(b.Price), b.Currency, b.Order, b.Note, b.Request,
		counters, b.Author, b.At,
	)
	if err != nil {
		return 0, err
	}
	return id, touchTerm(tx, b.Line)
}

// TakeBack marks a transaction as taken back.
func TakeBack(tx *sqlite.Tx, b Booked) error {
	if err := tx.One("UPDATE txn SET gone_at = ?, gone_by = ?, gone_why = ? WHERE id = ?", b.GoneAt, b.GoneBy,
		b.GoneWhy, b.ID); err != nil {
		return err
	}
	return touchTerm(tx, b.Line)
}

// RestingStatement is a statement that rests on something.
type RestingStatement struct {
	ID       int64
	HandedTo string
}

// StatementOn finds the first statement that counted something booked at a time for a day: made since then, of that day
// or later, and of its product.
func StatementOn(tx *sqlite.Tx, product, bookedAt int64, on civil.Day) (*RestingStatement, error) {
	list, err := sqlite.Select[RestingStatement](tx, `SELECT id AS id, handed_to AS handed_to FROM statement
		WHERE at >= ? AND as_of >= ? AND (products = '' OR ? IN (SELECT value FROM json_each(products)))
		ORDER BY id LIMIT 1`, bookedAt, on, product)
	if err != nil || len(list) == 0 {
		return nil, err
	}
	return &list[0], nil
}

// PutTransaction writes a transaction of a file. What says the same as one that is there is that one, with another
// price perhaps; gone is the one that somebody took back, which a file does not bring again. may is asked before a new
// one is written.
func PutTransaction(
	tx *sqlite.Tx,
	line int64,
	t formats.Transaction,
	author string,
	at int64,
	may func() error,
) (change sqlite.Change, gone *Booked, err error) {
	same, err := sqlite.Query(tx, func(r *sql.Rows, v *int64) error { return r.Scan(v) },
		`SELECT id FROM txn WHERE entitlement_id = ? AND type = ? AND on_day = ? AND quantity = ? AND end_day = ?
			AND order_no = ? AND note = ? AND nth = ?`,
		line, t.Type, t.On, t.Quantity, t.End, t.Order, t.Note, t.Nth)
	if err != nil {
		return sqlite.Same, nil, err
	}
	if len(same) > 0 {
		known, err := TransactionByID(tx, same[0])
		if err != nil || known.GoneAt != 0 {
			return sqlite.Same, &known, err
		}
		n, err := tx.Touched(
			`UPDATE txn SET price = ?1, currency = ?2, request = CASE ?3 WHEN '' THEN request ELSE ?3 END WHERE id = ?4
				AND (price IS NOT ?1 OR currency <> ?2 OR ?3 NOT IN ('', request))`,
			sqlite.Money(t.Price), t.Currency, t.Request, known.ID,
		)
		if err != nil || n == 0 {
			return sqlite.Same, nil, err
		}
		return sqlite.Changed, nil, touchTerm(tx, line)
	}
	if err := may(); err != nil {
		return sqlite.Same, nil, err
	}
	_, err = tx.Insert(
		`INSERT INTO txn(entitlement_id, type, on_day, quantity, end_day, price, currency, order_no, note, request,
			nth, author, at) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		line, t.Type, t.On, t.Quantity, t.End, sqlite.Money(t.Price), t.Currency, t.Order, t.Note, t.Request, t.Nth,
		author, at,
	)
	if err != nil {
		return sqlite.Same, nil, err
	}
	return sqlite.Added, nil, touchTerm(tx, line)
}

// PutAssignment writes an assignment; person or device is 0.
func PutAssignment(tx *sqlite.Tx, line, person, device int64, a formats.Assignment) (sqlite.Change, error) {
	null := func(id int64) any {
		if id == 0 {
			return nil
		}
		return id
	}
	n, err := tx.Touched(
		`INSERT INTO assignment(entitlement_id, person_id, device_id, from_day, until_day) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (entitlement_id, coalesce(person_id, 0), coalesce(device_id, 0), from_day) DO UPDATE
		SET until_day = excluded.until_day WHERE until_day <> excluded.until_day`,
		line,
		null(person),
		null(device),
		a.From,
		a.Until,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, stored.TouchLine(tx, line)
}
