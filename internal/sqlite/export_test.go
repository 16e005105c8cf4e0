package sqlite

import "testing"

// What tests of a file of an earlier version need.
const (
	DriverName = driverName
	Writing    = writing
)

var (
	Migrations = migrations
	DSN        = dsn
)

// FilesOfThePast makes a file of each kind that landed.
func FilesOfThePast(t testing.TB) []string {
	var out []string
	for _, kind := range landed(t) {
		out = append(out, ofKind(t, kind))
	}
	return out
}
