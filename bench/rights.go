package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"time"

	"ensomet/internal/core/civil"
	"ensomet/internal/formats"
	"ensomet/internal/lists"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
)

// measureRights measures positions over some 5,000 entitlement lines of several metrics, rights and scopes: from
// nothing, after one change, and as they are opened; beside the sqlite3 shell's best single query for the same device
// position.
func measureRights(devices int) error {
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	perDevice = 80
	if err := generate(dir, devices, 3); err != nil {
		return err
	}
	lines, err := generateRights(dir, devices)
	if err != nil {
		return err
	}
	fmt.Printf(
		"\n%d devices, %d installs, 2,000 products, %d entitlement lines\n",
		devices,
		devices*perDevice,
		lines,
	)
	took, peak := map[string]float64{}, map[string]int64{}
	keep := func(name string, seconds float64) {
		if old, ok := took[name]; !ok || seconds < old {
			took[name] = seconds
		}
	}
	for _, step := range []string{"prepare", "import", "renew", "read", "full", "changes"} {
		if err := run(dir, step, keep, peak); err != nil {
			return err
		}
	}
	query := `SELECT n.product_id, count(DISTINCT i.device_id), (SELECT coalesce(sum(quantity), 0) FROM entitlement e
		WHERE e.product_id = n.product_id AND e.metric = 'device')
		FROM install i JOIN recognition n ON n.record_id = i.record_id JOIN device d ON d.id = i.device_id
		WHERE i.until IS NULL AND n.why_not = '' AND d.status = 'in_service' GROUP BY n.product_id`
	for range 2 {
		start := time.Now()
		if out, err := exec.Command("sqlite3", filepath.Join(dir, "bench.db"), "PRAGMA cache_size=-64000",
			query).CombinedOutput(); err != nil {
			return fmt.Errorf("%w: %s", err, out[:min(len(out), 300)])
		}
		keep("shell", time.Since(start).Seconds())
	}
	fmt.Printf(
		"  every position from the start, all metrics                 %7.2f s, peak %d MB\n",
		took["full"],
		peak["full"],
	)
	fmt.Printf(
		"  reading all install rows once                              %7.2f s  ratio %.2f\n",
		took["read"],
		took["full"]/took["read"],
	)
	fmt.Printf(
		"  the sqlite3 shell's single query, devices against quantity %7.2f s  ratio %.2f\n",
		took["shell"],
		took["full"]/took["shell"],
	)
	fmt.Printf(
		"  one line changed, to its position stored: the middle of 30 %7.0f ms, the slowest %.0f ms; the first, with "+
			"devices read anew, %.0f ms\n",
		1000*took["change middle"],
		1000*took["change slowest"],
		1000*took["change first"],
	)
	fmt.Printf(
		"  a product's position opened: the middle of 200             %7.0f ms, the 95th percentile %.0f ms\n",
		1000*took["page middle"],
		1000*took["page 95"],
	)
	fmt.Printf("  the list of positions, 100 rows: the 95th percentile       %7.0f ms\n", 1000*took["list 95"])
	fmt.Printf(
		"  renewing all that is stored                                %7.2f s, peak %d MB; peak of changes and pages "+
			"%d MB\n",
		took["renew"],
		peak["renew"],
		peak["changes"],
	)
	return nil
}

