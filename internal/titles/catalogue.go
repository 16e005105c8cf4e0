package titles

import (
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/edits"
	"ensomet/internal/export"
	"ensomet/internal/formats"
	"ensomet/internal/renewal"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// CatalogueEffect is what a change of the catalogue would change, or has changed.
type CatalogueEffect struct {
	Effect
	Titles int   // titles and publishers that change
	Found  int64 // records that are recognised by it
	Moved  int64 // records that become something else
	Lost   int64 // records that are no longer recognised
	Detail []titlesdb.RecordsMoved
	Many   bool  // so many products are touched that their positions are worked out only once it is saved
	ID     int64 // of the title or publisher that was written
}

// mostMovesBefore is for how many products a change of the catalogue works out their positions before it is saved.
const mostMovesBefore = 300

// catalogueChange changes the catalogue within a transaction. It returns the products that it touches by itself, and
// how many titles and publishers it changes.
type catalogueChange func(tx *sqlite.Tx) (touched []int64, titles int, id int64, err error)

// previewCatalogue says what a change would change, and changes nothing.
func (svc *Catalogue) previewCatalogue(ctx context.Context, change catalogueChange) (CatalogueEffect, error) {
	out := CatalogueEffect{Effect: Effect{Moves: []snapshot.PositionChange{}}, Detail: []titlesdb.RecordsMoved{}}
	var touched []int64
	after := map[snapshot.ProductMetric]snapshot.NamedFigure{}
	err := svc.DB.Preview(ctx, func(tx *sqlite.Tx) error {
		var err error
		if touched, out.Titles, out.ID, err = change(tx); err != nil {
			return err
		}
		if err := renewal.MarkCatalogue(tx); err != nil {
			return err
		}
		work, err := svc.recogniseRecords(tx, nil)
		if err != nil {
			return err
		}
		run, err := work.run(tx)
		if err != nil {
			return err
		}
		out.Found, out.Moved, out.Lost, out.Installs, out.LastYear, out.Detail = run.Found, run.Moved, run.Lost,
			run.Installs, run.Installs, run.Detail
		out.Records = int(run.Found + run.Moved + run.Lost)
		if touched = stored.Distinct(append(touched, work.products()...)); len(touched) > mostMovesBefore {
			out.Many = true
			return nil
		}
		if err := svc.Snapshots.LayRecognitions(tx, touched, work.changedRecords()); err != nil {
			return err
		}
		if err := storeRecognitions(tx, renewal.Touch, work.changed, nil); err != nil {
			return err
		}
		after, err = svc.Snapshots.FiguresOf(tx, touched)
		return err
	})
	if err != nil || out.Many {
		return out, err
	}
	return out, svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		before, err := svc.Snapshots.FiguresOf(
			tx,
			slices.DeleteFunc(touched, func(id int64) bool { return !hasProduct(svc.Service, tx, id) }),
		)
		out.Moves = snapshot.Moves(before, after)
		return err
	})
}

func hasProduct(a *Service, tx *sqlite.Tx, id int64) bool {
	c, err := a.Snapshots.Catalogue(tx)
	return err == nil && c.Product(id) != nil
}

// changeCatalogue makes a change; names are recognised anew and figures renewed by the next renewal.
func (svc *Catalogue) changeCatalogue(
	ctx context.Context,
	who, what, object string,
	change catalogueChange,
) (CatalogueEffect, error) {
	out := CatalogueEffect{Effect: Effect{Moves: []snapshot.PositionChange{}}, Detail: []titlesdb.RecordsMoved{}}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) (err error) {
		if _, out.Titles, out.ID, err = change(tx); err != nil {
			return err
		}
		if err := tx.Note(svc.Clock.Now(), who, what, object,
			fmt.Sprintf("%d titles and publishers", out.Titles)); err != nil {
			return err
		}
		return renewal.MarkCatalogue(tx)
	})
	return out, err
}

// either previews a change or makes it.
func (svc *Catalogue) either(
	ctx context.Context,
	dry bool,
	who, what, object string,
	change catalogueChange,
) (CatalogueEffect, error) {
	if dry {
		return svc.previewCatalogue(ctx, change)
	}
	return svc.changeCatalogue(ctx, who, what, object, change)
}

func (svc *Catalogue) by(who string) titlesdb.By {
	return titlesdb.By{Author: who, At: svc.Clock.Now().Unix()}
}

// TitleEdit is a title of a product as a person wants it. Says has the columns of titles.csv by name, list_price with
// its currency; an empty value is unknown.
type TitleEdit struct {
	Product  int64
	Title    int64 // 0 is a new one
	Edition  string
	Version  string
	Says     map[string]string
	Revision int64 // of the title that was seen; a save on an older one is refused
	Drop     bool  // take the title out of the catalogue
	Dry      bool  // say what it would change, and change nothing
}

