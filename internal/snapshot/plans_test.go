package snapshot

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"ensomet/internal/sqlite"
)

// What was known of one device is found by its key, however much is known of others: a scan costs what its own device
// costs.
func TestTheHistoryOfOthersIsNotRead(t *testing.T) {
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.View(t.Context(), func(tx *sqlite.Tx) error {
		for _, query := range []string{someDevicesWere, someCoresThen} {
			rows, err := tx.Query("EXPLAIN QUERY PLAN "+query, int64(1), "[2]")
			if err != nil {
				return err
			}
			for rows.Next() {
				var id, parent, unused int
				var step string
				if err := rows.Scan(&id, &parent, &unused, &step); err != nil {
					return err
				}
				if strings.HasPrefix(step, "SCAN") && !strings.Contains(step, "CONSTANT ROW") &&
					!strings.Contains(step, "json_each") {
					t.Errorf("%s: %s", query, step)
				}
			}
			if err := rows.Close(); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
}
