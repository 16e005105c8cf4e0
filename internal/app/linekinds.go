package app

import (
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// entitlementKinds are the kinds of files that say what was bought, and for whom.
func (a *App) entitlementKinds() map[*formats.Kind]sinkMaker {
	return map[*formats.Kind]sinkMaker{
		formats.Entitlements: a.entitlementSink,
		formats.Transactions: func(in arrival) (*sink, error) { return transactionSink(in.tx) },
		formats.Assignments:  func(in arrival) (*sink, error) { return assignmentSink(in.tx) },
		formats.Rates:        rateSink,
	}
}

func rateSink(in arrival) (*sink, error) {
	return plainSink(func(row *formats.Row) (store.Change, error) {
		r, err := formats.ParseRate(row)
		if err != nil {
			return store.Same, err
		}
		return in.tx.PutRate(r)
	}), nil
}

func (a *App) entitlementSink(in arrival) (*sink, error) {
	products, err := in.tx.ProductKeysByHouse()
	if err != nil {
		return nil, err
	}
	return upsertSink(in.tx, (*store.Tx).Entitlements, func(row *formats.Row) (string, formats.Entitlement, error) {
		e, err := formats.ParseEntitlement(row)
		return "entitlement_id " + e.Code, e, err
	}, func(u *store.Upserter, e formats.Entitlement, row *formats.Row) (store.Change, error) {
		product, reason := findProduct(products, e.Publisher, e.Product)
		if reason != "" {
			return store.Same, refuse(row, "%s", reason)
		}
		return u.PutEntitlement(product, e, a.Clock.Now().Unix(), in.author)
	})
}

func transactionSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		t, err := formats.ParseTransaction(row)
		if err != nil {
			return store.Same, err
		}
		id := lines[t.Entitlement]
		if id == 0 {
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", t.Entitlement)
		}
		return tx.PutTransaction(id, t)
	}), nil
}

func assignmentSink(tx *store.Tx) (*sink, error) {
	lines, err := tx.Codes("entitlement")
	if err != nil {
		return nil, err
	}
	users, err := tx.Codes("person")
	if err != nil {
		return nil, err
	}
	devices, err := tx.Codes("device")
	if err != nil {
		return nil, err
	}
	return plainSink(func(row *formats.Row) (store.Change, error) {
		as, err := formats.ParseAssignment(row)
		if err != nil {
			return store.Same, err
		}
		line, user, device := lines[as.Entitlement], users[as.User], devices[as.Device]
		switch {
		case line == 0:
			return store.Same, refuse(row, "there is no entitlement %q: import it first; the line is tried again then", as.Entitlement)
		case as.User != "" && user == 0:
			return store.Same, refuse(row, "there is no user %q: import the users first; the line is tried again then", as.User)
		case as.Device != "" && device == 0:
			return store.Same, refuse(row, "there is no device %q: import the devices first; the line is tried again then", as.Device)
		}
		return tx.PutAssignment(line, user, device, as)
	}), nil
}
