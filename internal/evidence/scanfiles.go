package evidence

import (
	"cmp"
	"context"
	"fmt"
	"slices"

	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
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
			source := s.Source
			if source == "" {
				source = "collector"
			}
			t, err := svc.newReceiver(tx, source, "id", &res)
			if err != nil {
				return err
			}
			if req.Device != "" || s.Device.ID != "" {
				if err := knownByName(tx, &s.Device); err != nil {
					return err
				}
			}
			if _, _, err := t.take(s); err != nil {
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
		return renewal.Mark(tx, false)
	})
	return res, err
}

// knownByName lets a file name its device by its name, where that is no device_id and one device alone has it.
func knownByName(tx *sqlite.Tx, d *formats.ScanDevice) error {
	id, err := snapshot.FindDevice(tx, d.ID)
	if err != nil || id != 0 {
		return err
	}
	ids, err := evidencedb.DevicesNamed(tx, d.ID)
	if err != nil {
		return err
	}
	switch len(ids) {
	case 0:
		return nil
	case 1:
		d.ID, err = evidencedb.DeviceCode(tx, ids[0])
		return err
	}
	return &formats.FileError{Reason: fmt.Sprintf("several devices are called %q: name the device_id", d.ID)}
}
