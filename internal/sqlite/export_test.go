package sqlite

// What tests of a file of an earlier version need.
const (
	DriverName = driverName
	Writing    = writing
)

var (
	Migrations = migrations
	DSN        = dsn
)
