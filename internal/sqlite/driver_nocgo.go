//go:build !cgo

package sqlite

import (
	"errors"

	"modernc.org/sqlite" // the SQLite driver where cgo is off
)

const driverName = "sqlite"

func ofDriver(err error) bool {
	var e *sqlite.Error
	return errors.As(err, &e)
}

// dsn writes a data source name for the driver. Pragmas go with it, so that each connection has them.
func dsn(path string, of use) string {
	q := "file:" + escapePath(path) + "?_pragma=busy_timeout(10000)&_pragma=synchronous(NORMAL)" +
		"&_pragma=cache_size(-64000)"
	switch of {
	case reading:
		return q + "&_pragma=journal_mode(WAL)&_pragma=foreign_keys(on)&_pragma=query_only(true)"
	case previewing:
		return q + "&mode=ro&_pragma=foreign_keys(off)"
	}
	return q + "&_pragma=journal_mode(WAL)&_pragma=foreign_keys(on)&_txlock=immediate"
}