// EditTitle adds a title, changes one or takes one out.
func (svc *Catalogue) EditTitle(ctx context.Context, d TitleEdit, who string) (CatalogueEffect, error) {
	return svc.either(
		ctx,
		d.Dry,
		who,
		"changed a title",
		fmt.Sprintf("product %d %s %s", d.Product, d.Edition, d.Version),
		func(tx *sqlite.Tx) ([]int64, int, int64, error) {
			titles, err := titlesdb.KnownTitles(tx, d.Product)
			if err != nil {
				return nil, 0, 0, err
			}
			if len(titles) == 0 {
				return nil, 0, 0, sqlite.ErrNotFound
			}
			key := catalogue.Key{
				Publisher: titles[0].Publisher,
				Product:   titles[0].Key.Product,
				Edition:   strings.TrimSpace(d.Edition),
				Version:   strings.TrimSpace(d.Version),
			}
			var before *catalogue.Known
			for _, t := range titles {
				switch {
				case t.ID == d.Title:
					before = &t.Known
				case t.Edition == key.Edition && t.Version == key.Version && !d.Drop:
					return nil, 0, 0, refuse.Errorf("the catalogue has %s already", key)
				}
			}
			if before != nil && !d.Dry {
				if err := edits.Check(tx, edits.Change{
					Thing: edits.Of(edits.Title, d.Title),
					Seen:  d.Revision,
					Was:   titlesdb.TitleFields(before),
				}); err != nil {
					return nil, 0, 0, err
				}
			}
			touched := []int64{d.Product}
			switch {
			case d.Title != 0 && before == nil:
				return nil, 0, 0, refuse.New("the title is no longer there: somebody took it out")
			case d.Drop && len(titles) == 1:
				return nil, 0, 0, refuse.New("a product needs one title at least")
			case d.Drop:
				return touched, 1, d.Title, titlesdb.DropTitle(tx, d.Product, before, svc.by(who))
			}
			from := before
			if from == nil {
				from = &catalogue.Known{Key: key, Base: catalogue.Says{}}
			}
			now, _ := catalogue.Edit(from, d.Says)
			now.Key = key
			id, err := titlesdb.PutTitle(tx, d.Product, before, now, svc.by(who))
			return touched, 1, id, sentence(err)
		},
	)
}

// sentence leaves out which line of a file a value stood on, where there is no file.
func sentence(err error) error {
	var line *formats.LineError
	if errors.As(err, &line) {
		return refuse.New(line.Reason)
	}
	return err
}

// ProductEdit is a product's name as a person wants it. What it was called before stays one of its names.
type ProductEdit struct {
	Product   int64
	Publisher string
	Name      string
	Revision  int64 // of its name that was seen; a save on an older one is refused
	Dry       bool
}

// EditProduct renames a product.
func (svc *Catalogue) EditProduct(ctx context.Context, d ProductEdit, who string) (CatalogueEffect, error) {
	return svc.either(
		ctx,
		d.Dry,
		who,
		"renamed a product",
		d.Publisher+" "+d.Name,
		func(tx *sqlite.Tx) ([]int64, int, int64, error) {
			titles, err := titlesdb.KnownTitles(tx, d.Product)
			if err != nil {
				return nil, 0, 0, err
			}
			if len(titles) == 0 {
				return nil, 0, 0, sqlite.ErrNotFound
			}
			products, err := stored.ProductKeys(tx)
			if err != nil {
				return nil, 0, 0, err
			}
			if id := products[stored.ProductKey(d.Publisher, d.Name)]; id != 0 && id != d.Product {
				return nil, 0, 0, refuse.Errorf("the catalogue has %s %s already", d.Publisher, d.Name)
			}
			was := titles[0].Key
			if !d.Dry {
				if err := edits.Check(tx, edits.Change{
					Thing: edits.Of(edits.Product, d.Product),
					Seen:  d.Revision,
					Was:   titlesdb.ProductFields{Publisher: was.Publisher, Name: was.Product},
				}); err != nil {
					return nil, 0, 0, err
				}
			}
			by := svc.by(who)
			if err := titlesdb.RenameProduct(tx, d.Product, d.Publisher, d.Name, by); err != nil {
				return nil, 0, 0, err
			}
			if recognise.Clean(was.Product) != recognise.Clean(d.Name) {
				first := &titles[0].Known
				now, _ := catalogue.Edit(
					first,
					catalogue.Says{catalogue.Aliases: first.Says[catalogue.Aliases] + "|" + was.Product},
				)
				now.Key.Publisher, now.Key.Product = d.Publisher, d.Name
				if _, err := titlesdb.PutTitle(tx, d.Product, first, now, by); err != nil {
					return nil, 0, 0, err
				}
			}
			return []int64{d.Product}, 1, d.Product, nil
		},
	)
}

// PublisherEdit is a publisher as a person wants it. Publisher 0 is a new one.
type PublisherEdit struct {
	Publisher int64
	Revision  int64  // that was seen; a save on an older one is refused
	Name      string // of a new one; the name of one that is there does not change
	Aliases   []string
	Successor string // the publisher that took it over
	Dry       bool
}

