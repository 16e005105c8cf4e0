package app

import (
	"context"
	"fmt"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/store"
)

// Export writes a kind of file as of a day (unknown is today) row by row: first the columns by start, then each row by write.
func (a *App) Export(ctx context.Context, kind string, asOf civil.Day, start func(columns []string) error, write func([]string) error) error {
	if kind == formats.Positions.Name {
		if err := start(formats.Positions.Columns); err != nil {
			return err
		}
		return a.Positions(ctx, asOf, write)
	}
	k, err := formats.KindByName(kind)
	if err != nil {
		return err
	}
	columns := append(append([]string(nil), k.Columns...), k.OutOnly...)
	if k != formats.Installs {
		if err := start(columns); err != nil {
			return err
		}
		return a.DB.View(ctx, func(tx *store.Tx) error { return tx.Export(k.Name, write) })
	}
	if dirty, err := a.Dirty(ctx); err != nil {
		return err
	} else if dirty {
		if err := a.Refresh(ctx); err != nil {
			return err
		}
	}
	if err := start(columns); err != nil {
		return err
	}
	return a.DB.View(ctx, func(tx *store.Tx) error {
		e, err := a.loadEstate(tx, a.dayOr(asOf), a.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		folds, err := e.folds(tx)
		if err != nil {
			return err
		}
		return tx.ExportInstalls(e.at, "", func(r store.ExportedInstall) error {
			return write(append(r.Values, e.verdict(r.Device, r.Record, r.Product, r.WhyNot, folds)...))
		})
	})
}

// deviceRecord is an install.
type deviceRecord struct{ device, record int64 }

// folds says which installs fold under which suite.
func (e *estate) folds(tx *store.Tx) (map[deviceRecord]int64, error) {
	out := map[deviceRecord]int64{}
	err := tx.EachDevice(e.at, nil, func(device int64, records []int64) error {
		folded, _ := e.foldedHere(records)
		for id, suite := range folded {
			out[deviceRecord{device, id}] = suite.Product
		}
		return nil
	})
	return out, err
}

// verdict gives the columns suite, counted and why_not_counted of an install.
func (e *estate) verdict(device, record, product int64, whyNot string, folds map[deviceRecord]int64) []string {
	suite := ""
	at := e.deviceAt[device]
	if s, ok := folds[deviceRecord{device, record}]; ok && whyNot == "" {
		suite = e.products[s].product.Name
		whyNot = "part of " + suite + " on this device"
	}
	if d := e.devices[at]; whyNot == "" && d.Status != "in_service" {
		whyNot = map[string]string{"in_store": "the device is in store", "retired": "the device is retired"}[d.Status]
	}
	if whyNot == "" && product != 0 && record < int64(len(e.recs)) {
		if why := e.whyLeftOut(at, product, e.recs[record].leave); why != "" {
			whyNot = "left out: " + why
		}
	}
	return []string{suite, fmt.Sprint(whyNot == ""), whyNot}
}
