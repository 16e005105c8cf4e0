// Package worklist is the sixth station: what is to be done, by whom, and whether later evidence shows that it was.
package worklist

import (
	"ensomet/internal/clock"
	"ensomet/internal/secret"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
	"ensomet/internal/used"
)

// Service does what can be done there.
type Service struct {
	DB           *sqlite.DB
	Clock        clock.Clock
	Snapshots    *snapshot.Loader
	Secret       secret.File
	Deploy       DeploymentTool // nil where none is connected
	Entitlements Seats
	Outbox       Letters
	Address      string // where the house reaches the program, such as https://software.example: letters name it
}

// Letters says whether letters can leave.
type Letters interface{ Connected() bool }

// Seats ends seats, and gives what becomes free to whoever waits.
type Seats interface {
	FreeSeats(tx *sqlite.Tx, product int64, seats []int64, who string) (gotOne []string, err error)
	TakeBackSeats(tx *sqlite.Tx, product int64, users []int64) (int, error)
}

// PoolSizes says how many licences a pool needs for what it was asked for in some days, a share of denials allowed.
type PoolSizes interface {
	SizeThatServes(tx *sqlite.Tx, pool int64, days int, share float64) (used.RightSize, error)
}

// Orders does what can be done with orders to the deployment tool once they wait to leave, and with their waves.
type Orders struct{ *Service }
