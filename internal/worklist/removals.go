package worklist

import (
	"context"
	"fmt"

	"ensomet/internal/core/casework"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
	"ensomet/internal/stored"
)

// OpenRemovals lists what open cases about a product would take off devices or back from people, in the order of the
// cases.
func (svc *Service) OpenRemovals(ctx context.Context, product int64) (out []casework.Removal, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		page, err := lists.CaseList().Page(
			tx,
			sqlite.ListQuery{Filters: map[string]string{"productId": fmt.Sprint(product), "ended": "0"}, Sort: "id"})
		if err != nil {
			return err
		}
		codes, err := stored.CodesOfDevices(tx)
		if err != nil {
			return err
		}
		for _, c := range page.Rows {
			switch kind := casework.Kind(c.Kind); {
			case c.DeviceID != 0:
				out = append(out, casework.Removal{Case: c.ID, Kind: kind, Device: codes[c.DeviceID]})
			case kind == casework.Leaver:
				out = append(out, casework.Removal{Case: c.ID, Kind: kind, Person: c.Person})
			}
		}
		return nil
	})
	return out, err
}
