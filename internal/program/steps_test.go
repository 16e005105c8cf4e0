package program

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/snapshot"
	"ensomet/internal/sqlite"
)

// fileOfSoftware is a file of what two sources say of some devices, with parts that the two share and times apart.
func fileOfSoftware(r *rand.Rand, devices int) []string {
	lines := []string{"device_id,publisher,name,version,install_path,last_used,source,seen_at"}
	for d := range devices {
		for _, source := range []string{"agent", "scanner"} {
			for hour := range 1 + r.IntN(2) {
				at := morning.Add(time.Duration(hour) * time.Hour).Format(time.RFC3339)
				for i := range 2 + r.IntN(5) {
					lines = append(lines, fmt.Sprintf("D%d,Ostwick,tool %d,%d,,%s,%s,%s", d, i, 1+r.IntN(3),
						[]string{"", "2026-06-01"}[r.IntN(2)], source, at))
				}
			}
		}
	}
	return lines
}

func request(lines []string) intake.ImportRequest {
	return intake.ImportRequest{Kind: formats.Installs, File: "installs.csv", Author: "test",
		In: strings.NewReader(strings.Join(lines, "\n") + "\n")}
}

// deskOfSteps is a desk with devices, whose imports let others write after each device.
func deskOfSteps(t *testing.T, devices int) *Program {
	t.Helper()
	prog, clock := desk(t)
	clock.now = morning.AddDate(0, 0, 3)
	lines := []string{"device_id,name"}
	for d := range devices {
		lines = append(lines, fmt.Sprintf("D%d,hal-%d", d, d))
	}
	take(t, prog, formats.Devices, lines...)
	prog.DB.ShortSteps = true
	prog.Evidence.InMemory = 9 // lines of a file are put aside and merged, too
	return prog
}

// While software of a file is taken in, scans come, devices are joined and figures renewed: in the end everything is as
// if one had come after the other, no record stands twice, and what is kept is what would be computed.
func TestAnImportInStepsBesideOthers(t *testing.T) {
	for round := range 6 {
		const devices = 14
		r := rand.New(rand.NewPCG(uint64(round), 17))
		// of the device that another is joined into nothing is said otherwise
		lines := slices.DeleteFunc(fileOfSoftware(r, devices), func(l string) bool {
			return strings.HasPrefix(l, "D11,")
		})
		var scans []*formats.Scan
		for range 20 {
			s := &formats.Scan{Format: formats.ScanFormat, At: morning.Add(time.Duration(r.IntN(30)) * time.Hour),
				Source: "agent", Device: formats.ScanDevice{ID: fmt.Sprintf("D%d", r.IntN(11))}}
			for i := range 1 + r.IntN(6) {
				s.Installs = append(s.Installs, formats.ScanInstall{Publisher: "Ostwick",
					Name: fmt.Sprintf("tool %d", i), Version: fmt.Sprint(1 + r.IntN(5))})
			}
			scans = append(scans, s)
		}
		var rows [2][]string
		for way := range rows {
			prog := deskOfSteps(t, devices)
			ctx := t.Context()
			scan := func(s *formats.Scan) {
				if _, err := prog.Evidence.TakeScan(ctx, s.Source, "id", s); err != nil {
					t.Error(err)
				}
			}
			joined := func() { join(t, prog, "D9", "D11") }
			req := request(lines)
			if way == 0 { // one after the other
				joined()
				if _, err := prog.Evidence.Import(ctx, req); err != nil {
					t.Fatal(err)
				}
				for _, s := range scans {
					scan(s)
				}
			} else {
				told, done := make(chan int), make(chan error)
				req.Told = func(devices, _ int) { told <- devices }
				go func() {
					_, err := prog.Evidence.Import(ctx, req)
					close(told)
					done <- err
				}()
				waiting := scans
				var others sync.WaitGroup
				for n := range told { // the step of this device waits until its scans are under way
					begin := func(fn func()) { others.Go(fn) }
					for range min(2, len(waiting)) {
						s := waiting[0]
						begin(func() { scan(s) })
						waiting = waiting[1:]
					}
					if n == 5 {
						begin(joined)
					}
					if n%3 == 0 {
						begin(func() {
							if err := prog.Pipeline.Refresh(ctx); err != nil {
								t.Error(err)
							}
						})
					}
				}
				if err := <-done; err != nil {
					t.Fatal(err)
				}
				others.Wait()
				for _, s := range scans { // those too that have not come yet; the others come twice
					scan(s)
				}
			}
			if err := prog.Pipeline.Refresh(ctx); err != nil {
				t.Fatal(err)
			}
			rows[way] = slices.DeleteFunc(evidenceRows(t, prog), func(row string) bool {
				return strings.HasPrefix(row, "order ")
			})
			if twice := textsOf(t, prog, `SELECT name || ' ' || version FROM record GROUP BY publisher, name, version
				HAVING count(*) > 1`); len(twice) > 0 {
				t.Errorf("round %d: records stand twice: %v", round, twice)
			}
			if wrong, err := prog.Pipeline.Check(ctx); err != nil || len(wrong) > 0 {
				t.Errorf("round %d, way %d: what is kept is not what would be computed: %v %v", round, way, wrong, err)
			}
		}
		if !slices.Equal(rows[0], rows[1]) {
			t.Fatalf("round %d, only beside others:\n%s\nonly one after the other:\n%s", round,
				only(rows[1], rows[0]), only(rows[0], rows[1]))
		}
	}
}

