// Package places looks at folders and addresses on a schedule, and takes in what is new there.
package places

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"ensomet/internal/clock"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/schedule"
	"ensomet/internal/edits"
	"ensomet/internal/fetch"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/places/placesdb"
	"ensomet/internal/progress"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Importer takes in files of any form.
type Importer interface {
	ImportWatched(
		ctx context.Context,
		f formats.File,
		size int64,
		req intake.ImportRequest,
	) (intake.ImportResult, error)
}

// Service looks at places.
type Service struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Progress *progress.Board
	Importer Importer
	Fetch    *fetch.Fetcher
	Roots    []string // folders below which it may look, which whoever runs the program names

	looking, due sync.Mutex
}

// Draft is a place as somebody wants it.
type Draft struct {
	ID       int64 // 0 for a new one
	Name     string
	Place    string // a folder, or an https address
	Pattern  string // of the names of files in a folder; empty is all
	Kind     string // what tables there are; empty goes by the files' names
	Calendar schedule.Calendar
	Paused   bool
	Revision int64 // that was seen; a save on an older one is refused
}

// View is a place with what became of it. Times are in seconds since 1970.
type View struct {
	Draft
	Words   string // when it is looked at
	Next    int64  // 0 where it is paused
	TriedAt int64
	CameAt  int64
	State   string // came, nothing or failed; empty before the first look
	Says    string
	Files   []File
	Author  string
}

// File is what was there.
type File = placesdb.File

// The states of a place.
const (
	Came    = "came"
	Nothing = "nothing"
	Failed  = "failed"
)

const (
	mostBytes  = 4 << 30          // of a file
	settle     = 20 * time.Second // a file that changed since may not be whole yet
	mostFiles  = 500              // at one look
	shownFiles = 40
)

func thing(id int64) edits.Thing { return edits.Of(edits.Place, id) }

func isAddress(place string) bool { return strings.Contains(place, "://") }

// check says what is wrong with a draft.
func (svc *Service) check(d *Draft) error {
	d.Name, d.Place, d.Pattern = strings.TrimSpace(
		d.Name,
	), strings.TrimSpace(
		d.Place,
	), strings.TrimSpace(
		d.Pattern,
	)
	if d.Name == "" || len(d.Name) > 100 {
		return refuse.New("give the place a name of at most 100 characters")
	}
	if err := d.Calendar.Check(); err != nil {
		return err
	}
	if d.Kind != "" && kindOf(d.Kind) == nil {
		return refuse.Errorf("there is no kind of table %q", d.Kind)
	}
	if _, err := path.Match(d.Pattern, ""); err != nil {
		return refuse.Errorf("the pattern %q cannot be read: write it like *.csv", d.Pattern)
	}
	if isAddress(d.Place) {
		return svc.Fetch.Check(d.Place)
	}
	_, err := svc.folder(d.Place)
	return err
}

// folder is the real folder of a place; links are followed first, so that none leads out.
func (svc *Service) folder(place string) (string, error) {
	if !filepath.IsAbs(place) {
		return "", refuse.Errorf("%q is not the whole way to a folder", place)
	}
	real, err := filepath.EvalSymlinks(place)
	if err != nil {
		return "", refuse.Errorf("the folder %s cannot be read: %s", place, reason(err))
	}
	info, err := os.Stat(real)
	if err != nil || !info.IsDir() {
		return "", refuse.Errorf("%s is not a folder", place)
	}
	for _, root := range svc.Roots {
		if within(root, real) {
			return real, nil
		}
	}
	return "", refuse.Errorf(
		"the program was not told that it may look into %s: whoever runs it starts it with --watch %s",
		place,
		place,
	)
}

// within reports whether a folder is another one, or lies in it.
func within(root, folder string) bool {
	real, err := filepath.EvalSymlinks(root)
	if err != nil {
		return false
	}
	way, err := filepath.Rel(real, folder)
	return err == nil && way != ".." && !strings.HasPrefix(way, ".."+string(filepath.Separator))
}

func reason(err error) string {
	var at *os.PathError
	if errors.As(err, &at) {
		return at.Err.Error()
	}
	return err.Error()
}

func kindOf(name string) *formats.Kind {
	for _, k := range formats.Kinds {
		if k.Name == name {
			return k
		}
	}
	return nil
}

// List lists the places.
func (svc *Service) List(ctx context.Context) ([]View, error) {
	out := []View{}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		list, err := placesdb.Places(tx)
		if err != nil {
			return err
		}
		for _, p := range list {
			v := View{
				Draft:   draftOf(p),
				Words:   p.Calendar.Words(),
				TriedAt: p.TriedAt,
				CameAt:  p.CameAt,
				State:   p.State,
				Says:    p.Says,
				Author:  p.Author,
			}
			if v.Files, err = placesdb.Files(tx, p.ID, shownFiles); err != nil {
				return err
			}
			if v.Revision, err = edits.Revision(tx, thing(p.ID)); err != nil {
				return err
			}
			if !p.Paused {
				next, err := p.Calendar.Next(svc.Clock.Now(), settings.Zone)
				if err != nil {
					return err
				}
				v.Next = next.Unix()
			}
			out = append(out, v)
		}
		return nil
	})
	return out, err
}

