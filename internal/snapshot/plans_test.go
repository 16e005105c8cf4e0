package snapshot

import (
	"context"
	"path/filepath"
	"strings"
	"testing"

	"ensomet/internal/sqlite"
)

// What was known of one device is found by its key, and the hosts of a cluster by its name, however much is known of
// others: a scan costs what its own device costs.
func TestTheHistoryOfOthersIsNotRead(t *testing.T) {
	db, err := sqlite.Open(context.Background(), filepath.Join(t.TempDir(), "x.db"))
	if err != nil {
		t.Fatal(err)
	}
	defer db.Close()
	if err := db.Update(t.Context(), func(tx *sqlite.Tx) error {
		// what a look at a few hundred rows of each index says of a house of a million devices
		for _, text := range []string{"ANALYZE", `INSERT INTO sqlite_stat1(tbl, idx, stat)
				SELECT 'device', name, '1000000 401' FROM sqlite_schema WHERE type = 'index' AND tbl_name = 'device'`,
			"ANALYZE sqlite_schema"} {
			if _, err := tx.Exec(text); err != nil {
				return err
			}
		}
		for query, args := range map[string][]any{
			someDevicesWere: {int64(1), "[2]"},
			someCoresThen:   {int64(1), "[2]"},
			hostsOfClusters: {`["hall"]`, "vm_host", "in service"},
		} {
			rows, err := tx.Query("EXPLAIN QUERY PLAN "+query, args...)
			if err != nil {
				return err
			}
			for rows.Next() {
				var id, parent, unused int
				var step string
				if err := rows.Scan(&id, &parent, &unused, &step); err != nil {
					return err
				}
				if strings.Contains(step, "device_by_status") || strings.Contains(step, "device_by_kind") {
					t.Errorf("%s: %s", query, step)
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
