package main

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"ensomet/internal/formats"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// measureChanges measures what one change costs, until every list and figure has it, on estates of a size: a scan of a
// machine, a decision on a name, a line, a rule.
func measureChanges(devices int, kept string) error {
	dir := kept
	if dir == "" {
		var err error
		if dir, err = os.MkdirTemp("", "ensomet-bench"); err != nil {
			return err
		}
		defer os.RemoveAll(dir)
	}
	took, peak := map[string]float64{}, map[string]int64{}
	keep := func(name string, seconds float64) {
		if old, ok := took[name]; !ok || seconds < old {
			took[name] = seconds
		}
	}
	steps := []string{"prepare", "import", "renew", "moves", "everything"}
	if _, err := os.Stat(filepath.Join(dir, "bench.db")); err == nil {
		steps = steps[3:]
	} else {
		perDevice = 80
		if err := generate(dir, devices, 3); err != nil {
			return err
		}
		if _, err := generateRights(dir, devices); err != nil {
			return err
		}
	}
	for _, step := range steps {
		if err := run(dir, step, keep, peak); err != nil {
			return err
		}
	}
	fmt.Printf("\n%d devices, %d installs\n", devices, devices*80)
	say := func(what, key string) {
		fmt.Printf("  %-58s %8.0f ms of processor, %8.0f ms of waiting\n", what, 1000*took[key+" cpu"],
			1000*took[key])
	}
	fmt.Printf("  import %.1f s, peak %d MB; everything from the start %.1f s, peak %d MB\n", took["import"],
		peak["import"], took["renew"], peak["renew"])
	fmt.Printf("  the program opened and ready                               %8.0f ms\n", 1000*took["start"])
	say("the first scan after it", "first scan")
	say("a scan in which nothing is new: the middle of 20", "same scan")
	say("a scan with two programs upgraded: the middle of 20", "scan")
	say("the slowest of them", "slowest scan")
	say("a scan of a machine that is new", "new machine")
	say("a hundred scans at once, each", "of a hundred scans")
	say("a decision on a name", "decision")
	say("a new line of a title", "line")
	say("a title left out on a device", "left out")
	fmt.Printf("  peak memory of all these changes                           %8d MB\n", peak["moves"])
	say("everything from nothing", "from nothing")
	say("everything anew, beside what is kept", "anew")
	fmt.Printf("  peak memory of these two                                   %8d MB\n", peak["everything"])
	fmt.Printf("  whoever writes meanwhile waits at most      %.0f and %.0f ms\n", 1000*took["from nothing waits"],
		1000*took["anew waits"])
	return nil
}

// spent is the processor time that this process took.
func spent() float64 {
	var u syscall.Rusage
	if err := syscall.Getrusage(syscall.RUSAGE_SELF, &u); err != nil {
		return 0
	}
	return float64(u.Utime.Sec+u.Stime.Sec) + float64(u.Utime.Usec+u.Stime.Usec)/1e6
}

