package formats

import (
	"fmt"
	"strings"
	"testing"
	"time"
)

// A figure of a machine that cannot be meant is refused with a reason, by file and by scan; the largest that can is
// taken.
func TestFiguresThatCannotBeMeant(t *testing.T) {
	for _, x := range []struct {
		column, key string
		most        int64
	}{{"processors", "processors", MaxProcessors}, {"cores", "cores", MaxCores},
		{"virtual_cores", "virtual_cores", MaxCores}} {
		for n, refused := range map[int64]bool{x.most: false, x.most + 1: true, 1_000_000_000_000: true} {
			rows, err := NewReader(strings.NewReader(fmt.Sprintf("device_id,%s\nD1,%d\n", x.column, n)), Devices)
			if err != nil {
				t.Fatal(err)
			}
			row, err := rows.Next()
			if err != nil {
				t.Fatal(err)
			}
			if _, err := ParseDevice(row, time.UTC); (err != nil) != refused {
				t.Errorf("a file with %d %s: %v", n, x.column, err)
			} else if refused && !strings.Contains(err.Error(), x.column) {
				t.Errorf("the reason does not name the column: %v", err)
			}
			scan := fmt.Sprintf(`{"format":"%s","at":"2026-06-29T10:00:00Z","device":{"id":"D1","%s":%d}}`,
				ScanFormat, x.key, n)
			if _, err := ReadScan(strings.NewReader(scan)); (err != nil) != refused {
				t.Errorf("a scan with %d %s: %v", n, x.column, err)
			} else if refused && !strings.Contains(err.Error(), "can be meant") {
				t.Errorf("the reason of the scan: %v", err)
			}
		}
	}
}
