package reports

import (
	"context"

	"ensomet/internal/reports/reportsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Overview is what stands at each station of the work, and the money by currency.
type Overview struct {
	reportsdb.Counts
	AsOf     string
	Money    []reportsdb.MoneyRow
	Shortest []snapshot.PositionRow
	Silent   []snapshot.DeviceRow
	TopNames []snapshot.NameRow
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
		if out.Money, err = reportsdb.MoneyByCurrency(tx); err != nil {
			return err
		}
		short, err := snapshot.PositionList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"state": "short"}, Limit: 8})
		if err != nil {
			return err
		}
		silent, err := snapshot.DeviceList().Page(
			tx,
			sqlite.ListQuery{
				Filters: map[string]string{"age": "stale|never", "status": "in_service"},
				Sort:    "lastSeen",
				Limit:   6,
			})
		if err != nil {
			return err
		}
		names, err := snapshot.NameList().Page(
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
}

func imports(tx *sqlite.Tx, limit int) ([]ImportView, error) {
	list, err := snapshot.Imports(tx, limit)
	out := []ImportView{}
	for _, im := range list {
		out = append(
			out,
			ImportView{im.ID, im.Kind, im.File, im.Author, im.At, im.Lines, im.Added, im.Changed, im.Gone,
				im.SetAside},
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
