package app

import (
	"context"
	"ensomet/internal/store"
)

// StanceView says which of the policies that speak of a title on a device holds, and why.
type StanceView struct {
	Stance   string       `json:"stance" doc:"what holds for its being there; empty where nothing speaks of it"`
	Why      string       `json:"why"`
	Hours    bool         `json:"hours" doc:"its use depends on the hour"`
	Policies []PolicyView `json:"policies" doc:"all that speak of it, the one that goes first first"`
}

// Stance explains what policy says of a product on a device.
func (a *App) Stance(ctx context.Context, product int64, device string) (StanceView, error) {
	out := StanceView{Policies: []PolicyView{}}
	err := a.DB.View(ctx, func(tx *store.Tx) error {
		s, err := loadSettings(tx)
		if err != nil {
			return err
		}
		id, err := tx.FindDevice(device)
		if err != nil {
			return err
		}
		if id == 0 {
			return store.ErrNotFound
		}
		dev, err := tx.OneDevice(id, a.Clock.Now().Unix())
		if err != nil {
			return err
		}
		c, err := a.catalogueOf(tx)
		if err != nil {
			return err
		}
		p := c.Product(product)
		if p == nil {
			return store.ErrNotFound
		}
		out, err = a.explainStance(tx, &s, policyTitle(p), dev)
		return err
	})
	return out, err
}
