package snapshot

import (
	"ensomet/internal/sqlite"
)

// SystemPart is the part of a source's list under which the operating system that it reports of a device stands.
const SystemPart = "#os"

// SourceName names a source s, and the part of its list where it is one.
const SourceName = "(s.name || CASE s.part WHEN '' THEN '' WHEN '" + SystemPart +
	"' THEN ', operating system' ELSE ', ' || s.part END)"

// InstallWords says an install for people: the device and the raw name.
func InstallWords(tx *sqlite.Tx, device, record int64) (text string, err error) {
	err = tx.QueryRowContext(tx.Ctx,
		"SELECT (SELECT name FROM device WHERE id = ?) || ': ' || trim(publisher || ' ' || name || ' ' || version) "+
			"FROM record WHERE id = ?", device, record).
		Scan(&text)
	return text, err
}
