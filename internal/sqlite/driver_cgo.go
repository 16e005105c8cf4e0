//go:build cgo

package sqlite

import (
	"errors"

	"github.com/mattn/go-sqlite3" // the SQLite driver where cgo is on
)

const driverName = "sqlite3"

func ofDriver(err error) bool {
	var e sqlite3.Error
	return errors.As(err, &e)
}

// dsn writes a data source name for the driver. Pragmas go with it, so that each connection has them.
func dsn(path string, of use) string {
	q := "file:" + escapePath(path) + "?_busy_timeout=10000&_synchronous=NORMAL&_cache_size=-64000&_stmt_cache_size=200"
	switch of {
	case reading:
		return q + "&_journal_mode=WAL&_foreign_keys=on&_query_only=true"
	case previewing:
		return q + "&mode=ro&_foreign_keys=off"
	}
	return q + "&_journal_mode=WAL&_foreign_keys=on&_txlock=immediate"
}
