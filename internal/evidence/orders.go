package evidence

import (
	"context"
	"errors"
	"slices"
	"strings"

	"ensomet/internal/core/access"
	"ensomet/internal/core/refuse"
	"ensomet/internal/core/schedule"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// AskScans asks for scans of devices now. A device that waits or runs already is not asked twice. It returns how many
// were asked for.
func (svc *Collecting) AskScans(ctx context.Context, codes []string, who string) (int, error) {
	asked := 0
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		asked = 0
		now := svc.Clock.Now().Unix()
		for _, code := range codes {
			id, err := snapshot.FindDevice(tx, code)
			if err != nil {
				return err
			}
			if id == 0 {
				return refuse.Errorf("there is no device %q", code)
			}
			open, err := evidencedb.OpenOrders(tx, []int64{id})
			if err != nil {
				return err
			}
			if len(open) > 0 {
				continue
			}
			asked++
			if err := evidencedb.PutOrder(tx,
				evidencedb.ScanOrder{
					Device:  id,
					Why:     "asked for",
					AskedAt: now,
					Author:  who,
					Order:   schedule.Order{State: schedule.Waiting, NotBefore: now},
				}); err != nil {
				return err
			}
		}
		return nil
	})
	return asked, err
}

// ScanTask is an order as a collector gets it.
type ScanTask struct {
	Order  int64
	Device string // device_id
	Why    string
}

// Tasks hands the orders that may start now for some devices, named by device_id, to the collector that asks.
func (svc *Collecting) Tasks(ctx context.Context, from access.Sender, codes []string) ([]ScanTask, error) {
	out := []ScanTask{}
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		out = out[:0]
		now := svc.Clock.Now().Unix()
		known := map[int64]string{}
		var ids []int64
		for _, code := range codes {
			id, err := snapshot.FindDevice(tx, code)
			if err == nil && id == 0 && from.FindsBy == "name" {
				var list []int64
				if list, err = evidencedb.DevicesNamed(tx, code); len(list) == 1 {
					id = list[0]
				}
			}
			if err != nil {
				return err
			}
			if id != 0 && known[id] == "" {
				known[id] = code
				ids = append(ids, id)
			}
		}
		if err := evidencedb.TokenUsed(tx, from.Token, now, from.From); err != nil || len(ids) == 0 {
			return err
		}
		open, err := evidencedb.OpenOrders(tx, ids)
		if err != nil {
			return err
		}
		for _, o := range open {
			if o.State != schedule.Waiting || o.NotBefore > now {
				continue
			}
			if o.Order, err = o.Take(now); err != nil {
				return err
			}
			if err := evidencedb.PutOrder(tx, o); err != nil {
				return err
			}
			out = append(out, ScanTask{o.ID, known[o.Device], o.Why})
		}
		return nil
	})
	return out, err
}

// TaskFailed notes why a collector could not do a scan.
func (svc *Collecting) TaskFailed(ctx context.Context, from access.Sender, order int64, reason, detail string) error {
	if !slices.Contains(schedule.Reasons, reason) {
		return refuse.Errorf("the reason %q is none of %s", reason, strings.Join(schedule.Reasons, ", "))
	}
	return svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		o, err := evidencedb.Order(tx, order)
		if errors.Is(err, sqlite.ErrNotFound) {
			return ErrNoOrder
		}
		if err != nil {
			return err
		}
		if o.Order, err = o.Fail(svc.Clock.Now().Unix(), reason); err != nil {
			return err
		}
		if len(detail) > 500 {
			detail = strings.ToValidUTF8(detail[:500], "")
		}
		o.Detail = strings.TrimSpace(detail)
		return evidencedb.PutOrder(tx, o)
	})
}

// OrderAct asks for failed scans again, or calls off what waits.
func (svc *Collecting) OrderAct(ctx context.Context, ids []int64, act string) (int, error) {
	done := 0
	err := svc.DB.Update(ctx, func(tx *sqlite.Tx) error {
		done = 0
		now := svc.Clock.Now().Unix()
		for _, id := range ids {
			o, err := evidencedb.Order(tx, id)
			if err != nil {
				return err
			}
			var next schedule.Order
			switch act {
			case "again":
				open, err := evidencedb.OpenOrders(tx, []int64{o.Device})
				if err != nil {
					return err
				}
				if len(open) > 0 {
					continue
				}
				next, err = o.Again()
				if err != nil {
					return err
				}
				next.NotBefore = now
			case "call off":
				if next, err = o.CallOff(now); err != nil {
					return err
				}
			default:
				return refuse.Errorf("a scan that was asked for can be asked for again or called off, not %q", act)
			}
			o.Order = next
			if err := evidencedb.PutOrder(tx, o); err != nil {
				return err
			}
			done++
		}
		return nil
	})
	return done, err
}

// OrderCounts counts the orders by state; those that ended, of the last thirty days.
func (svc *Collecting) OrderCounts(ctx context.Context) (out []evidencedb.OrderCount, err error) {
	err = svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		out, err = evidencedb.OrderCounts(tx, svc.Clock.Now().AddDate(0, 0, -30).Unix())
		return err
	})
	return out, err
}
