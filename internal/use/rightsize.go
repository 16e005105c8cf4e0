package use

import (
	"slices"

	"ensomet/internal/core/civil"
	"ensomet/internal/core/usage"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
)

// SizeThatServes replays what a pool was asked for in the days up to today, and finds the least size at which at most a
// share of the requests would have been denied, with what one licence costs.
func (svc *Service) SizeThatServes(tx *sqlite.Tx, pool int64, days int, share float64) (used.RightSize, error) {
	var out used.RightSize
	to := svc.Snapshots.Today()
	from := to - civil.Day(days) + 1
	row, settings, events, err := svc.poolEvents(tx, pool, from, to)
	if err != nil {
		return out, err
	}
	start := from.Start(settings.Zone).Unix()
	outs := slices.DeleteFunc(usage.Outs(events, svc.Clock.Now().Unix()), func(o usage.Out) bool {
		return o.Start < start
	})
	list, _ := usage.Requests(outs, denialsOf(events, start), retryWithin)
	if out.Requests = int64(len(list)); out.Requests == 0 {
		out.Licences, out.All = row.Quantity, row.Quantity
		return out, nil
	}
	const seeds = 20
	out.Licences = usage.Serves(list, 1, share, seeds)
	out.All = usage.Serves(list, out.Licences, 0, seeds)
	out.Price, out.Currency, out.Paid, err = svc.priceOfLicence(tx, row.ProductID)
	return out, err
}
