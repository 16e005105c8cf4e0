package entitlementsdb

import (
	"strings"

	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// PutRate writes a dated rate.
func PutRate(tx *sqlite.Tx, r formats.Rate) (sqlite.Change, error) {
	res, err := tx.Exec(
		"INSERT INTO rate(currency, on_day, per_eur) VALUES (?, ?, ?) ON CONFLICT DO UPDATE SET per_eur = "+
			"excluded.per_eur WHERE per_eur <> excluded.per_eur",
		r.Currency,
		r.On,
		r.PerEUR.String(),
	)
	if err != nil {
		return sqlite.Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return sqlite.Same, nil
	}
	return sqlite.Added, nil
}

// Entitlements prepares writing entitlements.
func Entitlements(tx *sqlite.Tx) (*sqlite.Upserter, error) {
	return tx.Upserter(
		"entitlement",
		"code",
		25,
		"code",
		"product_id",
		"edition",
		"version",
		"metric",
		"quantity",
		"kind",
		"start",
		"end",
		"maintenance_end",
		"unit_price",
		"currency",
		"purchased",
		"order_no",
		"contract",
		"scope_unit",
		"scope_country",
		"rights",
		"min_per_processor",
		"min_per_server",
		"pack_size",
		"capacity",
		"base",
		"custom",
		"product_id",
		"changed_at",
		"author",
	)
}

// PutEntitlement writes an entitlement.
func PutEntitlement(
	u *sqlite.Upserter,
	product int64,
	e formats.Entitlement,
	at int64,
	author string,
) (sqlite.Change, error) {
	var rights []string
	for _, r := range e.Rights {
		rights = append(rights, string(r))
	}
	touched := []int64{product}
	if known := u.Known(e.Code); known != 0 {
		var was int64
		if err := u.Tx.QueryRowContext(u.Tx.Ctx, "SELECT product_id FROM entitlement WHERE id = ?",
			known).Scan(&was); err != nil {
			return sqlite.Same, err
		}
		touched = append(touched, was)
	}
	_, c, err := u.Put(
		e.Code,
		e.Code,
		product,
		e.Edition,
		e.Version,
		string(e.Metric),
		e.Quantity,
		string(e.Kind),
		e.Start,
		e.End,
		e.MaintenanceEnd,
		sqlite.Money(e.UnitPrice),
		e.Currency,
		e.Purchased,
		e.Order,
		e.Contract,
		e.ScopeUnit,
		e.ScopeCountry,
		strings.Join(rights, "|"),
		e.MinPerProcessor,
		e.MinPerServer,
		e.PackSize,
		e.Capacity,
		e.Base,
		sqlite.Custom(e.Custom),
		product,
		at,
		author,
	)
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
	res, err := tx.Exec(
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
	if err != nil {
		return sqlite.Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return sqlite.Same, nil
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
	res, err := tx.Exec(
		`INSERT INTO assignment(entitlement_id, person_id, device_id, from_day, until_day) VALUES (?, ?, ?, ?, ?)
		ON CONFLICT (entitlement_id, coalesce(person_id, 0), coalesce(device_id, 0), from_day) DO UPDATE
		SET until_day = excluded.until_day WHERE until_day <> excluded.until_day`,
		line,
		null(person),
		null(device),
		a.From,
		a.Until,
	)
	if err != nil {
		return sqlite.Same, err
	}
	if n, _ := res.RowsAffected(); n == 0 {
		return sqlite.Same, nil
	}
	return sqlite.Added, snapshot.TouchLine(tx, line)
}
