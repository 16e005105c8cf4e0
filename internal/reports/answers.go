package reports

import (
	"ensomet/internal/renewal"
	"ensomet/internal/reports/reportsdb"
)

// What this station answers as its tables and the snapshot have it.
type (
	Counts        = reportsdb.Counts
	Hit           = reportsdb.Hit
	MoneyRow      = reportsdb.MoneyRow
	RefreshStatus = renewal.RefreshStatus
)
