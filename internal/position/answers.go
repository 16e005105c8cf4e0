package position

import (
	"ensomet/internal/position/positiondb"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// What this station answers as its tables and the snapshot have it.
type (
	Figures         = snapshot.Figures
	StoredStatement = positiondb.StoredStatement
)

// PositionList lists every position.
func PositionList() *sqlite.List[snapshot.PositionRow] { return snapshot.PositionList() }