// An import that is stopped keeps the devices that it has taken in, whole, and says so; taken in again it ends as if
// nothing had been. One that is stopped before the first device, or whose file is broken, leaves nothing.
func TestAnImportInStepsIsStopped(t *testing.T) {
	const devices = 12
	lines := fileOfSoftware(rand.New(rand.NewPCG(3, 17)), devices)
	whole := deskOfSteps(t, devices)
	if _, err := whole.Evidence.Import(t.Context(), request(lines)); err != nil {
		t.Fatal(err)
	}
	prog := deskOfSteps(t, devices)
	ctx, stop := context.WithCancel(t.Context())
	req := request(lines)
	req.Told = func(devices, of int) {
		if devices == 5 {
			stop()
		}
	}
	_, err := prog.Evidence.Import(ctx, req)
	var stopped *intake.StoppedError
	if !errors.As(err, &stopped) || !errors.Is(err, context.Canceled) || stopped.Taken < 4 || stopped.Of != devices {
		t.Fatalf("it says %v", err)
	}
	rows := evidenceRows(t, prog)
	for _, row := range rows {
		if !slices.Contains(evidenceRows(t, whole), row) {
			t.Errorf("it kept %s", row)
		}
	}
	kept := textsOf(t, prog, "SELECT DISTINCT d.code FROM install i JOIN device d ON d.id = i.device_id ORDER BY d.id")
	if len(kept) < 4 || len(kept) > 5 {
		t.Errorf("it kept devices %v", kept)
	}
	imports := func() (out []snapshot.Import) {
		if err := prog.DB.View(t.Context(), func(tx *sqlite.Tx) (err error) {
			out, err = snapshot.Imports(tx, 5)
			return err
		}); err != nil {
			t.Fatal(err)
		}
		return out
	}
	if im := imports()[0]; im.State != "stopped" || int(im.DevicesTaken) != len(kept) || im.Devices != devices ||
		im.Kind != "installs" || im.Added == 0 || im.Author != "test" {
		t.Errorf("it is noted as %+v", im)
	}
	res, err := prog.Evidence.Import(t.Context(), request(lines))
	if err != nil || res.Same == 0 || res.Added == 0 {
		t.Fatalf("again: %+v %v", res, err)
	}
	if rows := evidenceRows(t, prog); !slices.Equal(rows, evidenceRows(t, whole)) {
		t.Errorf("again it ended as\n%s", only(rows, evidenceRows(t, whole)))
	}
	if im := imports()[0]; im.State != "done" || im.DevicesTaken != devices {
		t.Errorf("again it is noted as %+v", im)
	}

	early := deskOfSteps(t, devices)
	gone, cancel := context.WithCancel(t.Context())
	req = request(lines)
	req.In = &breaking{strings.NewReader(strings.Join(lines, "\n")), 600, cancel}
	if _, err := early.Evidence.Import(gone, req); !errors.Is(err, context.Canceled) {
		t.Errorf("stopped while it was read it says %v", err)
	}
	if rows := evidenceRows(t, early); len(rows) > 0 {
		t.Errorf("stopped while it was read it kept %v", rows)
	}
}

// breaking reads something, and calls a function after some bytes.
type breaking struct {
	in   *strings.Reader
	left int
	fn   func()
}

func (b *breaking) Read(p []byte) (int, error) {
	if b.left <= 0 {
		b.fn()
	}
	n, err := b.in.Read(p[:min(len(p), 100)])
	b.left -= n
	return n, err
}
