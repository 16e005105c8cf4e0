package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"ensomet/internal/core/condition"
	"ensomet/internal/formats"
	"ensomet/internal/intake"
	"ensomet/internal/program"
	"ensomet/internal/sqlite"
	"ensomet/internal/titles"
)

// measurePreviews measures how long somebody who writes every few milliseconds waits for the writer while others ask
// for the effect of changes, on an estate whose installs are some 60,000 raw records.
func measurePreviews(devices int) error {
	ctx := context.Background()
	dir, err := os.MkdirTemp("", "ensomet-bench")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := generate(dir, devices, 7); err != nil {
		return err
	}
	for _, step := range []string{"prepare", "import", "position"} {
		if err := run(dir, step, func(string, float64) {}, map[string]int64{}); err != nil {
			return err
		}
	}
	db, err := sqlite.Open(ctx, filepath.Join(dir, "bench.db"))
	if err != nil {
		return err
	}
	defer db.Close()
	prog := program.New(db, clock{})
	defer prog.Close()
	defer prog.Renewal.Hold()()
	records := 0
	products, err := prog.Position.FindProducts(ctx, "Weft0004 Loom")
	if err != nil {
		return err
	}
	var key string
	if err := db.View(ctx, func(tx *sqlite.Tx) error {
		return tx.QueryRowContext(ctx, "SELECT count(*), max(key) FROM recognition").Scan(&records, &key)
	}); err != nil {
		return err
	}
	fmt.Printf("\n%d devices, %d installs, %d records\n", devices, devices*perDevice, records)
	installs, err := os.ReadFile(filepath.Join(dir, "installs.csv"))
	if err != nil {
		return err
	}
	alone, err := waits(ctx, db, func() error {
		time.Sleep(2 * time.Second)
		return nil
	})
	if err != nil {
		return err
	}
	tell("nobody asks for anything", alone, 2*time.Second)
	for _, look := range []struct {
		name string
		run  func() error
	}{
		{"a rule on every record", func() error {
			_, err := prog.Titles.PreviewRule(ctx, titles.RuleDraft{
				Name:    "all",
				Outcome: "title",
				Records: condition.Condition{Field: "name", Op: "like", Value: "*loom*"},
				Product: products[0],
			}, "bench")
			return err
		}},
		{"a rule on one name in ten", func() error {
			_, err := prog.Titles.PreviewRule(ctx, titles.RuleDraft{
				Name:    "some",
				Outcome: "nothing",
				Records: condition.Condition{Field: "name", Op: "like", Value: "weft?1*"},
			}, "bench")
			return err
		}},
		{"a decision on one name", func() error {
			_, err := prog.Titles.PreviewDecision(ctx, titles.NameDecision{Keys: []string{key}, Product: products[0]},
				"bench")
			return err
		}},
		{"leaving a product out on ten devices", func() error {
			var codes []string
			for d := range 10 {
				codes = append(codes, fmt.Sprintf("D%06d", d))
			}
			_, err := prog.Titles.PreviewExclusion(ctx, titles.ExclusionDraft{Devices: codes, Product: products[0]},
				"bench")
			return err
		}},
		{"a change of a title", func() error {
			_, err := prog.Catalogue.EditTitle(ctx, titles.TitleEdit{
				Product: products[0],
				Version: "3",
				Says:    map[string]string{"list_price": "90 EUR", "licence_model": "commercial"},
				Dry:     true,
			}, "bench")
			return err
		}},
		{"a dry import of all installs", func() error {
			_, err := prog.Evidence.Import(ctx, intake.ImportRequest{
				Kind:   formats.Installs,
				File:   "installs.csv",
				In:     bytes.NewReader(installs),
				Author: "bench",
				DryRun: true,
			})
			return err
		}},
	} {
		start := time.Now()
		list, err := waits(ctx, db, look.run)
		if err != nil {
			return err
		}
		tell(look.name, list, time.Since(start))
	}
	return nil
}

// waits writes a little every few milliseconds while work runs, and returns how long each of these writes took.
func waits(ctx context.Context, db *sqlite.DB, work func() error) ([]time.Duration, error) {
	done := make(chan error, 1)
	go func() { done <- work() }()
	var out []time.Duration
	for {
		select {
		case err := <-done:
			return out, err
		case <-time.After(5 * time.Millisecond):
		}
		start := time.Now()
		if err := db.Update(ctx, func(tx *sqlite.Tx) error {
			return tx.SetSetting("bench", start.String())
		}); err != nil {
			return nil, err
		}
		out = append(out, time.Since(start))
	}
}

func tell(name string, list []time.Duration, took time.Duration) {
	slices.Sort(list)
	at := func(part float64) float64 {
		if len(list) == 0 {
			return 0
		}
		return float64(list[min(len(list)-1, int(part*float64(len(list))))].Microseconds()) / 1000
	}
	fmt.Printf("  %-40s takes %6.2f s; a writer waits %6.1f ms, 95th of 100 %6.1f ms, at most %6.1f ms (%d writes)\n",
		name, took.Seconds(), at(0.5), at(0.95), at(1), len(list))
}
