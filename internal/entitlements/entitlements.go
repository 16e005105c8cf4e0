package entitlements

import (
	"context"

	"ensomet/internal/core/entitle"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// Entitlements reads a page of entitlements with what each comes to today.
func (svc *Service) Entitlements(
	ctx context.Context,
	q sqlite.ListQuery,
) (sqlite.Page[snapshot.EntitlementRow], error) {
	var page sqlite.Page[snapshot.EntitlementRow]
	err := svc.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		if page, err = snapshot.EntitlementPage(tx, q); err != nil {
			return err
		}
		all, err := entitlementsdb.AllEntitlements(tx)
		if err != nil {
			return err
		}
		byProduct := map[int64][]entitle.Line{}
		for _, e := range all {
			byProduct[e.Line.Product] = append(byProduct[e.Line.Product], e.Line)
		}
		effects := map[int64]map[string]entitle.Effect{}
		for i := range page.Rows {
			r := &page.Rows[i]
			if effects[r.ProductID] == nil {
				effects[r.ProductID] = entitle.Effective(byProduct[r.ProductID], svc.Snapshots.Today())
			}
			e := effects[r.ProductID][r.Code]
			r.Effective, r.Why = e.Quantity, e.Why
		}
		return nil
	})
	return page, err
}
