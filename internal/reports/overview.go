package reports

import (
	"context"

	"ensomet/internal/core/civil"
	"ensomet/internal/lists"
	"ensomet/internal/reports/reportsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"

	"github.com/shopspring/decimal"
)

// Overview is what stands at each station of the work, and the money by currency.
type Overview struct {
	reportsdb.Counts
	AsOf     string
	Money    []reportsdb.MoneyRow
	Shortest []lists.PositionRow
	Silent   []lists.DeviceRow
	TopNames []lists.NameRow
	Imports  []ImportView
	FreshFor int
	Window   int
	Grace    int
}

// Overview counts what stands at each station.
func (svc *Service) Overview(ctx context.Context) (Overview, error) {
	var out Overview
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		today := svc.Snapshots.Today()
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		out.AsOf, out.FreshFor, out.Window, out.Grace = today.String(), s.FreshDays, s.UseWindow, s.GraceDays
		if out.Counts, err = reportsdb.CountOverview(tx, today, today+90); err != nil {
			return err
		}
		if out.Money, err = money(tx, today); err != nil {
			return err
		}
		short, err := lists.PositionList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"state": "short"}, Limit: 8})
		if err != nil {
			return err
		}
		silent, err := lists.DeviceList().Page(
			tx,
			sqlite.ListQuery{
				Filters: map[string]string{"age": "stale|never", "status": "in_service"},
				Sort:    "lastSeen",
				Limit:   6,
			})
		if err != nil {
			return err
		}
		names, err := lists.NameList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"state": "unrecognised", "installs": ">0"}, Limit: 6})
		if err != nil {
			return err
		}
		out.Shortest, out.Silent, out.TopNames = short.Rows, silent.Rows, names.Rows
		out.Imports, err = imports(tx, 5)
		return err
	})
	return out, err
}

// money sums exposure and spare value up in the currency of the house, at the rates of a day; what has no rate stands
// after it, each currency by itself.
func money(tx *sqlite.Tx, today civil.Day) ([]reportsdb.MoneyRow, error) {
	list, err := reportsdb.MoneyByCurrency(tx)
	if err != nil {
		return nil, err
	}
	rates, err := snapshot.LoadRates(tx)
	if err != nil {
		return nil, err
	}
	var exposure, spare decimal.Decimal
	known := false
	out := []reportsdb.MoneyRow{{}}
	for _, m := range list {
		sums := [2]decimal.Decimal{}
		for i, text := range []string{m.Exposure, m.Spare} {
			amount, err := decimal.NewFromString(text)
			if err != nil {
				return nil, err
			}
			if sums[i], err = rates.InHouse(amount, m.Currency, today); err != nil {
				out = append(out, m)
				break
			}
			if i == 1 {
				exposure, spare, known = exposure.Add(sums[0]), spare.Add(sums[1]), true
			}
		}
	}
	if !known {
		return out[1:], nil
	}
	out[0] = reportsdb.MoneyRow{
		Currency: rates.House(),
		Exposure: exposure.Round(2).String(),
		Spare:    spare.Round(2).String(),
	}
	return out, nil
}

// ImportView is one import of one file.
type ImportView struct {
	ID       int64
	Kind     string
	File     string
	Author   string
	At       int64
	Lines    int64
	Added    int64
	Changed  int64
	Gone     int64
	SetAside int64

	State        string
	Devices      int64
	DevicesTaken int64
}

func imports(tx *sqlite.Tx, limit int) ([]ImportView, error) {
	list, err := snapshot.Imports(tx, limit)
	out := []ImportView{}
	for _, im := range list {
		out = append(
			out,
			ImportView{im.ID, im.Kind, im.File, im.Author, im.At, im.Lines, im.Added, im.Changed, im.Gone,
				im.SetAside, im.State, im.Devices, im.DevicesTaken},
		)
	}
	return out, err
}

// Imports lists the newest imports.
func (svc *Service) Imports(ctx context.Context) (out []ImportView, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = imports(tx, 50)
		return err
	})
	return out, err
}

// Find looks for devices, titles, entitlements and persons.
func (svc *Service) Find(ctx context.Context, text string) (out []reportsdb.Hit, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = reportsdb.Find(tx, text, 6)
		return err
	})
	return out, err
}
