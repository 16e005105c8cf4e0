package entitlements

import (
	"ensomet/internal/entitlements/entitlementsdb"
	"ensomet/internal/lists"
)

// What this station answers as its tables and the snapshot have it.
type (
	Contract       = entitlementsdb.Contract
	EntitlementRow = lists.EntitlementRow
	KeptKey        = entitlementsdb.KeptKey
	LineChange     = entitlementsdb.LineChange
	LineNote       = entitlementsdb.LineNote
	Proof          = entitlementsdb.Proof
	SeatRow        = entitlementsdb.SeatRow
	StarterSet     = entitlementsdb.StarterSet
	WaitRow        = entitlementsdb.WaitRow
)
