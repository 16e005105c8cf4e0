package titles

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/refuse"
	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
	"ensomet/internal/starter"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// AddUpdate reads a newer catalogue, to look its differences through. Nothing of it holds until it is taken.
func (svc *Catalogue) AddUpdate(ctx context.Context, f formats.File, size int64, file, who string) (int64,
	error) {
	form, err := formats.Sniff(f, size)
	if err != nil {
		return 0, err
	}
	entries, bad, err := formats.ReadCatalogue(f, size, form)
	if err != nil {
		return 0, err
	}
	return svc.update(ctx, entries, bad, file, who)
}

func (svc *Catalogue) update(
	ctx context.Context,
	entries []formats.Entry,
	bad []*formats.LineError,
	file, who string,
) (id int64, err error) {
	if len(entries) == 0 {
		return 0, &formats.FileError{Reason: "it has no title that can be read"}
	}
	var lines []string
	for _, b := range bad[:min(len(bad), 200)] {
		lines = append(lines, b.Error())
	}
	return id, svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		id, err = titlesdb.PutUpdate(
			tx,
			titlesdb.CatalogueUpdate{File: file, At: svc.Clock.Now().Unix(), Author: who,
				Bad: strings.Join(lines, "\n")},
			entries,
		)
		return err
	})
}

// UpdateView is a newer catalogue with its differences.
type UpdateView struct {
	titlesdb.CatalogueUpdate
	New       int // titles and publishers that the catalogue does not have
	Changed   int // values that nobody touched here
	Conflicts int // values that somebody changed here, and that the file has otherwise
	Same      int // titles and publishers that do not differ
	Shown     int // differences that fit the search
	Rows      []Difference
}

// Difference is one difference of an update.
type Difference struct {
	ID        string
	Publisher string
	Name      string // product, edition and version; empty for a publisher
	Field     string // empty for a new title
	Ours      string
	Theirs    string
	Sort      string // new, changed, conflict
	Product   int64  // the product in the catalogue, 0 where there is none
}

// UpdateQuery is which differences of an update are shown.
type UpdateQuery struct {
	ID     int64
	Sort   string // empty is every sort
	Search string
	After  int
	Limit  int
}

// Update returns an update with a page of its differences, in the order of their names.
func (svc *Catalogue) Update(ctx context.Context, q UpdateQuery) (UpdateView, error) {
	out := UpdateView{Rows: []Difference{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		updates, err := titlesdb.CatalogueUpdates(tx, 1000)
		if err != nil {
			return err
		}
		at := slices.IndexFunc(updates, func(o titlesdb.CatalogueUpdate) bool { return o.ID == q.ID })
		if at < 0 {
			return sqlite.ErrNotFound
		}
		out.CatalogueUpdate = updates[at]
		b, differences, same, err := compareUpdate(tx, q.ID)
		if err != nil {
			return err
		}
		out.Same = same
		for _, d := range differences {
			switch d.Sort {
			case catalogue.New:
				out.New++
			case catalogue.Changed:
				out.Changed++
			default:
				out.Conflicts++
			}
			if q.Sort != "" && string(d.Sort) != q.Sort || !matches(&d, q.Search) {
				continue
			}
			if out.Shown++; out.Shown > q.After && len(out.Rows) < q.Limit {
				out.Rows = append(out.Rows, b.view(&d))
			}
		}
		return nil
	})
	return out, err
}

func matches(d *catalogue.Difference, search string) bool {
	text := strings.ToLower(d.Key.String() + " " + d.Field + " " + d.Ours + " " + d.Theirs)
	for _, w := range strings.Fields(strings.ToLower(search)) {
		if !strings.Contains(text, w) {
			return false
		}
	}
	return true
}

func (b *editor) view(d *catalogue.Difference) Difference {
	return Difference{
		ID:        d.ID(),
		Publisher: d.Publisher,
		Name:      strings.Join(strings.Fields(d.Product+" "+d.Edition+" "+d.Version), " "),
		Field:     d.Field,
		Ours:      d.Ours,
		Theirs:    d.Theirs,
		Sort:      string(d.Sort),
		Product:   b.products[stored.ProductKey(d.Publisher, d.Product)],
	}
}

