package worklist

import (
	"context"

	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// StanceView says which of the policies that speak of a title on a device holds, and why.
type StanceView struct {
	Stance   string // what holds for its being there; empty where nothing speaks of it
	Why      string
	Hours    bool         // its use depends on the hour
	Policies []PolicyView // all that speak of it, the one that goes first first
}

// Stance explains what policy says of a product on a device.
func (svc *Service) Stance(ctx context.Context, product int64, device string) (StanceView, error) {
	out := StanceView{Policies: []PolicyView{}}
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) error {
		s, err := snapshot.LoadSettings(tx)
		if err != nil {
			return err
		}
		id, err := snapshot.FindDevice(tx, device)
		if err != nil {
			return err
		}
		if id == 0 {
			return sqlite.ErrNotFound
		}
		dev, err := snapshot.OneDevice(tx, id, svc.Clock.Now().Unix())
		if err != nil {
			return err
		}
		c, err := svc.Snapshots.Catalogue(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return sqlite.ErrNotFound
		}
		out, err = svc.explainStance(tx, &s, snapshot.PolicyTitle(p), dev)
		return err
	})
	return out, err
}
