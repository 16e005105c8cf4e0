package app

import (
	"context"

	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// Recognise recognises new records, or all of them after a change of the catalogue. It reads and writes in one transaction, so that no decision that is taken meanwhile
// is overwritten by an older answer.
func (a *App) Recognise(ctx context.Context) error {
	var needed bool
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		all, _, err := catalogueChanged(tx)
		if err != nil || all {
			needed = all
			return err
		}
		fresh, err := tx.AllRecords(true)
		needed = len(fresh) > 0
		return err
	})
	if err != nil || !needed {
		return err
	}
	return a.DB.Update(ctx, func(tx *store.Tx) error {
		all, upTo, err := catalogueChanged(tx)
		if err != nil {
			return err
		}
		records, err := tx.AllRecords(!all)
		if err != nil {
			return err
		}
		if err := recogniseInto(tx, records); err != nil {
			return err
		}
		return tx.SetSetting(recognisedFor, upTo)
	})
}

// catalogueChanged reports whether the catalogue has changed since records were recognised, and up to which change.
func catalogueChanged(tx *store.Tx) (bool, string, error) {
	upTo, err := tx.Setting(catalogueChanges)
	if err != nil {
		return false, "", err
	}
	done, err := tx.Setting(recognisedFor)
	return done != upTo, upTo, err
}

// recogniseInto recognises records and stores what they are.
func recogniseInto(tx *store.Tx, records []store.StoredRecord) error {
	g, _, _, err := recogniser(tx)
	if err != nil {
		return err
	}
	b, err := tx.NewRecognitions()
	if err != nil {
		return err
	}
	for i := range records {
		if err := b.AddRecognition(recognition(g, &records[i])); err != nil {
			return err
		}
	}
	return b.Flush()
}

func recognition(g *recognise.Recogniser, r *store.StoredRecord) store.Recognition {
	res, apart := g.Decide(r.Record)
	n := store.Recognition{Record: r.ID, Key: apart.Key(), Product: res.Product, Title: res.Title, Edition: res.Edition, EditionRank: res.EditionRank, TitleVersion: res.TitleVersion, Version: res.Version,
		Step: res.By, WhyNot: res.WhyNot(), Whole: res.Piece == recognise.Whole, NotSoftware: res.NotCounted}
	if res.Line != nil {
		n.Line = res.Line.ID
	}
	return n
}
