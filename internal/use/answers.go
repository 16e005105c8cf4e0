package use

import (
	"ensomet/internal/sqlite"
	"ensomet/internal/use/usedb"
)

// What this station answers as its tables and the snapshot have it.
type (
	PoolComplaint = usedb.PoolComplaint
	PoolRow       = usedb.PoolRow
	PoolSize      = usedb.PoolSize
	PoolWatch     = usedb.PoolWatch
	UseRow        = usedb.UseRow
)

// UseList lists the use of every install.
func UseList() *sqlite.List[UseRow] { return usedb.UseList() }