func draftOf(p placesdb.Place) Draft {
	return Draft{ID: p.ID, Name: p.Name, Place: p.Place, Pattern: p.Pattern, Kind: p.Kind, Calendar: p.Calendar,
		Paused: p.Paused}
}

// Save stores a place, and returns its number.
func (svc *Service) Save(ctx context.Context, d Draft, who string) (id int64, err error) {
	if err := svc.check(&d); err != nil {
		return 0, err
	}
	err = svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		list, err := placesdb.Places(tx)
		if err != nil {
			return err
		}
		for _, other := range list {
			if other.ID != d.ID && strings.EqualFold(other.Name, d.Name) {
				return refuse.Errorf("there is a place %s already", other.Name)
			}
		}
		row := placesdb.Place{ID: d.ID, Name: d.Name, Place: d.Place, Pattern: d.Pattern, Kind: d.Kind,
			Calendar: d.Calendar, Paused: d.Paused, Author: who, At: svc.Clock.Now().Unix()}
		if d.ID != 0 {
			kept, err := placesdb.OnePlace(tx, d.ID)
			if err != nil {
				return err
			}
			if _, err := edits.Save(tx, edits.Change{Thing: thing(d.ID), Seen: d.Revision, Who: who,
				At: svc.Clock.Now(), Was: said(draftOf(kept)), Is: said(draftOf(row))}); err != nil {
				return err
			}
		}
		if id, err = placesdb.PutPlace(tx, row); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "said where files are looked for", d.Name, d.Place)
	})
	return id, err
}

// said is what revisions keep of a draft.
func said(d Draft) Draft {
	d.ID, d.Revision = 0, 0
	return d
}

// Drop takes a place away; what came from it stays.
func (svc *Service) Drop(ctx context.Context, id, revision int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		p, err := placesdb.OnePlace(tx, id)
		if err != nil {
			return err
		}
		if err := edits.End(tx, edits.Change{Thing: thing(id), Seen: revision, Who: who, At: svc.Clock.Now(),
			Was: said(draftOf(p))}); err != nil {
			return err
		}
		if err := placesdb.DropPlace(tx, id); err != nil {
			return err
		}
		return tx.Note(svc.Clock.Now(), who, "looks for files no more", p.Name, p.Place)
	})
}

// Look looks at a place now, and takes in what is new there.
func (svc *Service) Look(ctx context.Context, id int64, who string) (View, error) {
	if !svc.looking.TryLock() {
		return View{}, refuse.New("a place is being looked at already: wait until it is done")
	}
	defer svc.looking.Unlock()
	defer svc.Progress.Step("")
	var p placesdb.Place
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		p, err = placesdb.OnePlace(tx, id)
		return err
	}); err != nil {
		return View{}, err
	}
	d := draftOf(p)
	taken, tag, err := 0, p.Tag, svc.check(&d)
	switch {
	case err != nil:
	case isAddress(p.Place):
		taken, tag, err = svc.fetch(ctx, p, who)
	default:
		taken, err = svc.folderOf(ctx, p, who)
	}
	now := svc.Clock.Now().Unix()
	state, says, came := Came, fmt.Sprintf("%d new", taken), now
	switch {
	case err != nil:
		state, says, came = Failed, err.Error(), 0
	case taken == 0:
		state, says, came = Nothing, "nothing new was there", 0
	}
	noted := svc.DB.Update(context.WithoutCancel(ctx), func(tx *sqlite.Tx) error {
		return placesdb.Looked(tx, id, now, came, state, says, tag)
	})
	if err = errors.Join(err, noted); err != nil {
		return View{}, err
	}
	list, err := svc.List(ctx)
	for _, v := range list {
		if v.ID == id {
			return v, err
		}
	}
	return View{}, err
}

