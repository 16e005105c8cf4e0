package app

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// ImportRequest is one file to take in.
type ImportRequest struct {
	Kind     *formats.Kind
	File     string // its name, for people
	In       io.Reader
	Mapping  *formats.Mapping
	Device   string    // whose software a document is that does not say
	AsOf     time.Time // the time of the evidence where a line does not say; zero is now
	DryRun   bool
	Author   string
	Progress func(lines int)
}

// AsideLine is a line that was put aside.
type AsideLine struct {
	File    string `json:"file"`
	Line    int    `json:"line"`
	Content string `json:"content"`
	Reason  string `json:"reason"`
}

// ImportResult says what an import did, or would do. Settled lines were put aside in an earlier import and mended or dropped since.
type ImportResult struct {
	Kind    string      `json:"kind"`
	File    string      `json:"file"`
	Lines   int         `json:"lines"`
	Added   int         `json:"added"`
	Changed int         `json:"changed"`
	Same    int         `json:"same"`
	Gone    int         `json:"gone"`
	Scans   int         `json:"scans"` // that were not known before; evidence is newer even where nothing differs
	Settled int         `json:"settled"`
	Aside   []AsideLine `json:"aside"`
	Columns []string    `json:"columns"` // custom columns that were kept
	Samples []Sample    `json:"samples"`

	seen []seenSample
}

// Sample is one of the first lines that a file would add, change or end, so that a person sees what is meant by the numbers.
type Sample struct {
	What string `json:"what" enum:"new,changed,gone,kept"`
	Text string `json:"text"`
}

type seenSample struct {
	what           string
	device, record int64
}

// maxSamples is how many lines of each sort are shown.
const maxSamples = 8

// sample remembers an install for the samples; its names are looked up at the end.
func (r *ImportResult) sample(what string, device, record int64) {
	n := 0
	for _, s := range r.seen {
		if s.what == what {
			n++
		}
	}
	if n < maxSamples {
		r.seen = append(r.seen, seenSample{what, device, record})
	}
}

// sampleLine shows a line of a table.
func (r *ImportResult) sampleLine(what, text string) {
	n := 0
	for _, s := range r.Samples {
		if s.What == what {
			n++
		}
	}
	if n < maxSamples {
		r.Samples = append(r.Samples, Sample{what, text})
	}
}

// nameSamples puts names to the installs that were remembered.
func (r *ImportResult) nameSamples(tx *store.Tx) error {
	for _, s := range r.seen {
		text, err := tx.InstallWords(s.device, s.record)
		if err != nil {
			return err
		}
		r.sampleLine(s.what, text)
	}
	r.seen = nil
	return nil
}

// Import takes in one table, in one transaction. Lines that cannot go in are put aside with their reason; a *formats.FileError means that nothing of the file was stored.
func (a *App) Import(ctx context.Context, req ImportRequest) (ImportResult, error) {
	rows, err := formats.NewReader(req.In, req.Kind)
	if err != nil {
		return newResult(req), err
	}
	return a.importRows(ctx, req, rows)
}

func newResult(req ImportRequest) ImportResult {
	return ImportResult{Kind: req.Kind.Name, File: req.File, Aside: []AsideLine{}, Columns: []string{}, Samples: []Sample{}}
}

func (a *App) importRows(ctx context.Context, req ImportRequest, r formats.Rows) (ImportResult, error) {
	res := newResult(req)
	if req.AsOf.IsZero() {
		req.AsOf = a.Clock.Now()
	}
	for _, h := range r.Header() {
		if h != "" && !slices.Contains(req.Kind.Columns, h) && !slices.Contains(req.Kind.OutOnly, h) {
			res.Columns = append(res.Columns, h)
		}
	}
	run := a.DB.Update
	if req.DryRun {
		run = a.DB.Rehearse
	}
	err := run(ctx, func(tx *store.Tx) error {
		if err := a.importInto(tx, req, r, &res); err != nil {
			return err
		}
		return res.nameSamples(tx)
	})
	if err == nil && !req.DryRun && res.Added+res.Changed+res.Gone > 0 && req.Kind != formats.Installs {
		if _, err := a.Retry(ctx, req.Author); err != nil {
			return res, err
		}
	}
	return res, err
}

