package entitlements

import (
	"cmp"
	"ensomet/internal/core/entitle"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"errors"
	"time"

	"github.com/shopspring/decimal"
)

// entitlementKinds are the kinds of files that say what was bought, and for whom.
func (svc *Service) Kinds() map[*formats.Kind]intake.WriterMaker {
	keys := Keys{svc}
	return map[*formats.Kind]intake.WriterMaker{
		formats.Keys:         keys.keyWriter,
		formats.Entitlements: svc.entitlementWriter,
		formats.Transactions: svc.transactionWriter,
		formats.Assignments:  func(in intake.Arrival) (*intake.Writer, error) { return assignmentWriter(in.Tx) },
		formats.Rates:        rateWriter,
		formats.Contracts:    svc.contractWriter,
	}
}

func rateWriter(in intake.Arrival) (*intake.Writer, error) {
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		r, err := formats.ParseRate(row)
		if err != nil {
			return sqlite.Same, err
		}
		return entitlementsdb.PutRate(in.Tx, r)
	}), nil
}

func (svc *Service) entitlementWriter(in intake.Arrival) (*intake.Writer, error) {
	products, err := snapshot.ProductKeysByAnyName(in.Tx)
	if err != nil {
		return nil, err
	}
	return intake.UpsertWriter(
		in.Tx,
		entitlementsdb.Entitlements,
		func(row *formats.Row) (string, formats.Entitlement, error) {
			e, err := formats.ParseEntitlement(row)
			return "entitlement_id " + e.Code, e, err
		},
		func(u *sqlite.Upserter, e formats.Entitlement, row *formats.Row) (sqlite.Change, error) {
			product, reason := snapshot.FindProduct(products, e.Publisher, e.Product)
			if reason != "" {
				return sqlite.Same, intake.Refuse(row, "%s", reason)
			}
			was, _, _, err := entitlementsdb.EntitlementValues(in.Tx, e.Code)
			if err != nil && !errors.Is(err, sqlite.ErrNotFound) {
				return sqlite.Same, err
			}
			change, err := entitlementsdb.PutEntitlement(u, product, e, svc.Clock.Now().Unix(), in.Author)
			if err != nil || change != sqlite.Changed {
				return change, err
			}
			return change, svc.touchLine(in.Tx, e.Code, in.Author, was)
		},
	)
}

// contractWriter writes what a file says of contracts: it comes before what was typed, as with lines, and whoever has
// the contract open in a form is told when he saves.
func (svc *Service) contractWriter(in intake.Arrival) (*intake.Writer, error) {
	return intake.NoTwice(func(row *formats.Row) (string, formats.Contract, error) {
		c, err := formats.ParseContract(row)
		return "contract " + c.Code, c, err
	}, func(said formats.Contract, _ *formats.Row) (sqlite.Change, error) {
		was, custom, err := entitlementsdb.ContractByCode(in.Tx, said.Code)
		if err != nil {
			return sqlite.Same, err
		}
		is := entitlementsdb.Contract{
			Code:       said.Code,
			Publisher:  said.Publisher,
			Name:       said.Name,
			Start:      said.Start,
			End:        said.End,
			NoticeDays: said.NoticeDays,
			Renews:     said.Renews,
			Owner:      said.Owner,
			Note:       said.Note,
			Author:     was.Author,
			At:         was.At,
		}
		if is == was && custom == sqlite.Custom(said.Custom) {
			return sqlite.Same, nil
		}
		now := svc.Clock.Now()
		is.Author, is.At = in.Author, now.Unix()
		if err := entitlementsdb.PutContract(in.Tx, is); err != nil {
			return sqlite.Same, err
		}
		if err := entitlementsdb.PutContractFields(in.Tx, is.Code, sqlite.Custom(said.Custom)); err != nil {
			return sqlite.Same, err
		}
		if was.Code == "" {
			return sqlite.Added, nil
		}
		return sqlite.Changed, edits.Touch(
			in.Tx,
			edits.Thing{Kind: edits.Contract, Key: is.Code},
			in.Author,
			now,
			was,
			is,
		)
	}), nil
}

// touchLine keeps that a file changed a line: whoever has it open in a form is told when he saves.
func (svc *Service) touchLine(tx *sqlite.Tx, code, who string, was map[string]string) error {
	is, _, _, err := entitlementsdb.EntitlementValues(tx, code)
	if err != nil {
		return err
	}
	return edits.Touch(tx, edits.Thing{Kind: edits.Line, Key: code}, who, svc.Clock.Now(), was, is)
}