// folderOf takes in the files of a folder that are new, the oldest first. One that is refused waits with its reason,
// and the next is looked at all the same.
func (svc *Service) folderOf(ctx context.Context, p placesdb.Place, who string) (taken int, err error) {
	folder, err := svc.folder(p.Place)
	if err != nil {
		return 0, err
	}
	list, err := os.ReadDir(folder)
	if err != nil {
		return 0, refuse.Errorf("the folder %s cannot be read: %s", p.Place, reason(err))
	}
	type found struct {
		name string
		at   time.Time
	}
	var files []found
	for _, e := range list {
		fits := p.Pattern == ""
		if !fits {
			fits, _ = path.Match(
				strings.ToLower(p.Pattern),
				strings.ToLower(e.Name()),
			) // the pattern was checked
		}
		info, err := e.Info()
		// a file that is still being written, or has gone meanwhile, is there at the next look
		if !fits || strings.HasPrefix(e.Name(), ".") || err != nil || !info.Mode().IsRegular() ||
			time.Since(info.ModTime()) < settle {
			continue
		}
		files = append(files, found{e.Name(), info.ModTime()})
	}
	slices.SortFunc(files, func(a, b found) int {
		if c := a.at.Compare(b.at); c != 0 {
			return c
		}
		return strings.Compare(a.name, b.name)
	})
	for _, f := range files[:min(len(files), mostFiles)] {
		svc.Progress.Step(fmt.Sprintf("looking at %s in %s", f.name, p.Name))
		svc.Progress.Say(ctx, "%s", f.name)
		file, err := os.Open(filepath.Join(folder, f.name))
		if err != nil {
			return taken, refuse.Errorf("the file %s cannot be read: %s", f.name, reason(err))
		}
		new, err := svc.take(ctx, p, file, f.name, f.at, who)
		_ = file.Close()
		if err != nil {
			return taken, err
		}
		if new {
			taken++
		}
	}
	return taken, nil
}

// take takes in a file whose content was not there before.
func (svc *Service) take(
	ctx context.Context,
	p placesdb.Place,
	file *os.File,
	name string,
	at time.Time,
	who string,
) (bool, error) {
	sum := sha256.New()
	size, err := io.Copy(sum, io.LimitReader(file, mostBytes+1))
	if err != nil {
		return false, refuse.Errorf("the file %s cannot be read: %s", name, reason(err))
	}
	hash := hex.EncodeToString(sum.Sum(nil))
	known := false
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		known, err = placesdb.Known(tx, p.ID, hash)
		return err
	}); err != nil || known {
		return false, err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return false, err
	}
	kind := kindOf(p.Kind)
	if kind == nil {
		kind = kindOf(strings.ToLower(strings.TrimSuffix(name, filepath.Ext(name))))
	}
	f := placesdb.File{
		Name:       name,
		Size:       size,
		ModifiedAt: at.Unix(),
		Hash:       hash,
		TakenAt:    svc.Clock.Now().Unix(),
	}
	asOf := at
	if now := svc.Clock.Now(); at.After(now) { // a clock over there goes ahead
		asOf = now
	}
	var res intake.ImportResult
	if size > mostBytes {
		err = refuse.Errorf("it is larger than %d GB", mostBytes>>30)
	} else {
		res, err = svc.Importer.ImportWatched(ctx, file, size, intake.ImportRequest{Kind: kind, File: name, AsOf: asOf,
			Author: who})
	}
	if ctx.Err() != nil {
		return false, context.Cause(ctx)
	}
	f.Aside = int64(len(res.Aside))
	f.Says = fmt.Sprintf(
		"%d read: %d new, %d changed, %d as before, %d put aside",
		res.Lines,
		res.Added,
		res.Changed,
		res.Same,
		len(res.Aside),
	)
	if err != nil {
		f.Refused, f.Says = true, err.Error()
	}
	return true, svc.DB.Update(ctx, func(tx *sqlite.Tx) error { return placesdb.PutFile(tx, p.ID, f) })
}

// fetch takes in the file that an address gives, where it is another than before.
func (svc *Service) fetch(ctx context.Context, p placesdb.Place, who string) (taken int, tag string, err error) {
	file, err := os.CreateTemp("", "watched-*")
	if err != nil {
		return 0, p.Tag, err
	}
	defer os.Remove(file.Name())
	defer file.Close()
	got, err := svc.Fetch.Get(ctx, p.Place, p.Tag, file, mostBytes)
	if err != nil || got.Same {
		return 0, p.Tag, err
	}
	if _, err := file.Seek(0, io.SeekStart); err != nil {
		return 0, p.Tag, err
	}
	at := svc.Clock.Now()
	if !got.At.IsZero() && got.At.Before(at) {
		at = got.At
	}
	new, err := svc.take(ctx, p, file, got.Name, at, who)
	if err != nil || !new {
		return 0, got.Tag, err
	}
	return 1, got.Tag, nil
}

// LookDue looks at the places whose time has come. One that fails is looked at again at its next time; what it says
// stands on its page.
func (svc *Service) LookDue(ctx context.Context) error {
	if !svc.due.TryLock() { // those of the last time are still being looked at
		return nil
	}
	defer svc.due.Unlock()
	var due []placesdb.Place
	if err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		settings, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		list, err := placesdb.Places(tx)
		for _, p := range list {
			_, missed, wrong := p.Calendar.Missed(time.Unix(max(p.TriedAt, p.At), 0), svc.Clock.Now(), settings.Zone)
			if wrong == nil && missed && !p.Paused {
				due = append(due, p)
			}
		}
		return err
	}); err != nil {
		return err
	}
	for _, p := range due {
		if _, err := svc.Look(ctx, p.ID, "place "+p.Name); err != nil {
			slog.Warn("a place could not be looked at", "place", p.Name, "error", err)
		}
	}
	return nil
}
