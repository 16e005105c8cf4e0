package titles

import (
	"context"
	"fmt"
	"slices"

	"ensomet/internal/core/recognise"
	"ensomet/internal/edits"
	"ensomet/internal/lists"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles/titlesdb"
)

// ProductView is a product of the catalogue with its releases and what was found of it.
type ProductView struct {
	lists.ProductRow
	Lines []TitleLine
	Names []lists.NameRow
	Parts []string
	Suite []string
	// what people said that it contains
	Definitions []SuiteView
	Remarks     []snapshot.Remark          // about the title and about single installs
	Changes     []titlesdb.CatalogueChange // of its titles, newest first
	Revision    int64                      // of its name
	TagRevision int64                      // of its tags
	Plans       []PlanView
}

// TitleLine is a title of a product. Says has the columns of titles.csv by name.
type TitleLine struct {
	ID        int64
	Edition   string
	Version   string
	Says      map[string]string
	Touched   []string // values that were changed here, and that no file changes
	ChangedAt int64
	Revision  int64
	Phase     string // before, general, extended, ended, unknown
	EndOn     string
	Devices   int64
}

// Product returns a product of the catalogue.
func (svc *Catalogue) Product(ctx context.Context, id int64) (ProductView, error) {
	out := ProductView{
		Lines:   []TitleLine{},
		Parts:   []string{},
		Suite:   []string{},
		Remarks: []snapshot.Remark{},
		Changes: []titlesdb.CatalogueChange{},
	}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.ProductList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"id": fmt.Sprint(id)}, Limit: 1})
		if err != nil {
			return err
		}
		if len(page.Rows) == 0 {
			return sqlite.ErrNotFound
		}
		out.ProductRow = page.Rows[0]
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		if err := svc.titleLines(tx, c.Product(id), &out); err != nil {
			return err
		}
		for _, part := range c.PartsOf(id) {
			out.Parts = append(out.Parts, c.Product(part).Name)
		}
		for suite := range c.SuitesOf(id) {
			out.Suite = append(out.Suite, c.Product(suite).Name)
		}
		slices.Sort(out.Suite)
		out.ProductRow.Product = c.Product(id).Name
		if out.Definitions, err = suitesOf(tx, c, id); err != nil {
			return err
		}
		if out.Revision, err = edits.Revision(tx, edits.Of(edits.Product, id)); err != nil {
			return err
		}
		if out.TagRevision, err = edits.Revision(tx, edits.Of(edits.Tags, id)); err != nil {
			return err
		}
		out.Names, err = titlesdb.NamesOfProduct(tx, id)
		return err
	})
	if err == nil {
		out.Plans, err = svc.Plans(ctx, id)
	}
	return out, err
}

// titleLines adds what the catalogue has of a product, and what people noted about it.
func (svc *Catalogue) titleLines(tx *sqlite.Tx, p *recognise.Product, out *ProductView) error {
	titles, err := titlesdb.KnownTitles(tx, p.ID)
	if err != nil {
		return err
	}
	facts, err := titlesdb.ReleaseFacts(tx)
	if err != nil {
		return err
	}
	for _, t := range titles {
		revision, err := edits.Revision(tx, edits.Of(edits.Title, t.ID))
		if err != nil {
			return err
		}
		line := TitleLine{
			Revision:  revision,
			ID:        t.ID,
			Edition:   t.Edition,
			Version:   t.Version,
			Says:      t.Says,
			Touched:   t.Touched(),
			ChangedAt: t.ChangedAt,
			Devices:   facts[t.ID].Devices,
		}
		for i := range p.Titles {
			if p.Titles[i].ID == t.ID {
				dates := snapshot.DatesOf(&p.Titles[i])
				_, last := dates.Bounds()
				line.Phase, line.EndOn = string(dates.Phase(svc.Snapshots.Today())), last.String()
			}
		}
		out.Lines = append(out.Lines, line)
	}
	remarks, err := snapshot.Remarks(tx, p.ID, 0)
	if err != nil {
		return err
	}
	out.Remarks = append(out.Remarks, remarks...)
	changes, err := titlesdb.CatalogueChanges(tx, p.ID, 50)
	out.Changes = append(out.Changes, changes...)
	return err
}
