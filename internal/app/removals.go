package app

import (
	"context"
	"fmt"

	"ensomet/internal/core/casework"
	"ensomet/internal/store"
)

// OpenRemovals lists what open cases about a product would take off devices, in the order of the cases.
func (a *App) OpenRemovals(ctx context.Context, product int64) (out []casework.Removal, err error) {
	err = a.DB.View(ctx, func(tx *store.Tx) error {
		page, err := tx.CasePage(store.ListQuery{Filters: map[string]string{"productId": fmt.Sprint(product), "ended": "0"}, Sort: "id"})
		if err != nil {
			return err
		}
		codes, err := tx.CodesOfDevices()
		if err != nil {
			return err
		}
		for _, c := range page.Rows {
			if c.DeviceID != 0 {
				out = append(out, casework.Removal{Case: c.ID, Kind: casework.Kind(c.Kind), Device: codes[c.DeviceID]})
			}
		}
		return nil
	})
	return out, err
}