// compareUpdate lists the differences of an update by their names, conflicts first.
func compareUpdate(tx *sqlite.Tx, update int64) (b *editor, out []catalogue.Difference, same int, err error) {
	if b, err = newEditor(tx, titlesdb.By{}); err != nil {
		return nil, nil, 0, err
	}
	entries, err := titlesdb.UpdateEntries(tx, update)
	for _, e := range entries {
		differences := catalogue.Compare(b.known(e.Key), e.Key, e.Says)
		if len(differences) == 0 {
			same++
		}
		out = append(out, differences...)
	}
	rank := map[catalogue.Sort]int{catalogue.Conflict: 0, catalogue.Changed: 1, catalogue.New: 2}
	slices.SortStableFunc(out, func(x, y catalogue.Difference) int {
		if x.Sort != y.Sort {
			return rank[x.Sort] - rank[y.Sort]
		}
		return strings.Compare(x.Key.String()+x.Field, y.Key.String()+y.Field)
	})
	return b, out, same, err
}

// UpdateTaking says which differences of an update are taken. What is not named stays on update.
type UpdateTaking struct {
	Update int64
	All    bool     // take every new title and every changed value, besides what is named
	Take   []string // differences by their id
	// differences in which what is here stays, and that are not asked again until a file says something else
	Keep  []string
	Leave []string // with all: differences that are left on update
	Dry   bool
}

// TakeUpdate takes differences of an update into the catalogue, or says what that would change. Values that people
// changed here stay unless they are named.
func (svc *Catalogue) TakeUpdate(ctx context.Context, d UpdateTaking, who string) (CatalogueEffect, error) {
	take, keep, leave := setOf(d.Take), setOf(d.Keep), setOf(d.Leave)
	choose := func(x *catalogue.Difference) catalogue.Choice {
		id := x.ID()
		switch {
		case keep[id]:
			return catalogue.Keep
		case take[id]:
			return catalogue.Take
		case d.All && !leave[id]:
			return catalogue.Usual(x)
		}
		return catalogue.Later
	}
	return svc.either(
		ctx,
		d.Dry,
		who,
		"took a newer catalogue",
		fmt.Sprintf("update %d", d.Update),
		func(tx *sqlite.Tx) ([]int64, int, int64, error) {
			updates, err := titlesdb.CatalogueUpdates(tx, 1000)
			if err != nil {
				return nil, 0, 0, err
			}
			at := slices.IndexFunc(updates,
				func(o titlesdb.CatalogueUpdate) bool { return o.ID == d.Update && o.ClosedAt == 0 })
			if at < 0 {
				return nil, 0, 0, refuse.New("the file was put away meanwhile: bring it again")
			}
			by := svc.by(who)
			by.File = updates[at].File
			b, err := newEditor(tx, by)
			if err != nil {
				return nil, 0, 0, err
			}
			entries, err := titlesdb.UpdateEntries(tx, d.Update)
			if err != nil {
				return nil, 0, 0, err
			}
			for i, e := range entries {
				if _, err := b.merge(e, choose); err != nil {
					return nil, 0, 0, err
				}
				if i%5000 == 0 && ctx.Err() != nil {
					return nil, 0, 0, ctx.Err()
				}
			}
			var touched []int64
			for id := range b.touched {
				touched = append(touched, id)
			}
			return touched, b.written, 0, nil
		},
	)
}

func setOf(list []string) map[string]bool {
	out := make(map[string]bool, len(list))
	for _, s := range list {
		out[s] = true
	}
	return out
}

// CloseUpdate puts an update away.
func (svc *Catalogue) CloseUpdate(ctx context.Context, id int64, who string) error {
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		now := svc.Clock.Now()
		if err := titlesdb.CloseUpdate(tx, id, now.Unix(), who); err != nil {
			return err
		}
		return tx.Note(now, who, "put a newer catalogue away", fmt.Sprint(id), "")
	})
}

// Updates are the newer catalogues that came, and what recognising everything anew changed.
type Updates struct {
	Updates []titlesdb.CatalogueUpdate
	Runs    []titlesdb.RecognitionRun
}

// Updates returns the newest updates and runs.
func (svc *Catalogue) Updates(ctx context.Context) (Updates, error) {
	out := Updates{Updates: []titlesdb.CatalogueUpdate{}, Runs: []titlesdb.RecognitionRun{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		updates, err := titlesdb.CatalogueUpdates(tx, 20)
		if err != nil {
			return err
		}
		out.Updates = append(out.Updates, updates...)
		runs, err := titlesdb.RecognitionRuns(tx, 20)
		out.Runs = append(out.Runs, runs...)
		return err
	})
	return out, err
}

// AddStarter updates the starter catalogue.
func (svc *Catalogue) AddStarter(ctx context.Context, who string) (int64, error) {
	entries, err := starter.Entries()
	if err != nil {
		return 0, err
	}
	return svc.update(ctx, entries, nil, starter.Name, who)
}