func (a *App) importInto(tx *store.Tx, req ImportRequest, r formats.Rows, res *ImportResult) error {
	s, err := a.sink(tx, req.Kind, req.AsOf, req.Author, req.File)
	if err != nil {
		return err
	}
	var aside []*formats.LineError
	var news []store.Reported
	for {
		row, err := r.Next()
		if err == io.EOF {
			break
		}
		var change store.Change
		if err == nil {
			change, err = s.put(row)
		}
		var bad *formats.LineError
		if errors.As(err, &bad) {
			aside = append(aside, bad)
		} else if err != nil {
			return err
		} else {
			res.count(change)
			if change == store.Added {
				res.sampleLine("new", row.Content)
			} else if change == store.Changed {
				res.sampleLine("changed", row.Content)
			}
			if change != store.Same && req.Kind != formats.Usage && req.Kind != formats.ProcessEvents && req.Kind != formats.PoolEvents { // sessions are kept field by field, like installs
				news = append(news, store.Reported{Line: row.Line, Content: row.Content})
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
	}
	if err := s.finish(res); err != nil {
		return err
	}
	now := a.Clock.Now()
	im := store.Import{Kind: req.Kind.Name, File: req.File, Author: req.Author, At: now.Unix(), Lines: int64(res.Lines), Added: int64(res.Added), Changed: int64(res.Changed), Gone: int64(res.Gone), SetAside: int64(len(aside))}
	id, err := tx.AddImport(im)
	if err != nil {
		return err
	}
	if err := tx.KeepLines(id, r.Header(), news); err != nil {
		return err
	}
	for _, bad := range aside {
		known, err := tx.AddAside(store.Aside{ImportID: id, Kind: req.Kind.Name, File: req.File, Line: bad.Line, Header: r.Header(), Content: bad.Content, Reason: bad.Reason, AsOf: req.AsOf.Unix(), ChangedAt: now.Unix()})
		if err != nil {
			return err
		}
		if known {
			res.Settled++
		} else {
			res.Aside = append(res.Aside, AsideLine{req.File, bad.Line, bad.Content, bad.Reason})
		}
	}
	if !res.News() {
		return nil
	}
	return markImport(tx, req.Kind)
}

// markImport marks what lines of a kind touch. Rights and pools mark their products line by line.
func markImport(tx *store.Tx, k *formats.Kind) error {
	switch k {
	case formats.Entitlements, formats.Transactions, formats.Assignments, formats.Pools, formats.PoolEvents:
		return count(tx, changes)
	case formats.Titles, formats.Publishers:
		return markCatalogue(tx)
	}
	return markDirty(tx, false)
}

// News reports whether the import changed anything that figures rest on.
func (r *ImportResult) News() bool { return r.Added+r.Changed+r.Gone+r.Scans > 0 }

func (r *ImportResult) count(c store.Change) {
	switch c {
	case store.Added:
		r.Added++
	case store.Changed:
		r.Changed++
	default:
		r.Same++
	}
}

// ImportFile takes in a file of any form: a table of req.Kind (CSV, XLSX, or LDIF for users and devices), or a report on devices' software (a scan, SWID tags, CycloneDX, SPDX), for which the kind does
// not matter. Without a mapping, one that was saved for the same header is used where the header needs one.
func (a *App) ImportFile(ctx context.Context, f formats.File, size int64, req ImportRequest) (ImportResult, error) {
	if req.AsOf.IsZero() {
		req.AsOf = a.Clock.Now()
	}
	form, err := formats.Sniff(f, size)
	if err != nil {
		return ImportResult{Kind: "file", File: req.File}, err
	}
	if form.IsScan() && !((req.Kind == formats.Titles || req.Kind == formats.Entitlements) && (form == formats.CycloneDXJSON || form == formats.CycloneDXXML)) {
		scans, bad, err := formats.ReadScans(f, size, form, req.Device, req.AsOf)
		if err != nil {
			return ImportResult{Kind: "scan", File: req.File}, err
		}
		return a.importScans(ctx, req, scans, bad)
	}
	if form == formats.LDIF && req.Kind != formats.Users && req.Kind != formats.Devices {
		return a.importDirectory(ctx, f, size, req)
	}
	if req.Kind == nil {
		return ImportResult{Kind: "file", File: req.File}, &formats.FileError{Reason: "this is no scan, SWID tag, CycloneDX or SPDX document and no directory: say which kind of table it is"}
	}
	if form != formats.LDIF && !form.IsDocument() && req.Mapping == nil {
		if req.Mapping, err = a.savedMapping(ctx, f, size, form, req.Kind); err != nil {
			return newResult(req), err
		}
	} else if req.Mapping != nil && !form.IsDocument() && !req.DryRun {
		if err := a.keepMapping(ctx, f, size, form, req); err != nil {
			return newResult(req), err
		}
	}
	rows, err := formats.OpenTable(f, size, form, req.Kind, req.Mapping, req.AsOf)
	if err != nil {
		return newResult(req), err
	}
	return a.importRows(ctx, req, rows)
}

// importDirectory takes in the users and then the devices of a directory export.
func (a *App) importDirectory(ctx context.Context, f formats.File, size int64, req ImportRequest) (ImportResult, error) {
	out := ImportResult{Kind: "directory", File: req.File, Aside: []AsideLine{}, Columns: []string{}, Samples: []Sample{}}
	for i, kind := range []*formats.Kind{formats.Users, formats.Devices} {
		one := req
		one.Kind = kind
		rows, err := formats.OpenTable(f, size, formats.LDIF, kind, nil, req.AsOf)
		if err != nil {
			return out, err
		}
		res, err := a.importRows(ctx, one, rows)
		if err != nil {
			return out, err
		}
		out.Lines, out.Added, out.Changed, out.Same, out.Gone, out.Settled = out.Lines+res.Lines, out.Added+res.Added, out.Changed+res.Changed, out.Same+res.Same, out.Gone+res.Gone, out.Settled+res.Settled
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

// ImportDir takes in the files of a folder that have a known name, what others refer to first. note is told each result, or why a file was refused; the rest goes on.
func (a *App) ImportDir(ctx context.Context, dir string, req ImportRequest, note func(file string, res ImportResult, err error)) error {
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
		res, err := a.Import(ctx, one)
		f.Close()
		note(path, res, err)
	}
	if found == 0 {
		var names []string
		for _, k := range formats.Kinds {
			names = append(names, k.Name+".csv")
		}
		return fmt.Errorf("%s holds none of the files that can be read: %s", dir, strings.Join(names, ", "))
	}
	return nil
}