func (svc *Service) transactionWriter(in intake.Arrival) (*intake.Writer, error) {
	lines, err := stored.Codes(in.Tx, "entitlement")
	if err != nil {
		return nil, err
	}
	type said struct {
		line string
		entitle.Transaction
	}
	before := map[said]int{} // where in this file
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		t, err := formats.ParseTransaction(row)
		if err != nil {
			return sqlite.Same, err
		}
		id := lines[t.Entitlement]
		if id == 0 {
			return sqlite.Same, intake.Refuse(
				row,
				"there is no entitlement %q: import it first; the line is tried again then",
				t.Entitlement,
			)
		}
		same := said{t.Entitlement, t.Transaction}
		same.Price, same.Currency, same.Request = decimal.NullDecimal{}, "", ""
		if at := before[same]; at != 0 {
			return sqlite.Same, intake.Refuse(
				row,
				"line %d says the same: where it really happened twice, write 2 under nth",
				at,
			)
		}
		before[same] = row.Line
		return svc.putTransaction(in, id, t, row)
	}), nil
}

// putTransaction writes a transaction of a file, where as much is in the line as would leave it.
func (svc *Service) putTransaction(
	in intake.Arrival,
	line int64,
	t formats.Transaction,
	row *formats.Row,
) (sqlite.Change, error) {
	at := svc.Clock.Now().Unix()
	change, gone, err := entitlementsdb.PutTransaction(in.Tx, line, t, in.Author, at, func() error {
		return inTheLine(in.Tx, line, &t.Transaction, row)
	})
	switch {
	case err != nil:
		return change, err
	case gone != nil:
		return change, intake.Refuse(row,
			"%s took it back on %s: where it is right after all, book it on the line itself",
			cmp.Or(gone.GoneBy, "somebody"), time.Unix(gone.GoneAt, 0).UTC().Format(time.DateOnly))
	}
	return change, nil
}

// inTheLine puts a transaction of a file aside where more would leave a line than is in it.
func inTheLine(tx *sqlite.Tx, line int64, t *entitle.Transaction, row *formats.Row) error {
	if entitle.TransactionTypes[t.Type]*t.Quantity >= 0 {
		return nil
	}
	code, product, err := entitlementsdb.LineOf(tx, line)
	if err != nil {
		return err
	}
	f, _, err := family(tx, code, product)
	if err != nil {
		return err
	}
	if left := entitle.Leaving(f.lines, code, t.On); t.Quantity > left {
		return intake.Refuse(row,
			"%d of %s can leave it on %s, not %d: what was bought comes first; the line is tried "+
				"again then", left, code, t.On, t.Quantity)
	}
	f.line.Transactions = append(f.line.Transactions, *t)
	if on, by := f.line.Overdrawn(); by > 0 {
		return intake.Refuse(row, "with it more would have left %s on %s than was in it, by %d", code, on, by)
	}
	return nil
}

func assignmentWriter(tx *sqlite.Tx) (*intake.Writer, error) {
	lines, err := stored.Codes(tx, "entitlement")
	if err != nil {
		return nil, err
	}
	users, err := stored.Codes(tx, "person")
	if err != nil {
		return nil, err
	}
	devices, err := snapshot.DevicesByCode(tx)
	if err != nil {
		return nil, err
	}
	return intake.PlainWriter(func(row *formats.Row) (sqlite.Change, error) {
		as, err := formats.ParseAssignment(row)
		if err != nil {
			return sqlite.Same, err
		}
		line, user, device := lines[as.Entitlement], users[as.User], devices[as.Device]
		switch {
		case line == 0:
			return sqlite.Same, intake.Refuse(
				row,
				"there is no entitlement %q: import it first; the line is tried again then",
				as.Entitlement,
			)
		case as.User != "" && user == 0:
			return sqlite.Same, intake.Refuse(
				row,
				"there is no user %q: import the users first; the line is tried again then",
				as.User,
			)
		case as.Device != "" && device == 0:
			return sqlite.Same, intake.Refuse(
				row,
				"there is no device %q: import the devices first; the line is tried again then",
				as.Device,
			)
		}
		return entitlementsdb.PutAssignment(tx, line, user, device, as)
	}), nil
}
