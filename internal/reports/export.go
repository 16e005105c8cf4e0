package reports

import (
	"context"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/refuse"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Export writes a kind of file as of a day (unknown is today) row by row: first the columns by start, then each row
// by write.
func (svc *Service) Export(
	ctx context.Context,
	kind string,
	asOf civil.Day,
	start func(columns []string) error,
	write func([]string) error,
) error {
	if kind == formats.Positions.Name {
		if err := start(formats.Positions.Columns); err != nil {
			return err
		}
		return svc.Position.Positions(ctx, asOf, write)
	}
	k, err := formats.KindByName(kind)
	if err != nil {
		return err
	}
	if k.InOnly {
		return refuse.Errorf("%s are kept sealed and not written to files", k.Name)
	}
	columns := append(append([]string(nil), k.Columns...), k.OutOnly...)
	if k != formats.Installs {
		if err := start(columns); err != nil {
			return err
		}
		return svc.DB.View(ctx, func(tx *sqlite.Tx) error { return export.File(tx, k.Name, write) })
	}
	if err := svc.Renewal.Current(ctx); err != nil {
		return err
	}
	if err := start(columns); err != nil {
		return err
	}
	return svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		e, err := svc.Snapshots.Load(tx, svc.Snapshots.DayOr(asOf), svc.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		folds, err := e.Folds(tx)
		if err != nil {
			return err
		}
		return export.Installs(tx, e.At, "", func(r snapshot.ExportedInstall) error {
			return write(append(r.Values, e.Verdict(&r, folds)...))
		})
	})
}
