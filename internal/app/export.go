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
		e, err := loadEstate(tx, a.dayOr(asOf), a.Clock.Now().Unix(), nil)
		if err != nil {
			return err
		}
		folds, err := e.folds(tx)
		if err != nil {
			return err
		}
		return tx.ExportInstalls(e.at, "", func(r store.ExportedInstall) error {
			return write(append(r.Values, e.verdict(r.Device, r.Product, r.WhyNot, folds)...))
		})
	})
}

// folds says which products fold under which suite on each device.
func (e *estate) folds(tx *store.Tx) (map[devicePair]int64, error) {
	out := map[devicePair]int64{}
	err := tx.EachDevice(e.at, nil, func(device int64, records []int64) error {
		for part, suite := range e.foldedHere(records) {
			out[devicePair{device, part}] = suite
		}
		return nil
	})
	return out, err
}

// verdict gives the columns suite, counted and why_not_counted of an install.
func (e *estate) verdict(device, product int64, whyNot string, folds map[devicePair]int64) []string {
	suite := ""
	if s, ok := folds[devicePair{device, product}]; ok && whyNot == "" {
		suite = e.products[s].product.Name
		whyNot = "part of " + suite + " on this device"
	}
	if d := e.devices[e.deviceAt[device]]; whyNot == "" && d.Status != "in_service" {
		whyNot = map[string]string{"in_store": "the device is in store", "retired": "the device is retired"}[d.Status]
	}
	return []string{suite, fmt.Sprint(whyNot == ""), whyNot}
}
