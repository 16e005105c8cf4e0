package app

import (
	"context"
	"maps"
	"slices"

	"ensomet/internal/core/recognise"
	"ensomet/internal/store"
)

// Recognise recognises new records, or all of them after a change of the catalogue or of rules. It reads and writes in one transaction, so that no decision that is taken
// meanwhile is overwritten by an older answer, and writes only what changed.
func (a *App) Recognise(ctx context.Context) error {
	var needed bool
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		all, _, _, err := a.recognisedBefore(tx)
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
		all, state, k, err := a.recognisedBefore(tx)
		if err != nil {
			return err
		}
		if all {
			if err := a.rekey(tx, k); err != nil {
				return err
			}
		}
		records, err := tx.AllRecords(!all)
		if err != nil {
			return err
		}
		var before map[int64]store.Recognition
		if all {
			if before, err = recognitionsByRecord(tx); err != nil {
				return err
			}
		}
		if err := putRecognitions(tx, k.recogniser().Worker(), records, before); err != nil {
			return err
		}
		return tx.SetSetting(recognisedFor, state)
	})
}

// recognisedBefore reports whether anything that recognition rests on has changed since records were recognised, and the state that they are recognised for now.
func (a *App) recognisedBefore(tx *store.Tx) (changed bool, state string, k *knowledge, err error) {
	if k, err = a.know(tx); err != nil {
		return false, "", nil, err
	}
	catalogue, err := tx.Setting(catalogueChanges)
	if err != nil {
		return false, "", nil, err
	}
	state = k.state(catalogue)
	done, err := tx.Setting(recognisedFor)
	return done != state, state, k, err
}

// rekey makes the keys of decisions anew from the records that they were taken on, where a program that made keys otherwise took them.
func (a *App) rekey(tx *store.Tx, k *knowledge) error {
	const setting = "key_form"
	form, err := tx.Setting(setting)
	if err != nil || form == recognise.KeyForm {
		return err
	}
	for i := range k.decisions {
		d := &k.decisions[i]
		if d.Record == 0 {
			continue
		}
		r, err := tx.Record(d.Record)
		if err != nil {
			return err
		}
		apart := recognise.TakeApart(r.Record, nil)
		if key := apart.Key(); key != d.Key && !slices.ContainsFunc(k.decisions, func(o store.Decided) bool { return o.Key == key && o.State == d.State }) {
			if err := tx.Rekey(d.ID, key); err != nil {
				return err
			}
			d.Key = key
		}
	}
	return tx.SetSetting(setting, recognise.KeyForm)
}

func recognitionsByRecord(tx *store.Tx) (map[int64]store.Recognition, error) {
	list, err := tx.Recognitions()
	out := make(map[int64]store.Recognition, len(list))
	for _, n := range list {
		out[n.Record] = n
	}
	return out, err
}

// putRecognitions recognises records and stores what they are, where that differs from before.
func putRecognitions(tx *store.Tx, w *recognise.Worker, records []store.StoredRecord, before map[int64]store.Recognition) error {
	b, err := tx.NewRecognitions()
	if err != nil {
		return err
	}
	for i := range records {
		n := recognition(w, &records[i])
		if old, known := before[n.Record]; known && old == n {
			continue
		}
		if err := b.AddRecognition(n); err != nil {
			return err
		}
	}
	return b.Flush()
}

func recognition(w *recognise.Worker, r *store.StoredRecord) store.Recognition {
	res, apart := w.Decide(&r.Record)
	n := store.Recognition{Record: r.ID, Key: apart.Key(), Product: res.Product, Title: res.Title, Edition: res.Edition, EditionRank: res.EditionRank, TitleVersion: res.TitleVersion, Version: res.Version,
		Step: res.By, WhyNot: res.WhyNot(), Whole: res.Piece == recognise.Whole, NotSoftware: res.NotCounted, Rule: res.Rule}
	if res.Line != nil {
		n.Line = res.Line.ID
	}
	return n
}

// recognisedAnew says which of some records would be recognised otherwise by a recogniser, and which products that touches on either side.
func recognisedAnew(w *recognise.Worker, records []store.StoredRecord, before map[int64]store.Recognition) (changed []store.Recognition, products []int64) {
	touched := map[int64]bool{}
	for i := range records {
		n := recognition(w, &records[i])
		old := before[n.Record]
		if old == n {
			continue
		}
		changed = append(changed, n)
		touched[old.Product], touched[n.Product] = true, true
	}
	delete(touched, 0)
	return changed, slices.Sorted(maps.Keys(touched))
}
