package sqlite

import (
	"errors"
	"os"
)

// keepPrivate makes a data file readable by the program's account alone: one that is missing is made so before
// anything is in it. What SQLite keeps beside a file has the file's own rights.
func keepPrivate(path string) error {
	f, err := os.OpenFile(path, os.O_CREATE|os.O_RDWR, 0o600)
	if err != nil {
		return err
	}
	if err := f.Close(); err != nil {
		return err
	}
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if err := os.Chmod(name, 0o600); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
	}
	return nil
}
