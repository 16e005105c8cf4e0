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
	AsOf     time.Time // the time of the evidence where a line does not say; zero is now
	DryRun   bool
	Author   string
	Progress func(lines int)
}

// ErrNotRead says of a file of the contract that this version does not read it.
var ErrNotRead = errors.New("this version does not read it; it was left alone")

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
	Settled int         `json:"settled"`
	Aside   []AsideLine `json:"aside"`
	Columns []string    `json:"columns"` // custom columns that were kept
}

// Import takes in one file, in one transaction. Lines that cannot go in are put aside with their reason; a *formats.FileError means that nothing of the file was stored.
func (a *App) Import(ctx context.Context, req ImportRequest) (ImportResult, error) {
	res := ImportResult{Kind: req.Kind.Name, File: req.File, Aside: []AsideLine{}, Columns: []string{}}
	if req.AsOf.IsZero() {
		req.AsOf = a.Clock.Now()
	}
	r, err := formats.NewReader(req.In, req.Kind)
	if err != nil {
		return res, err
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
	err = run(ctx, func(tx *store.Tx) error { return a.importInto(tx, req, r, &res) })
	if err == nil && !req.DryRun && res.Added+res.Changed+res.Gone > 0 && req.Kind != formats.Installs {
		if _, err := a.Retry(ctx, req.Author); err != nil {
			return res, err
		}
	}
	return res, err
}

func (a *App) importInto(tx *store.Tx, req ImportRequest, r *formats.Reader, res *ImportResult) error {
	s, err := a.sink(tx, req.Kind, req.AsOf, req.Author)
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
			if change != store.Same && req.Kind != formats.Usage { // sessions are kept field by field, like installs
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
	if res.Added+res.Changed+res.Gone == 0 {
		return nil
	}
	return markDirty(tx, req.Kind == formats.Titles)
}

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
	for _, name := range formats.NotRead {
		if _, err := os.Stat(filepath.Join(dir, name)); err == nil {
			note(filepath.Join(dir, name), ImportResult{}, ErrNotRead)
		}
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
