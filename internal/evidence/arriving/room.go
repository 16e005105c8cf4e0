// Package arriving takes in what sources say of the software on devices: lines of files, documents, and scans that come
// over HTTP.
package arriving

import (
	"ensomet/internal/clock"
	"ensomet/internal/evidence/evidencedb"
	"ensomet/internal/machines"
	"ensomet/internal/secret"
	"ensomet/internal/sqlite"
)

// Room takes it in.
type Room struct {
	DB       *sqlite.DB
	Clock    clock.Clock
	Secret   secret.File       // under which licence keys that are found are known
	Numbers  *evidencedb.Cache // of records, places and files that were numbered
	Machines *machines.Room    // finds the device that what a source says is about
	InMemory int               // how many lines of a file are sorted in memory, 0 for as many as usual: for tests
}
