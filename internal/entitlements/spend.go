package entitlements

import (
	"cmp"
	"context"
	"slices"
	"strings"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/entitle"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/own"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"

	"github.com/shopspring/decimal"
)

// SpendRow is what was spent in a year.
type SpendRow struct {
	Year      int
	Publisher string
	ProductID int64
	Product   string
	Unit      string // the scope of the line; empty is everyone
	Kind      string
	Own       string // the value of the field of the house's own that was asked for
	Amount    string // in the currency of the house, at the rate of the day it was spent on
	Lines     int    // that were paid for in the year
}

// Spend is what was spent, by publisher, product, unit, kind and year. Without are payments whose currency had no rate
// on their day.
type Spend struct {
	Rows    []SpendRow
	Without []Unconverted
}

// OwnBy is a field of the house's own of lines, titles or contracts, by which what was spent is split besides; the zero
// value is none.
type OwnBy struct {
	Kind  own.Kind
	Field string
}

// of is the value that a line has, its own, or that of its title or contract.
func (by OwnBy) of(all map[string]map[string]string, l *stored.Entitlement) string {
	switch by.Kind {
	case own.Line:
		return all[l.Code][by.Field]
	case own.Title:
		return all[sqlite.Itoa(l.Line.Product)][by.Field]
	case own.Contract:
		return all[l.Contract][by.Field]
	}
	return ""
}

// Spend sums what lines cost on the days they were paid for.
func (svc *Spending) Spend(ctx context.Context, by OwnBy) (Spend, error) {
	out := Spend{Rows: []SpendRow{}}
	type key struct {
		year    int
		product int64
		unit    string
		kind    entitle.Kind
		own     string
	}
	sums := map[key]decimal.Decimal{}
	rows := map[key]*SpendRow{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		all, spent, without, err := svc.spent(tx)
		if err != nil {
			return err
		}
		out.Without = without
		var fields map[string]map[string]string
		if by.Kind != "" {
			if fields, err = own.Values(tx, by.Kind); err != nil {
				return err
			}
		}
		for _, s := range spent {
			l := &all[s.line]
			k := key{s.year, l.Line.Product, l.ScopeUnit, l.Kind, by.of(fields, l)}
			sums[k] = sums[k].Add(s.amount)
			if rows[k] == nil {
				rows[k] = &SpendRow{
					Year:      k.year,
					Publisher: l.Publisher,
					ProductID: k.product,
					Product:   l.Entitlement.Product,
					Unit:      k.unit,
					Kind:      string(k.kind),
					Own:       k.own,
				}
			}
			rows[k].Lines++
		}
		return nil
	})
	for k, r := range rows {
		r.Amount = sums[k].String()
		out.Rows = append(out.Rows, *r)
	}
	slices.SortFunc(out.Rows, func(x, y SpendRow) int {
		return cmp.Or(
			cmp.Compare(y.Year, x.Year),
			cmp.Compare(x.Publisher, y.Publisher),
			cmp.Compare(x.Product, y.Product),
			cmp.Compare(x.Unit, y.Unit),
			cmp.Compare(x.Kind, y.Kind),
			cmp.Compare(x.Own, y.Own),
		)
	})
	return out, err
}

// ContractView is a contract with what its lines come to.
type ContractView struct {
	entitlementsdb.Contract
	Lines    int
	Products int
	Value    string            // what its lines cost each time that they are renewed, in the currency of the house
	Once     string            // what of it was bought for ever, in the currency of the house
	Notice   string            // the last day to give notice
	LastEnd  string            // the last day on which a line of it ends
	Own      map[string]string // fields of the house's own
}

// Contracts lists the contracts, those too that only lines name.
func (svc *Service) Contracts(ctx context.Context) ([]ContractView, error) {
	out := []ContractView{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		list, err := entitlementsdb.Contracts(tx)
		if err != nil {
			return err
		}
		all, err := entitlementsdb.AllEntitlements(tx)
		if err != nil {
			return err
		}
		rates, err := snapshot.LoadRates(tx)
		if err != nil {
			return err
		}
		revisions, err := edits.Revisions(tx, edits.Contract)
		if err != nil {
			return err
		}
		fields, err := own.Values(tx, own.Contract)
		if err != nil {
			return err
		}
		for i := range list {
			v := ContractView{Contract: list[i], Notice: noticeDay(&list[i])}
			v.Revision = revisions[v.Code]
			if v.Own = fields[v.Code]; v.Own == nil {
				v.Own = map[string]string{}
			}
			products := map[int64]bool{}
			var last civil.Day
			once := decimal.Zero
			for k := range all {
				l := &all[k]
				if l.Contract != v.Code {
					continue
				}
				v.Lines++
				products[l.Line.Product] = true
				last = max(last, l.LastDay())
				today := svc.Snapshots.Today()
				if forEver := l.Kind == entitle.Perpetual || l.Kind == entitle.Upgrade; forEver &&
					l.UnitPrice.Valid {
					amount := l.UnitPrice.Decimal.Mul(decimal.NewFromInt(l.Booked(today)))
					if c, err := rates.InHouse(amount, l.Currency, today); err == nil {
						once = once.Add(c)
					}
				}
				v.Publisher = cmp.Or(v.Publisher, l.Publisher)
			}
			value, _ := recurring(all, v.Code, rates, svc.Snapshots.Today())
			v.Products, v.Value, v.Once = len(products), value.Round(2).String(), once.Round(2).String()
			if last.Known() {
				v.LastEnd = last.String()
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

// PutContract keeps what is known of a contract.
func (svc *Service) PutContract(ctx context.Context, c entitlementsdb.Contract, who string) error {
	if c.Code = strings.TrimSpace(c.Code); c.Code == "" {
		return refuse.New("give the contract its number")
	}
	if c.Start.Known() && c.End.Known() && c.End < c.Start {
		return refuse.Errorf("it ends on %s, before it starts on %s", c.End, c.Start)
	}
	if c.NoticeDays < 0 || c.NoticeDays > 3700 {
		return refuse.New("notice is given between no days and ten years ahead")
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		list, err := entitlementsdb.Contracts(tx)
		if err != nil {
			return err
		}
		was := entitlementsdb.Contract{Code: c.Code}
		if i := slices.IndexFunc(list, func(o entitlementsdb.Contract) bool { return o.Code == c.Code }); i >= 0 {
			was = list[i]
		}
		if _, err := edits.Save(tx, edits.Change{
			Thing: edits.Thing{Kind: edits.Contract, Key: c.Code},
			Seen:  c.Revision,
			Who:   who,
			At:    now,
			Was:   was,
			Is:    c,
		}); err != nil {
			return err
		}
		c.Author, c.At = who, now.Unix()
		if err := entitlementsdb.PutContract(tx, c); err != nil {
			return err
		}
		return tx.Note(now, who, "kept a contract", c.Code, c.Name)
	})
}