// EditPublisher says what a publisher is also called and which one took it over.
func (svc *Catalogue) EditPublisher(ctx context.Context, d PublisherEdit, who string) (CatalogueEffect, error) {
	return svc.either(ctx, d.Dry, who, "changed a publisher", d.Name,
		func(tx *sqlite.Tx) ([]int64, int, int64, error) {
			b, err := newEditor(tx, svc.by(who))
			if err != nil {
				return nil, 0, 0, err
			}
			key := catalogue.Key{Publisher: strings.TrimSpace(d.Name)}
			before := b.publishers[key.ID()]
			switch {
			case recognise.CleanPublisher(d.Name) == "":
				return nil, 0, 0, refuse.Errorf("%q is no name of a publisher: it has nothing but a legal form",
					d.Name)
			case d.Publisher == 0 && before != nil:
				return nil, 0, 0, refuse.Errorf("the catalogue has the publisher %s already", before.Publisher)
			case d.Publisher != 0 && (before == nil || before.ID != d.Publisher):
				return nil, 0, 0, sqlite.ErrNotFound
			case d.Successor != "" && recognise.CleanPublisher(d.Successor) == recognise.CleanPublisher(d.Name):
				return nil, 0, 0, refuse.New("a publisher does not take itself over")
			}
			if before != nil && !d.Dry {
				if err := edits.Check(tx, edits.Change{
					Thing: edits.Of(edits.Publisher, before.ID),
					Seen:  d.Revision,
					Was:   titlesdb.PublisherFieldsOf(before),
				}); err != nil {
					return nil, 0, 0, err
				}
			}
			if heir := b.publishers[catalogue.Key{Publisher: d.Successor}.ID()]; d.Successor != "" && heir == nil {
				return nil, 0, 0, refuse.Errorf("the catalogue has no publisher %q: add it first", d.Successor)
			} else if d.Successor != "" {
				for at, steps := heir, 0; at != nil && steps <= len(b.publishers); steps++ {
					next := at.Says[catalogue.Successor]
					if next != "" && recognise.CleanPublisher(next) == recognise.CleanPublisher(d.Name) {
						return nil, 0, 0, refuse.Errorf("%s was taken over by %s: the two cannot have taken over "+
							"each "+
							"other", at.Publisher, d.Name)
					}
					at = b.publishers[catalogue.Key{Publisher: next}.ID()]
				}
			}
			for _, alias := range d.Aliases {
				if other := b.publishers[catalogue.Key{Publisher: alias}.ID()]; other != nil &&
					other.ID != d.Publisher &&
					len(productsOf(b, other.Publisher)) > 0 {
					return nil, 0, 0, refuse.Errorf(
						"%s has products of its own in the catalogue: say that %s took it over, instead of giving "+
							"it as another name",
						other.Publisher,
						d.Name,
					)
				}
			}
			from := before
			if from == nil {
				from = &catalogue.Known{Key: key, Base: catalogue.Says{}}
			}
			now, _ := catalogue.Edit(
				from,
				catalogue.Says{catalogue.Aliases: strings.Join(d.Aliases, "|"), catalogue.Successor: d.Successor},
			)
			if err := b.put(before, now); err != nil {
				return nil, 0, 0, err
			}
			return productsOf(b, d.Name), 1, now.ID, nil
		})
}

func productsOf(b *editor, publisher string) []int64 {
	var out []int64
	begin := recognise.CleanPublisher(publisher) + "|"
	for key, id := range b.products {
		if strings.HasPrefix(key, begin) {
			out = append(out, id)
		}
	}
	return out
}

// WriteCatalogue writes the catalogue: csv and xlsx the titles alone, json and cyclonedx as those forms have it.
func (svc *Catalogue) WriteCatalogue(ctx context.Context, format string, out io.Writer) error {
	if format != "json" && format != "cyclonedx" {
		w, err := formats.NewWriter(out, format, formats.Titles.Columns)
		if err != nil {
			return err
		}
		if err := svc.DB.View(ctx,
			func(tx *sqlite.Tx) error { return export.File(tx, formats.Titles.Name, w.Write) }); err != nil {
			return err
		}
		return w.Close()
	}
	var entries []formats.Entry
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		publishers, err := snapshot.KnownPublishers(tx)
		if err != nil {
			return err
		}
		for _, p := range publishers {
			if len(p.Says) > 0 {
				entries = append(entries, formats.Entry{Key: p.Key, Says: p.Says})
			}
		}
		titles, err := titlesdb.KnownTitles(tx, 0)
		for _, t := range titles {
			entries = append(entries, formats.Entry{Key: t.Key, Says: t.Says})
		}
		return err
	})
	if err != nil {
		return err
	}
	if format == "json" {
		return formats.WriteCatalogueJSON(out, entries, svc.Clock.Now())
	}
	return formats.WriteCatalogueCycloneDX(out, entries, svc.Clock.Now())
}
