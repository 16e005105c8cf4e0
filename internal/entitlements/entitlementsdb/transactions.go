package entitlementsdb

import (
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
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
	for _, f := range snapshot.LineFields(&formats.Entitlement{}) {
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
	for i, f := range snapshot.LineFields(&e) {
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
	_, c, err := u.PutAs(e.Code, says, append(values, at, author))
	if err == nil && c != sqlite.Same {
		err = renewal.Touch(u.Tx, touched)
	}
	return c, err
}

// AllEntitlements reads all entitlements with their transactions, by code. Edition ranks are left to the catalogue.
func AllEntitlements(tx *sqlite.Tx) ([]snapshot.StoredEntitlement, error) {
	return snapshot.EntitlementsOf(tx, nil)
}

// PutTransaction writes a transaction.
func PutTransaction(tx *sqlite.Tx, line int64, t formats.Transaction) (sqlite.Change, error) {
	n, err := tx.Touched(
		`INSERT INTO txn(entitlement_id, type, on_day, quantity, price, currency, order_no, note)
			VALUES (?, ?, ?, ?, ?, ?, ?, ?)
		ON CONFLICT DO UPDATE SET price = excluded.price, currency = excluded.currency
		WHERE price IS NOT excluded.price OR currency <> excluded.currency`,
		line,
		t.Type,
		t.On,
		t.Quantity,
		sqlite.Money(t.Price),
		t.Currency,
		t.Order,
		t.Note,
	)
	if err != nil || n == 0 {
		return sqlite.Same, err
	}
	return sqlite.Added, snapshot.TouchLine(tx, line)
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
	return sqlite.Added, snapshot.TouchLine(tx, line)
}
