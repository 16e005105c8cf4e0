package evidence

import (
	"context"
	"errors"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"ensomet/internal/core/refuse"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
)

// Import takes in one table: in one transaction, or where it says what software is there in steps, of which each takes
// in some devices. Lines that cannot go in are put aside with their reason; a *formats.FileError means that nothing of
// the file was stored.
func (svc *Service) Import(ctx context.Context, req intake.ImportRequest) (intake.ImportResult, error) {
	rows, err := formats.NewReader(req.In, req.Kind)
	if err != nil {
		return intake.NewResult(req), err
	}
	return svc.importRows(ctx, req, rows)
}

func (svc *Service) importRows(
	ctx context.Context,
	req intake.ImportRequest,
	r formats.Rows,
) (intake.ImportResult, error) {
	res := intake.NewResult(req)
	if req.AsOf.IsZero() {
		req.AsOf = svc.Clock.Now()
	}
	for _, h := range r.Header() {
		if h != "" && !slices.Contains(req.Kind.Columns, h) && !slices.Contains(req.Kind.OutOnly, h) {
			res.Columns = append(res.Columns, h)
		}
	}
	run := svc.DB.UpdateInSteps
	if req.DryRun {
		run = svc.DB.Preview
	}
	err := run(ctx, func(tx *sqlite.Tx) error {
		if req.Check != nil {
			if err := req.Check(tx); err != nil {
				return err
			}
		}
		if err := svc.ImportInto(tx, req, r, &res); err != nil {
			return err
		}
		return res.NameSamples(tx)
	})
	if err != nil && res.DevicesTaken > 0 {
		return res, svc.stopped(ctx, &res, err)
	}
	if err == nil && !req.DryRun && res.Added+res.Changed+res.Gone > 0 && req.Kind != formats.Installs {
		if _, err := svc.Retry(ctx, req.Author); err != nil {
			return res, err
		}
	}
	return res, err
}

func (svc *Service) ImportInto(
	tx *sqlite.Tx,
	req intake.ImportRequest,
	r formats.Rows,
	res *intake.ImportResult,
) error {
	s, err := svc.writer(req.Kind, intake.Arrival{Tx: tx, AsOf: req.AsOf, Author: req.Author, File: req.File,
		From: req.From, Stepped: svc.stepped(tx, &req)})
	if err != nil {
		return err
	}
	if s.Close != nil {
		defer s.Close()
	}
	var aside []*formats.LineError
	var news []evidencedb.Reported
	for {
		row, err := r.Next()
		if err == io.EOF {
			break
		}
		var change sqlite.Change
		if err == nil {
			change, err = s.Put(row)
		}
		var bad *formats.LineError
		if errors.As(err, &bad) {
			aside = append(aside, bad)
		} else if err != nil {
			return err
		} else {
			res.Count(change)
			if change == sqlite.Added {
				res.SampleLine("new", row.Content)
			} else if change == sqlite.Changed {
				res.SampleLine("changed", row.Content)
			}
			// sessions are kept field by field, like installs
			if change != sqlite.Same && req.Kind != formats.Usage && req.Kind != formats.ProcessEvents &&
				req.Kind != formats.PoolEvents {
				news = append(news, evidencedb.Reported{Line: row.Line, Content: row.Content})
			}
		}
		if res.Lines++; res.Lines%20_000 == 0 {
			if err := tx.Context().Err(); err != nil {
				return err
			}
			if req.Progress != nil {
				req.Progress(res.Lines)
			}
		}
		if s.InSteps && tx.Due() {
			if err := tx.Step(); err != nil {
				return err
			}
		}
	}
	if err := s.Finish(res); err != nil {
		return err
	}
	id, err := svc.keepImport(tx, req, res, importedAs{req.Kind.Name, req.Kind.Name, r.Header()}, aside)
	if err != nil {
		return err
	}
	if err := evidencedb.KeepLines(tx, id, r.Header(), news); err != nil {
		return err
	}
	if !res.News() {
		return nil
	}
	return markImport(tx, req.Kind)
}

