package position

import (
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
)

// What this station answers as its tables and the snapshot have it.
type (
	Figures         = snapshot.Figures
	StoredStatement = positiondb.StoredStatement
)
