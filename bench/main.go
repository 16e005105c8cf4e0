// Command bench measures the program against the sqlite3 shell on generated estates, as ratios in one run. It prints
// what docs/benchmarks.md quotes.
//
//	make bench
package main

import (
	"bufio"
	"context"
	"encoding/csv"
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"runtime/pprof"
	"strconv"
	"strings"
	"syscall"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

var perDevice = 100

func main() {
	step := flag.String("step", "", "used by the benchmark itself")
	dir := flag.String("dir", "", "a folder for the files")
	devices := flag.Int("devices", 0, "only this size")
	runs := flag.Int("runs", 3, "the best of so many runs counts")
	again := flag.Bool(
		"again",
		false,
		"what recognising everything anew costs after a change of the catalogue, on 80,000 devices unless said "+
			"otherwise",
	)
	rights := flag.Bool(
		"rights",
		false,
		"positions over 5,000 lines of all metrics, on 100,000 devices and on 1,000 unless said otherwise",
	)
	previews := flag.Bool("previews", false, "how long a writer waits while effects of changes are asked for")
	use := flag.Bool("use", false, "use of 1,000 machines over 400 days, and a year of a pool's events")
	machines := flag.Int("machines", 0, "with -use: only so many machines")
	events := flag.Int("events", 5_000_000, "with -use: events of the pool")
	changes := flag.Bool(
		"changes",
		false,
		"what one change costs, on 1,000, 10,000 and 100,000 devices unless said otherwise",
	)
	profile := flag.String("profile", "", "with -step or -views: write a profile of the processor")
	flag.StringVar(&profiles, "profiles", "", "with -changes: a folder for a profile of the processor of each step")
	views := flag.Bool("views", false, "how long each answer takes that pages ask for, on the file kept in -dir")
	only := flag.String("only", "", "with -views: only those whose address has this in it")
	scanned := flag.Bool("scans", false, "with -views: a device reports before each of them")
	waits := flag.Bool("waits", false, "how long who saves something waits while installs are taken in")
	past := flag.Bool("past", false, "what a year of daily scans of 50 machines leaves, and what forgetting them takes")
	entries := flag.Int("directory", 0, "what taking in a directory of so many entries costs")
	flag.Parse()
	if *views {
		if err := measureViews(*dir, *only, *profile, *scanned); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *waits {
		if *devices == 0 {
			*devices = 10_000
		}
		if err := measureWaits(*devices); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *past {
		if err := measurePast(50, 400, 90); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *entries > 0 {
		if err := measureDirectory(*entries); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *use {
		sizes := []int{100, 1_000}
		if *machines > 0 {
			sizes = []int{*machines}
		}
		for _, n := range sizes {
			if err := measureUse(n); err != nil {
				log.Fatal(err)
			}
		}
		if err := measurePool(*events); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *previews {
		if *devices == 0 {
			*devices = 8_000
		}
		if err := measurePreviews(*devices); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *step != "" {
		if *profile != "" {
			f, err := os.Create(*profile)
			if err != nil {
				log.Fatal(err)
			}
			if err := pprof.StartCPUProfile(f); err != nil {
				log.Fatal(err)
			}
			defer pprof.StopCPUProfile()
		}
		if err := child(*step, *dir); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *again {
		if *devices == 0 {
			*devices = 80_000
		}
		if err := measureAgain(*devices); err != nil {
			log.Fatal(err)
		}
		return
	}
	if *changes {
		sizes := []int{1_000, 10_000, 100_000}
		if *devices > 0 {
			sizes = []int{*devices}
		}
		for _, n := range sizes {
			if err := measureChanges(n, *dir); err != nil {
				log.Fatal(err)
			}
		}
		return
	}
	if *rights {
		sizes := []int{1_000, 100_000}
		if *devices > 0 {
			sizes = []int{*devices}
		}
		for _, n := range sizes {
			if err := measureRights(n); err != nil {
				log.Fatal(err)
			}
		}
		return
	}
	sizes := []int{1_000, 10_000}
	if *devices > 0 {
		sizes = []int{*devices}
	}
	for _, n := range sizes {
		if err := measure(n, *runs); err != nil {
			log.Fatal(err)
		}
	}
}

func measure(devices, runs int) error {
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := generate(dir, devices, 3); err != nil {
		return err
	}
	fmt.Printf("\n%d devices, %d installs\n", devices, devices*perDevice)
	best := map[string]float64{}
	peak := map[string]int64{}
	keep := func(name string, seconds float64) {
		if old, ok := best[name]; !ok || seconds < old {
			best[name] = seconds
		}
	}
	for range runs {
		if err := run(dir, "prepare", keep, peak); err != nil {
			return err
		}
		for _, s := range []string{"import", "position", "read"} {
			if err := run(dir, s, keep, peak); err != nil {
				return err
			}
		}
		if err := shell(dir, keep); err != nil {
			return err
		}
	}
	fmt.Printf("  import with recognition   %6.2f s, peak %d MB\n", best["import"], peak["import"])
	fmt.Printf("    of it recognition       %6.2f s\n", best["recognise"])
	fmt.Printf(
		"  sqlite3 .import, our rows into our install table   %6.2f s  ratio %.2f\n",
		best["shell install"],
		best["import"]/best["shell install"],
	)
	fmt.Printf(
		"  sqlite3 .import, the CSV into a text table with two indexes   %6.2f s  ratio %.2f\n",
		best["shell text"],
		best["import"]/best["shell text"],
	)
	fmt.Printf(
		"  full position from the start %6.2f s, peak %d MB (with the renewal below)\n",
		best["position"],
		peak["position"],
	)
	fmt.Printf(
		"  renewing all that is stored: positions, use of every install, lists, worklist %6.2f s\n",
		best["renewal"],
	)
	fmt.Printf("  reading all install rows once %6.2f s  ratio %.2f\n", best["read"], best["position"]/best["read"])
	return nil
}

// profiles is the folder for profiles of the steps; empty writes none.
var profiles string

// run runs a step in a process of its own, so that its peak memory is its own.
func run(dir, step string, keep func(string, float64), peak map[string]int64) error {
	self, err := os.Executable() // each step is a process of its own
	if err != nil {
		return err
	}
	cmd := exec.Command(self, "-step", step, "-dir", dir)
	if profiles != "" {
		cmd.Args = append(cmd.Args, "-profile", filepath.Join(profiles, step+".prof"))
	}
	cmd.Stderr = os.Stderr
	out, err := cmd.Output()
	if err != nil {
		return fmt.Errorf("step %s: %w", step, err)
	}
	for _, line := range strings.Split(strings.TrimSpace(string(out)), "\n") {
		name, value, ok := strings.Cut(line, "=")
		if seconds, err := strconv.ParseFloat(value, 64); ok && err == nil {
			keep(name, seconds)
		}
	}
	if usage, ok := cmd.ProcessState.SysUsage().(*syscall.Rusage); ok {
		peak[step] = max(peak[step], usage.Maxrss/1024)
	}
	return nil
}

func child(step, dir string) error {
	if step == "installs" {
		return importInstalls(context.Background(), dir)
	}
	ctx := context.Background()
	path := filepath.Join(dir, "bench.db")
	if step == "prepare" {
		for _, end := range []string{"", "-wal", "-shm"} {
			_ = os.Remove(path + end)
		}
	}
	opened := time.Now()
	db, err := sqlite.Open(ctx, path)
	if err != nil {
		return err
	}
	defer db.Close()
	prog := program.New(db, clock{})
	if step == "everything" {
		return everything(ctx, prog)
	}
	if step == "moves" {
		return moves(ctx, prog, opened)
	}
	timed := func(name string, fn func() error) error {
		start := time.Now()
		err := fn()
		fmt.Printf("%s=%.4f\n", name, time.Since(start).Seconds())
		return err
	}
	file := func(k *formats.Kind) error {
		f, err := os.Open(filepath.Join(dir, k.Name+".csv"))
		if err != nil {
			return err
		}
		defer f.Close()
		res, err := prog.Evidence.Import(ctx, intake.ImportRequest{Kind: k, File: k.Name, In: f, Author: "bench"})
		if err == nil && len(res.Aside) > 0 {
			err = fmt.Errorf("%v", res.Aside[0])
		}
		return err
	}
	switch step {
	case "directory":
		return directorySteps(ctx, db, prog, dir, timed)
	case "prepare":
		for _, k := range []*formats.Kind{formats.Titles, formats.Devices, formats.Entitlements} {
			if err := file(k); err != nil {
				return err
			}
		}
		return nil
	case "import":
		return timed("import", func() error {
			if err := file(formats.Installs); err != nil {
				return err
			}
			return timed("recognise", func() error {
				_, err := prog.Titles.Recognise(ctx)
				return err
			})
		})
	case "position":
		if err := timed("renewal", func() error { return prog.Pipeline.Refresh(ctx) }); err != nil {
			return err
		}
		return timed("position", func() error {
			// another day than today's is computed from the start
			return prog.Position.Positions(ctx, civil.MustParse("2026-06-29"), func([]string) error { return nil })
		})
	case "read":
		return db.View(ctx, func(tx *sqlite.Tx) error {
			return timed("read", func() error {
				rows, err := tx.QueryContext(
					ctx,
					"SELECT device_id, source_id, record_id, place_id, since, until, install_date FROM install",
				)
				if err != nil {
					return err
				}
				defer rows.Close()
				var v [7]*int64
				for rows.Next() {
					if err := rows.Scan(&v[0], &v[1], &v[2], &v[3], &v[4], &v[5], &v[6]); err != nil {
						return err
					}
				}
				return rows.Err()
			})
		})
	}
	if step == "full" || step == "changes" {
		return rightsSteps(ctx, prog, step, timed)
	}
	return again(ctx, prog, step, timed)
}

type clock struct{}

func (clock) Now() time.Time { return time.Date(2026, 6, 30, 8, 0, 0, 0, time.UTC) }

// shell times the sqlite3 shell: the rows of our install table into the same table with its index, and the CSV as it
// stands into a text table with two indexes.
func shell(dir string, keep func(string, float64)) error {
	rows := filepath.Join(dir, "rows.csv")
	all := "SELECT device_id, source_id, record_id, place_id, since, until, install_date FROM install"
	export := exec.Command("sqlite3", filepath.Join(dir, "bench.db"), ".mode csv", ".once "+rows, all)
	if out, err := export.CombinedOutput(); err != nil {
		return fmt.Errorf("%w: %s", err, out)
	}
	table := `CREATE TABLE install (device_id INTEGER NOT NULL, source_id INTEGER NOT NULL, record_id INTEGER NOT
		NULL, place_id INTEGER NOT NULL, since INTEGER NOT NULL, until INTEGER, install_date INTEGER NOT NULL,
		PRIMARY KEY (device_id, source_id, record_id, place_id, since)) WITHOUT ROWID; CREATE INDEX install_record ON
		install(record_id, device_id, until);`
	text := "CREATE TABLE raw (" + strings.Join(
		formats.Installs.Columns,
		" TEXT, ",
	) + " TEXT); CREATE INDEX raw_device ON raw(device_id); CREATE INDEX raw_name ON raw(name, version);"
	for _, job := range []struct{ name, table, file, into, skip string }{{"shell install", table, rows, "install", ""},
		{"shell text", text, filepath.Join(dir, "installs.csv"), "raw", "--skip 1 "}} {
		db := filepath.Join(dir, "shell.db")
		for _, end := range []string{"", "-wal", "-shm"} {
			_ = os.Remove(db + end)
		}
		start := time.Now()
		out, err := exec.Command("sqlite3", db, "PRAGMA journal_mode=WAL", "PRAGMA synchronous=NORMAL",
			"PRAGMA cache_size=-64000", job.table, ".import --csv "+job.skip+job.file+" "+job.into).
			CombinedOutput()
		if err != nil {
			return fmt.Errorf("%w: %s", err, out)
		}
		keep(job.name, time.Since(start).Seconds())
	}
	return nil
}

// generate writes an estate of 2,000 products under about 8,000 raw records for each of the minors that a version can
// have.
func generate(dir string, devices, minors int) error {
	r := rand.New(rand.NewPCG(1, 10))
	const products = 2000
	var titles, rights, machines [][]string
	for p := range products {
		name := fmt.Sprintf("Weft%04d Loom", p)
		model := []string{"commercial", "free", "open_source"}[p%3]
		suite := ""
		if p%20 == 3 {
			suite = fmt.Sprintf("Weft%04d Loom", p-3)
		}
		titles = append(
			titles,
			[]string{
				fmt.Sprintf("Maker%03d AS", p%150),
				name,
				"",
				"",
				"",
				"utility",
				model,
				"100",
				"EUR",
				"",
				suite,
				"",
				"",
				"",
				"",
				"",
			},
		)
		if model == "commercial" {
			rights = append(
				rights,
				[]string{
					fmt.Sprintf("E%d", p),
					fmt.Sprintf("Maker%03d AS", p%150),
					name,
					"",
					"4",
					"device",
					strconv.Itoa(devices / 20),
					"perpetual",
					"2024-01-01",
				},
			)
		}
	}
	for d := range devices {
		machines = append(
			machines,
			[]string{fmt.Sprintf("D%06d", d), "client", fmt.Sprintf("Unit/%02d", d%40), "2026-06-29"},
		)
	}
	if err := write(filepath.Join(dir, "titles.csv"), formats.Titles.Columns, titles); err != nil {
		return err
	}
	if err := write(filepath.Join(dir, "entitlements.csv"),
		[]string{"entitlement_id", "publisher", "product", "edition", "version", "metric", "quantity", "kind",
			"purchased"}, rights); err != nil {
		return err
	}
	if err := write(filepath.Join(dir, "devices.csv"), []string{"device_id", "kind", "org_unit", "last_scan"},
		machines); err != nil {
		return err
	}
	f, err := os.Create(filepath.Join(dir, "installs.csv"))
	if err != nil {
		return err
	}
	buf := bufio.NewWriter(f)
	c := csv.NewWriter(buf)
	if err := c.Write(formats.Installs.Columns); err != nil {
		return err
	}
	for d := range devices {
		for i := range perDevice {
			p := (d*7 + i*20 + r.IntN(20)) % products
			version := fmt.Sprintf("%d.%d", 3+r.IntN(2), r.IntN(minors))
			name := fmt.Sprintf("Weft%04d Loom", p) + []string{"", " " + version}[r.IntN(2)]
			last := ""
			if i%10 == 0 {
				last = (civil.MustParse("2026-06-29") - civil.Day(r.IntN(200))).String()
			}
			if err := c.Write([]string{fmt.Sprintf("D%06d", d), fmt.Sprintf("Maker%03d", p%150), name, version, "",
				"x64", "", "", "", "", "", "", "", last, "collector", "2026-06-29T10:00:00Z", "", ""}); err != nil {
				return err
			}
		}
	}
	c.Flush()
	if err := c.Error(); err != nil {
		return err
	}
	if err := buf.Flush(); err != nil {
		return err
	}
	return f.Close()
}

func write(path string, columns []string, rows [][]string) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	c := csv.NewWriter(f)
	if err := c.WriteAll(append([][]string{columns}, rows...)); err != nil {
		return err
	}
	return f.Close()
}
