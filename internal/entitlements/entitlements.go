package entitlements

import (
	"ensomet/internal/core/entitle"
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/lists"
	"ensomet/internal/sqlite"
)

// Entitlements reads a page of entitlements with what each comes to today.
func (svc *Service) Entitlements(*sqlite.ListQuery) (*sqlite.List[lists.EntitlementRow], error) {
	list := lists.EntitlementList()
	list.Fill = func(tx *sqlite.Tx) (func(*lists.EntitlementRow), error) {
		all, err := entitlementsdb.AllEntitlements(tx)
		if err != nil {
			return nil, err
		}
		byProduct := map[int64][]entitle.Line{}
		for _, e := range all {
			byProduct[e.Line.Product] = append(byProduct[e.Line.Product], e.Line)
		}
		effects := map[int64]map[string]entitle.Effect{}
		return func(r *lists.EntitlementRow) {
			if effects[r.ProductID] == nil {
				effects[r.ProductID] = entitle.Effective(byProduct[r.ProductID], svc.Snapshots.Today())
			}
			e := effects[r.ProductID][r.Code]
			r.Effective, r.Why = e.Quantity, e.Why
		}, nil
	}
	return list, nil
}