// generateRights writes devices with hardware and users, and lines of every usual metric.
func generateRights(dir string, devices int) (int, error) {
	r := rand.New(rand.NewPCG(5, 5))
	machines := make([][]string, 0, devices)
	for d := range devices {
		kind, host, portable := "client", "", strconv.FormatBool(d%4 == 0)
		switch {
		case d%50 == 0:
			kind = "vm_host"
		case d%10 == 1:
			kind, host = "virtual_machine", fmt.Sprintf("D%06d", d/50*50)
		}
		machines = append(
			machines,
			[]string{
				fmt.Sprintf("D%06d", d),
				kind,
				fmt.Sprintf("Unit/%02d", d%40),
				"2026-06-29",
				fmt.Sprintf("u%06d", d/2),
				"2",
				strconv.Itoa(4 + 4*(d%8)),
				strconv.Itoa(2 + d%6),
				host,
				fmt.Sprint("k", d/500),
				portable,
			},
		)
	}
	if err := write(filepath.Join(dir, "devices.csv"),
		[]string{"device_id", "kind", "org_unit", "last_scan", "primary_user", "processors", "cores", "virtual_cores",
			"host_id", "cluster", "portable"}, machines); err != nil {
		return 0, err
	}
	var rights [][]string
	for p := 0; p < 2000; p += 3 {
		metric := []string{"device", "device", "device", "named_user", "installation", "core", "processor",
			"virtual_machine"}[p/3%8]
		for i := range 7 + p%2 {
			scope, rightsOf, version := "", "", []string{"", "3", "4"}[r.IntN(3)]
			if i > 1 {
				scope = fmt.Sprintf("Unit/%02d", r.IntN(40))
			}
			if i == 0 {
				rightsOf = []string{"", "older_versions", "second_device", "virtual_use"}[p/3%4]
			}
			rights = append(
				rights,
				[]string{
					fmt.Sprintf("E%d-%d", p, i),
					fmt.Sprintf("Maker%03d AS", p%150),
					fmt.Sprintf("Weft%04d Loom", p),
					version,
					metric,
					strconv.Itoa(1 + r.IntN(devices/60)),
					"perpetual",
					"2024-01-01",
					scope,
					rightsOf,
					"90",
					"EUR",
				},
			)
		}
	}
	return len(rights), write(
		filepath.Join(dir, "entitlements.csv"),
		[]string{
			"entitlement_id",
			"publisher",
			"product",
			"version",
			"metric",
			"quantity",
			"kind",
			"purchased",
			"scope_unit",
			"rights",
			"unit_price",
			"currency",
		},
		rights,
	)
}

// rightsSteps are the steps of measureRights that need the program.
func rightsSteps(ctx context.Context, prog *program.Program, step string,
	timed func(string, func() error) error) error {
	if step == "full" {
		return timed("full", func() error {
			// another day than today's is computed from the start
			return prog.Position.Positions(ctx, civil.MustParse("2026-06-29"), func([]string) error { return nil })
		})
	}
	var changes, pages, asked []float64
	one := func(into *[]float64, fn func() error) error {
		start := time.Now()
		err := fn()
		*into = append(*into, time.Since(start).Seconds())
		return err
	}
	for i := range 31 {
		p := i * 63
		values := map[string]string{
			"entitlement_id": fmt.Sprintf("NEW-%d", i),
			"publisher":      fmt.Sprintf("Maker%03d AS", p%150),
			"product":        fmt.Sprintf("Weft%04d Loom", p),
			"metric":         "device",
			"quantity":       "5",
			"purchased":      "2026-01-01",
		}
		if _, err := prog.Evidence.Book(ctx, formats.Entitlements.Name, values, "bench"); err != nil {
			return err
		}
		if err := one(&changes, func() error { return prog.Pipeline.Refresh(ctx) }); err != nil {
			return err
		}
	}
	for i := range 200 {
		ids, err := prog.Position.FindProducts(ctx, fmt.Sprintf("Weft%04d Loom", (i*97)%2000))
		if err != nil || len(ids) != 1 {
			return fmt.Errorf("products %v: %w", ids, err)
		}
		if err := one(&pages,
			func() error { _, err := prog.Position.ProductPosition(ctx, ids[0], 0, 0); return err }); err != nil {
			return err
		}
		if err := one(&asked, func() error {
			return prog.DB.View(ctx, func(tx *sqlite.Tx) error {
				_, err := lists.PositionList().Page(tx,
					sqlite.ListQuery{Sort: []string{"money", "product", "balance"}[i%3], Limit: 100})
				return err
			})
		}); err != nil {
			return err
		}
	}
	say := func(name string, seconds float64) { fmt.Printf("%s=%.5f\n", name, seconds) }
	say("change first", changes[0])
	changes = changes[1:]
	slices.Sort(changes)
	slices.Sort(pages)
	slices.Sort(asked)
	say("change middle", changes[len(changes)/2])
	say("change slowest", changes[len(changes)-1])
	say("page middle", pages[len(pages)/2])
	say("page 95", pages[len(pages)*95/100])
	say("list 95", asked[len(asked)*95/100])
	return nil
}
