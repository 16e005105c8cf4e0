package worklist

import (
	"context"

	"ensomet/internal/core/casework"
	"ensomet/internal/core/position"
	"ensomet/internal/core/reclaim"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/worklist/worklistdb"

	"github.com/shopspring/decimal"
)

// worth says what each removal is worth, whatever it was found for: what it avoids of a present shortfall, else what
// its covering line costs at the next renewal. open is how much of each product is short.
func (d *Findings) worth(
	ctx context.Context,
	open map[int64]int64,
	lines map[snapshot.DevicePair]*position.LineResult,
) error {
	e := d.Snapshot
	of := map[int64][]*finding{}
	for i := range d.found {
		if v := &d.found[i]; v.removes {
			of[v.product] = append(of[v.product], v)
		}
	}
	for _, f := range e.Ordered() {
		list := of[f.Id]
		if len(list) == 0 {
			continue
		}
		if err := ctx.Err(); err != nil {
			return err
		}
		avoided := make([]int64, len(list))
		if open[f.Id] > 0 {
			avoided = position.Avoid(e.Input(f, nil), removals(list))
		}
		for i, v := range list {
			if avoided[i] == 0 && v.worth != "" { // a seat, or a plan, with its own worth
				continue
			}
			line := lines[snapshot.DevicePair{Device: v.device, Product: f.Id}]
			v.currency = f.Currency
			if line == nil {
				v.worth, v.amount, v.moneyOn = reclaim.Value(decimal.New(avoided[i], -4), nil, e.AsOf)
				continue
			}
			v.worth, v.amount, v.moneyOn = reclaim.Value(decimal.New(avoided[i], -4), line.Line, e.AsOf)
			if v.worth == reclaim.AtRenewal {
				v.currency = line.Line.Currency
			}
		}
	}
	return nil
}

// findPlanned finds what somebody decided to remove and is there still, so that it is known what that is worth today.
func (d *Findings) findPlanned(tx *sqlite.Tx) error {
	open, err := worklistdb.OpenPlanned(tx)
	for _, p := range open {
		f := d.Snapshot.Products[p.Product]
		if f == nil || !d.Scope.about(p.Product) || holderAt(f, p.Device) < 0 {
			continue
		}
		d.found = append(d.found,
			finding{kind: casework.Planned, device: p.Device, product: p.Product, removes: true, proof: []string{""}})
	}
	return err
}

// removals are what would be done about findings.
func removals(list []*finding) []position.Measure {
	out := make([]position.Measure, len(list))
	for i, v := range list {
		if v.kind == casework.Leaver {
			out[i] = position.Measure{Kind: position.Reclaim, Users: []int64{v.person}}
			continue
		}
		out[i] = position.Measure{Kind: position.Remove, Devices: []int64{v.device}}
	}
	return out
}