// moves are the changes that measureChanges measures.
func moves(ctx context.Context, prog *program.Program, opened time.Time) error {
	fmt.Printf("start=%.5f\n", time.Since(opened).Seconds())
	type cost struct{ wall, cpu float64 }
	one := func(fn func() error) (c cost, err error) {
		start, before := time.Now(), spent()
		if err := errors.Join(fn(), prog.Pipeline.Refresh(ctx)); err != nil {
			return c, err
		}
		return cost{time.Since(start).Seconds(), spent() - before}, nil
	}
	say := func(name string, list ...cost) {
		slices.SortFunc(list, func(a, b cost) int { return int(1e6 * (a.wall - b.wall)) })
		fmt.Printf("%s=%.5f\n%s cpu=%.5f\n", name, list[len(list)/2].wall, name, list[len(list)/2].cpu)
		if name == "scan" {
			last := list[len(list)-1]
			fmt.Printf("slowest scan=%.5f\nslowest scan cpu=%.5f\n", last.wall, last.cpu)
		}
	}
	scan := (&scans{prog: prog, at: clock{}.Now()}).of
	take := func(s *formats.Scan, err error) func() error {
		return func() error {
			if err == nil {
				_, err = prog.Evidence.TakeScan(ctx, "collector", "id", s)
			}
			return err
		}
	}
	code := func(i int) string { return fmt.Sprintf("D%06d", i) }
	for name, upgraded := range map[string]int{"same scan": 0, "scan": 2} {
		var list []cost
		for i := range 21 {
			d := 100 + i*37 + upgraded
			c, err := one(take(scan(ctx, d, code(d), upgraded)))
			if err != nil {
				return err
			}
			if i == 0 {
				if upgraded == 0 {
					say("first scan", c)
				}
				continue
			}
			list = append(list, c)
		}
		say(name, list...)
	}
	c, err := one(take(scan(ctx, 5, fmt.Sprint("NEW-", opened.UnixNano()), 0)))
	if err != nil {
		return err
	}
	say("new machine", c)
	c, err = one(func() error {
		for i := range 100 {
			if err := take(scan(ctx, 300+i, code(300+i), 1))(); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return err
	}
	say("of a hundred scans", cost{c.wall / 100, c.cpu / 100})
	var keys []string
	if err := prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		keys, err = sqlite.Select[string](tx, "SELECT key FROM name_fact ORDER BY installs DESC, key LIMIT 1")
		return err
	}); err != nil {
		return err
	}
	ids, err := prog.Position.FindProducts(ctx, "Weft0003 Loom")
	if err != nil {
		return err
	}
	if c, err = one(func() error {
		_, err := prog.Titles.Decide(ctx, titles.NameDecision{Keys: keys, Product: ids[0]}, "bench")
		return err
	}); err != nil {
		return err
	}
	say("decision", c)
	if c, err = one(func() error {
		_, err := prog.Evidence.Book(ctx, formats.Entitlements.Name, map[string]string{
			"entitlement_id": fmt.Sprint("NEW-", opened.UnixNano()),
			"publisher":      "Maker063 AS",
			"product":        "Weft0063 Loom",
			"metric":         "device",
			"quantity":       "5",
			"purchased":      "2026-01-01",
		}, "bench")
		return err
	}); err != nil {
		return err
	}
	say("line", c)
	if c, err = one(func() error {
		_, err := prog.Titles.Exclude(ctx, titles.ExclusionDraft{Product: ids[0], Devices: []string{code(77)},
			Reason: "bench"}, "bench")
		return err
	}); err != nil {
		return err
	}
	say("left out", c)
	return nil
}

// scans makes scans of devices, each a second later than the one before.
type scans struct {
	prog *program.Program
	at   time.Time
}

// of makes a scan that says of a machine what a device has, with some programs upgraded.
func (l *scans) of(ctx context.Context, device int, code string, upgraded int) (*formats.Scan, error) {
	l.at = l.at.Add(time.Second)
	s := &formats.Scan{Format: formats.ScanFormat, At: l.at, Device: formats.ScanDevice{ID: code}}
	err := l.prog.DB.View(ctx, func(tx *sqlite.Tx) (err error) {
		s.Installs, err = sqlite.Query(tx, func(r *sql.Rows, v *formats.ScanInstall) error {
			return r.Scan(&v.Publisher, &v.Name, &v.Version, &v.Architecture)
		}, `SELECT r.publisher, r.name, r.version, r.architecture FROM install i JOIN record r ON r.id = i.record_id
			WHERE i.device_id = (SELECT id FROM device WHERE code = ?) AND i.until IS NULL ORDER BY r.id`,
			fmt.Sprintf("D%06d", device))
		return err
	})
	for i := range min(upgraded, len(s.Installs)/7) {
		v := &s.Installs[i*7]
		other := map[bool]string{true: "3.1", false: "4.0"}[v.Version == "4.0"]
		v.Name, v.Version = strings.ReplaceAll(v.Name, v.Version, other), other
	}
	return s, err
}
