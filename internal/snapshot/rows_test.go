package snapshot

import (
	"context"
	"database/sql"
	"fmt"
	"path/filepath"
	"testing"

	"ensomet/internal/sqlite"
)

// BenchmarkRows compares rows that a library puts into structs by the names of their columns with rows that are read
// field by field: 10,000 of five columns, and the devices of a computation with 26.
//
//	go test ./internal/snapshot -run '^$' -bench Rows
func BenchmarkRows(b *testing.B) {
	db, err := sqlite.Open(context.Background(), filepath.Join(b.TempDir(), "x.db"))
	if err != nil {
		b.Fatal(err)
	}
	defer db.Close()
	if err := db.Update(b.Context(), func(tx *sqlite.Tx) error {
		for i := range 10_000 {
			if _, err := tx.Exec(`INSERT INTO device(code, name, kind, environment, org_unit, site, country,
				ip_address, directory_path, primary_user, os_name, os_version, processors, cores, virtual_cores,
				core_factor, host_id, cluster, pinned, portable, status, last_scan, custom, hash)
				VALUES (?, ?, 'client', 'production', 'Sea/Eider', 'Halden', 'NO', '10.0.0.1', '', 'u1', 'Varde', '11',
				1, 4, 0, '', '', '', '', '', 'in_service', 0, '', x'')`, fmt.Sprintf("D%05d", i),
				fmt.Sprintf("dev-%d", i)); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		b.Fatal(err)
	}
	type few struct {
		ID               int64
		Code, Name, Kind string
		Cores            int64
	}
	const five = "SELECT id, code, name, kind, cores FROM device"
	run := func(name string, read func(tx *sqlite.Tx) (int, error)) {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				if err := db.View(b.Context(), func(tx *sqlite.Tx) error {
					n, err := read(tx)
					if err == nil && n != 10_000 {
						err = fmt.Errorf("%d rows", n)
					}
					return err
				}); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
	run("five by name", func(tx *sqlite.Tx) (int, error) {
		list, err := sqlite.Select[few](tx, five)
		return len(list), err
	})
	run("five by hand", func(tx *sqlite.Tx) (int, error) {
		list, err := sqlite.Query(tx, func(r *sql.Rows, v *few) error {
			return r.Scan(&v.ID, &v.Code, &v.Name, &v.Kind, &v.Cores)
		}, five)
		return len(list), err
	})
	run("devices by name", func(tx *sqlite.Tx) (int, error) {
		list, err := sqlite.Select[DeviceFacts](tx, devicesQuery, int64(1))
		return len(list), err
	})
	run("devices by hand", func(tx *sqlite.Tx) (int, error) {
		list, err := devicesNow(tx, "", 1)
		return len(list), err
	})
}
