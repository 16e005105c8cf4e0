package titles

import (
	"context"
	"strings"

	"ensomet/internal/core/catalogue"
	"ensomet/internal/core/recognise"
	"ensomet/internal/core/refuse"
	"ensomet/internal/renewal"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
	"ensomet/internal/titles/titlesdb"
)

// RecordView is a raw record as its source wrote it.
type RecordView struct {
	ID           int64
	Publisher    string
	Name         string
	Version      string
	Edition      string
	Architecture string
	Language     string
	FileName     string
	Identifiers  string
}

func recordView(r stored.RawRecord) RecordView {
	return RecordView{
		r.ID,
		r.Publisher,
		r.Name,
		r.Version,
		r.Edition,
		r.Architecture,
		r.Language,
		r.FileName,
		strings.TrimSpace(r.TagID + " " + r.PURL + " " + r.CPE),
	}
}

// RecordTrace is a record with the trace of its recognition and where it was seen.
type RecordTrace struct {
	Record   RecordView
	Trace    []recognise.TraceStep
	Title    string
	WhyNot   string
	Key      string
	Installs []titlesdb.SightingRow
}

// Record returns a raw record, how it was recognised, and on which device it was seen when; device 0 is every device.
func (svc *Service) Record(ctx context.Context, id, device int64) (RecordTrace, error) {
	var out RecordTrace
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		r, err := stored.RecordOf(tx, id)
		if err != nil {
			return err
		}
		k, err := svc.Snapshots.Knowledge(tx)
		if err != nil {
			return err
		}
		g, c := k.Recogniser(), k.Catalogue
		res, steps := g.Trace(r.Record)
		_, apart := g.Decide(r.Record)
		out = RecordTrace{Record: recordView(r), Trace: steps, WhyNot: res.WhyNot(), Key: apart.Key()}
		if p := c.Product(res.Product); p != nil {
			out.Title = strings.Join(strings.Fields(p.Publisher+" "+p.Name+" "+res.Edition+" "+res.TitleVersion), " ")
		}
		out.Installs, err = titlesdb.Sightings(tx, id, device, 200)
		return err
	})
	return out, err
}

// NewTitle adds a product with one line to the catalogue.
type NewTitle struct {
	Publisher string
	Product   string
	Category  string
	Model     string // commercial, free, open_source, trial, in_house
}

// AddTitle adds a title by hand and returns its product.
func (svc *Service) AddTitle(ctx context.Context, t NewTitle, who string) (int64, error) {
	var id int64
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		b, err := newEditor(tx, titlesdb.By{Author: who, At: svc.Clock.Now().Unix()})
		if err != nil {
			return err
		}
		if b.products[stored.ProductKey(t.Publisher, t.Product)] != 0 {
			return refuse.New("the catalogue has this product already: choose it")
		}
		fresh, _ := catalogue.Edit(
			&catalogue.Known{Key: catalogue.Key{Publisher: t.Publisher, Product: t.Product}, Base: catalogue.Says{}},
			catalogue.Says{"category": t.Category, "licence_model": t.Model},
		)
		if err := b.put(nil, fresh); err != nil {
			return err
		}
		id = b.products[stored.ProductKey(t.Publisher, t.Product)]
		if err := tx.Note(svc.Clock.Now(), who, "added a title", t.Publisher+" "+t.Product, t.Model); err != nil {
			return err
		}
		return renewal.MarkCatalogue(tx)
	})
	return id, err
}
