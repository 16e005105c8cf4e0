package program

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/sqlite"
)

// evidenceRows are the rows that evidence has left: installs with their intervals, scans, and orders for scans.
func evidenceRows(t *testing.T, prog *Program) (out []string) {
	t.Helper()
	if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) error {
		for _, query := range []string{
			`SELECT 'install ' || d.code || '|' || s.name || '|' || r.name || ' ' || r.version || '|' || p.path || '|'
				||
				i.since || '|' || coalesce(i.until, 'now') || '|' || coalesce(i.install_date, 0)
				FROM install i JOIN device d ON d.id = i.device_id JOIN source s ON s.id = i.source_id
				JOIN record r ON r.id = i.record_id JOIN place p ON p.id = i.place_id`,
			`SELECT 'scan ' || d.code || '|' || s.name || '|' || c.at FROM scan c JOIN device d ON d.id = c.device_id
				JOIN source s ON s.id = c.source_id`,
			`SELECT 'last use ' || d.code || '|' || r.name || '|' || u.used_on || ' ' || u.seen_on FROM last_use u
				JOIN device d ON d.id = u.device_id JOIN record r ON r.id = u.record_id`,
			`SELECT 'order ' || d.code || '|' || o.state FROM scan_order o JOIN device d ON d.id = o.device_id`,
		} {
			rows, err := tx.Query(query)
			if err != nil {
				return fmt.Errorf("%s: %w", query, err)
			}
			for rows.Next() {
				var text string
				if err := rows.Scan(&text); err != nil {
					return err
				}
				out = append(out, text)
			}
			if err := rows.Close(); err != nil {
				return err
			}
		}
		return nil
	}); err != nil {
		t.Fatal(err)
	}
	slices.Sort(out)
	return out
}

// The same evidence ends in the same rows, whether it comes as lines of a file or as scans over HTTP, and in whatever
// order.
func TestOneWayIn(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 7))
	for round := range 12 {
		var scans []*formats.Scan
		seen := map[string]bool{}
		for range 4 + r.IntN(12) {
			at := morning.Add(time.Duration(r.IntN(20)) * time.Hour)
			device := fmt.Sprintf("D%d", 1+r.IntN(3))
			if key := device + at.String(); seen[key] {
				continue
			} else {
				seen[key] = true
			}
			s := &formats.Scan{Format: formats.ScanFormat, At: at, Source: "agent",
				Device: formats.ScanDevice{ID: device}}
			for i := range 6 {
				if r.IntN(2) == 0 && (i > 0 || len(s.Installs) > 0) {
					continue
				}
				in := formats.ScanInstall{Name: fmt.Sprintf("tool %d", i), Version: fmt.Sprint(1 + r.IntN(2))}
				if r.IntN(3) == 0 {
					in.InstallPath = "/opt/" + in.Name
				}
				if r.IntN(4) == 0 {
					in.InstallDate = "2026-05-0" + fmt.Sprint(1+r.IntN(3))
				}
				if r.IntN(4) == 0 {
					in.LastUsed = "2026-06-0" + fmt.Sprint(1+r.IntN(3))
				}
				s.Installs = append(s.Installs, in)
			}
			scans = append(scans, s)
		}
		var first []string
		for way := range 4 {
			prog, clock := desk(t)
			clock.now = morning.AddDate(0, 0, 3)
			take(t, prog, formats.Devices, "device_id,name", "D1,hal-1", "D2,hal-2", "D3,hal-3")
			clock.now = morning.Add(5 * time.Hour)
			if _, err := prog.Collecting.AskScans(t.Context(), []string{"D1", "D2"}, "me"); err != nil {
				t.Fatal(err)
			}
			clock.now = morning.AddDate(0, 0, 3)
			r.Shuffle(len(scans), func(i, k int) { scans[i], scans[k] = scans[k], scans[i] })
			byFile := func(list []*formats.Scan, name func(string) string) {
				var lines []string
				for _, s := range list {
					for _, in := range s.Installs {
						lines = append(lines,
							strings.Join([]string{name(s.Device.ID), in.Name, in.Version, in.InstallPath,
								in.InstallDate, in.LastUsed, s.Source, s.At.Format(time.RFC3339)}, ","))
					}
				}
				r.Shuffle(len(lines), func(i, k int) { lines[i], lines[k] = lines[k], lines[i] })
				header := "device_id,name,version,install_path,install_date,last_used,source,seen_at"
				take(t, prog, formats.Installs, append([]string{header}, lines...)...)
			}
			same := func(id string) string { return id }
			host := func(id string) string { return "HAL-" + id[1:] }
			switch way {
			case 0:
				overHTTP(t, prog, scans)
			case 1:
				byFile(scans, same)
			case 2: // some by file under their host names, the others as scans
				half := len(scans) / 2
				byFile(scans[:half], host)
				overHTTP(t, prog, scans[half:])
			default: // scan by scan, each in a file of its own
				for _, s := range scans {
					byFile([]*formats.Scan{s}, same)
				}
			}
			rows := evidenceRows(t, prog)
			if way == 0 {
				first = rows
			} else if !slices.Equal(rows, first) {
				t.Fatalf("round %d, way %d:\n%s\nover HTTP:\n%s", round, way, only(rows, first), only(first, rows))
			}
		}
	}
}

func overHTTP(t *testing.T, prog *Program, scans []*formats.Scan) {
	t.Helper()
	for _, s := range scans {
		if _, err := prog.Evidence.TakeScan(context.Background(), s.Source, "id", s); err != nil {
			t.Fatal(err)
		}
	}
}

// only lists what one has and the other has not.
func only(a, b []string) string {
	return strings.Join(slices.DeleteFunc(slices.Clone(a), func(x string) bool { return slices.Contains(b, x) }), "\n")
}

// A line that names its device by a host name finds it where one device alone has the name, in any case of letters.
func TestInstallsByHostName(t *testing.T) {
	prog, _ := desk(t)
	take(t, prog, formats.Devices, "device_id,name", "D1,hal-1", "D2,twin", "D3,TWIN", "hal-9,other")
	res := take(t, prog, formats.Installs, "device_id,name,version,seen_at",
		"HAL-1,tool,1,2026-06-20T08:00:00Z", "twin,tool,1,2026-06-20T08:00:00Z",
		"nowhere,tool,1,2026-06-20T08:00:00Z", "hal-9,tool,1,2026-06-20T08:00:00Z")
	var reasons []string
	for _, l := range res.Aside {
		reasons = append(reasons, l.Reason)
	}
	if res.Added != 2 || len(reasons) != 2 || !strings.Contains(reasons[0], "several devices are called") ||
		!strings.Contains(reasons[1], "there is no device") {
		t.Errorf("%+v", res)
	}
	if c, err := prog.Evidence.Device(t.Context(), "D1"); err != nil || len(c.Software) != 1 {
		t.Errorf("%+v, %v", c, err)
	}
}