// stepped returns what notes how far an import got, before each of its steps is written.
func (svc *Service) stepped(tx *sqlite.Tx, req *intake.ImportRequest) func(*intake.ImportResult) error {
	return func(res *intake.ImportResult) error {
		is := res.Kept("running")
		if res.Import == 0 {
			is.Author, is.At = req.Author, svc.Clock.Now().Unix()
			var err error
			if res.Import, err = evidencedb.AddImport(tx, is); err != nil {
				return err
			}
			is.ID = res.Import
		}
		if req.Told != nil {
			req.Told(res.DevicesTaken, res.Devices)
		}
		return evidencedb.PutImport(tx, is)
	}
}

// stopped notes that an import ended before it had taken in everything, and says so to whoever began it.
func (svc *Service) stopped(ctx context.Context, res *intake.ImportResult, why error) error {
	if err := svc.DB.Update(context.WithoutCancel(ctx), func(tx *sqlite.Tx) error {
		if err := renewal.Count(tx, renewal.Changes, renewal.InventoryChanges); err != nil {
			return err
		}
		return evidencedb.StopImport(tx, res.Import)
	}); err != nil {
		return errors.Join(why, err)
	}
	if ctx.Err() == nil {
		return why
	}
	return &intake.StoppedError{Taken: res.DevicesTaken, Of: res.Devices, Why: why}
}

// importedAs is the kind of a file, that of its lines, and their columns.
type importedAs struct {
	file, lines string
	header      []string
}

// keepImport keeps that a file came in, and the lines that could not be taken.
func (svc *Service) keepImport(
	tx *sqlite.Tx,
	req intake.ImportRequest,
	res *intake.ImportResult,
	as importedAs,
	aside []*formats.LineError,
) (int64, error) {
	now := svc.Clock.Now().Unix()
	is := res.Kept("done")
	is.Kind, is.Author, is.At, is.SetAside = as.file, req.Author, now, int64(len(aside))
	id, err := is.ID, error(nil)
	if id == 0 {
		id, err = evidencedb.AddImport(tx, is)
	} else {
		err = evidencedb.PutImport(tx, is)
	}
	if err != nil {
		return 0, err
	}
	for _, bad := range aside {
		known, err := evidencedb.AddAside(tx, evidencedb.Aside{
			ImportID:  id,
			Kind:      as.lines,
			File:      req.File,
			Line:      bad.Line,
			Header:    as.header,
			Content:   bad.Content,
			Reason:    bad.Reason,
			AsOf:      req.AsOf.Unix(),
			ChangedAt: now,
		})
		if err != nil {
			return 0, err
		}
		if known {
			res.Settled++
			continue
		}
		res.Aside = append(res.Aside,
			intake.AsideLine{File: req.File, Line: bad.Line, Content: bad.Content, Reason: bad.Reason})
	}
	return id, nil
}

// markImport marks what lines of a kind touch. Rights and pools mark their products line by line.
func markImport(tx *sqlite.Tx, k *formats.Kind) error {
	switch k {
	case formats.Contracts,
		formats.Entitlements,
		formats.Transactions,
		formats.Assignments,
		formats.Pools,
		formats.PoolEvents:
		return renewal.Count(tx, renewal.Changes)
	case formats.Installs, formats.Devices, formats.Usage:
		return renewal.Count(tx, renewal.Changes, renewal.InventoryChanges)
	case formats.Titles, formats.Publishers:
		return renewal.MarkCatalogue(tx)
	}
	return renewal.Mark(tx, false)
}

