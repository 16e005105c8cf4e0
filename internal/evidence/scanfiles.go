package evidence

import (
	"cmp"
	"context"
	"slices"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// importScans takes in a report on devices' software from a file, in one transaction.
func (svc *Service) importScans(
	ctx context.Context,
	req intake.ImportRequest,
	scans []*formats.Scan,
	bad []*formats.LineError,
) (intake.ImportResult, error) {
	res := intake.ImportResult{
		Kind:    "scan",
		File:    req.File,
		Aside:   []intake.AsideLine{},
		Columns: []string{},
		Samples: []intake.Sample{},
	}
	run := svc.DB.Update
	if req.DryRun {
		run = svc.DB.Preview
	}
	slices.SortStableFunc(scans, func(x, y *formats.Scan) int { return cmp.Compare(x.At.Unix(), y.At.Unix()) })
	err := run(ctx, func(tx *sqlite.Tx) error {
		for _, s := range scans {
			if err := svc.TakeDocument(tx, s, req.Device != "", &res); err != nil {
				return err
			}
			if res.Lines += len(s.Installs); req.Progress != nil {
				req.Progress(res.Lines)
			}
		}
		as := importedAs{res.Kind, formats.Installs.Name, formats.Installs.Columns}
		if _, err := svc.keepImport(tx, req, &res, as, bad); err != nil {
			return err
		}
		if err := res.NameSamples(tx); err != nil {
			return err
		}
		if !res.News() {
			return nil
		}
		return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
	})
	return res, err
}