// ImportFile takes in a file of any form: a table of req.Kind (CSV, XLSX, or LDIF for users and devices), or a report
// on devices' software (a scan, SWID tags, CycloneDX, SPDX), for which the kind does not matter. Without a mapping,
// one that was saved for the same header is used where the header needs one.
func (svc *Service) ImportFile(
	ctx context.Context,
	f formats.File,
	size int64,
	req intake.ImportRequest,
) (intake.ImportResult, error) {
	if req.AsOf.IsZero() {
		req.AsOf = svc.Clock.Now()
	}
	form, err := formats.Sniff(f, size)
	if err != nil {
		return intake.ImportResult{Kind: "file", File: req.File}, err
	}
	if form.IsScan() &&
		!((req.Kind == formats.Titles || req.Kind == formats.Entitlements) &&
			(form == formats.CycloneDXJSON || form == formats.CycloneDXXML)) {
		scans, bad, err := formats.ReadScans(f, size, form, req.Device, req.AsOf)
		if err != nil {
			return intake.ImportResult{Kind: "scan", File: req.File}, err
		}
		return svc.importScans(ctx, req, scans, bad)
	}
	if form == formats.LDIF {
		req.From = fromDirectory
	}
	if form == formats.LDIF && req.Kind != formats.Users && req.Kind != formats.Devices {
		return svc.importDirectory(ctx, f, size, req)
	}
	if req.Kind == nil {
		return intake.ImportResult{
				Kind: "file",
				File: req.File,
			}, &formats.FileError{
				Reason: "this is no scan, SWID tag, CycloneDX or SPDX document and no directory: say which kind of " +
					"table it is",
			}
	}
	if form != formats.LDIF && !form.IsDocument() && req.Mapping == nil {
		if req.Mapping, err = svc.savedMapping(ctx, f, size, form, req.Kind); err != nil {
			return intake.NewResult(req), err
		}
	} else if req.Mapping != nil && !form.IsDocument() && !req.DryRun {
		if err := svc.keepMapping(ctx, f, size, form, req); err != nil {
			return intake.NewResult(req), err
		}
	}
	rows, err := formats.OpenTable(f, size, form, req.Kind, req.Mapping, req.AsOf)
	if err != nil {
		return intake.NewResult(req), err
	}
	return svc.importRows(ctx, req, rows)
}

// importDirectory takes in the users and then the devices of a directory export.
func (svc *Service) importDirectory(
	ctx context.Context,
	f formats.File,
	size int64,
	req intake.ImportRequest,
) (intake.ImportResult, error) {
	out := intake.ImportResult{
		Kind:    "directory",
		File:    req.File,
		Aside:   []intake.AsideLine{},
		Columns: []string{},
		Samples: []intake.Sample{},
	}
	for i, kind := range []*formats.Kind{formats.Users, formats.Devices} {
		one := req
		one.Kind = kind
		rows, err := formats.OpenTable(f, size, formats.LDIF, kind, nil, req.AsOf)
		if err != nil {
			return out, err
		}
		res, err := svc.importRows(ctx, one, rows)
		if err != nil {
			return out, err
		}
		out.Lines, out.Added, out.Changed, out.Same, out.Gone, out.Settled = out.Lines+res.Lines, out.Added+
			res.Added, out.Changed+res.Changed, out.Same+res.Same, out.Gone+res.Gone, out.Settled+res.Settled
		out.Samples = append(out.Samples, res.Samples...)
		if i == 0 { // records that cannot be read are the same both times
			out.Aside = res.Aside
		}
	}
	return out, nil
}

// ImportKinds names the kinds of tables that can be taken in, in the order in which they build on one another.
func ImportKinds() []string {
	var out []string
	for _, k := range formats.Kinds {
		out = append(out, k.Name)
	}
	return out
}

// ImportDir takes in the files of a folder that have a known name, what others refer to first. note is told each
// result, or why a file was refused; the rest goes on.
func (svc *Service) ImportDir(
	ctx context.Context,
	dir string,
	req intake.ImportRequest,
	note func(file string, res intake.ImportResult, err error),
) error {
	found := 0
	for _, k := range formats.Kinds {
		path := filepath.Join(dir, k.Name+".csv")
		f, err := os.Open(path)
		if os.IsNotExist(err) {
			continue
		}
		if err != nil {
			return err
		}
		found++
		one := req
		one.Kind, one.File, one.In = k, k.Name+".csv", f
		res, err := svc.Import(ctx, one)
		f.Close()
		note(path, res, err)
	}
	if found == 0 {
		var names []string
		for _, k := range formats.Kinds {
			names = append(names, k.Name+".csv")
		}
		return refuse.Errorf("%s holds none of the files that can be read: %s", dir, strings.Join(names, ", "))
	}
	return nil
}
